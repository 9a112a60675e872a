"""Headers and redirects as the real nginx and the real Apache httpd send them."""

import os
import shutil
import socket
import subprocess
import time
from urllib.parse import quote

import httpx
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from jovial_atlas.robots.headers import (
    apache_folder,
    apache_server,
    nginx_http,
    path_expression,
)
from tests.conftest import page, write_site

NAMES = ["plain.pdf", "a b.pdf", 'in"ject;}$x{.pdf', "(a|b)*.pdf", "é#%41.pdf", "back\\slash.pdf"]

FOLDERS = ("open", "secret", "SECRET", "away")

NGINX = """
daemon off; {user} pid {folder}/nginx.pid; error_log stderr; worker_processes 1;
events {{ worker_connections 64; }}
http {{
  access_log off; include {state}/nginx-http.conf;
  {temporary}
  server {{ listen 127.0.0.1:{port}; root {public}; include {state}/nginx-server.conf; }}
}}
"""
APACHE = """
ServerRoot {folder}
ServerName localhost
PidFile {folder}/apache.pid
ErrorLog {folder}/apache.log
Listen 127.0.0.1:{port}
LoadModule mpm_event_module {modules}/mod_mpm_event.so
LoadModule authz_core_module {modules}/mod_authz_core.so
LoadModule setenvif_module {modules}/mod_setenvif.so
LoadModule headers_module {modules}/mod_headers.so
LoadModule rewrite_module {modules}/mod_rewrite.so
DocumentRoot {public}
{body}
"""


def free_port() -> int:
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        return int(one.getsockname()[1])


def headers(command: list[str], port: int) -> dict[str, str | None]:
    """The header of each file, or where it is sent on to, as a server that runs for this long
    serves it."""
    server = subprocess.Popen(command, stderr=subprocess.PIPE, text=True)
    try:
        for _ in range(100):
            try:
                httpx.get(f"http://127.0.0.1:{port}/", trust_env=False)
                break
            except httpx.HTTPError:
                assert server.poll() is None, server.stderr and server.stderr.read()
                time.sleep(0.1)
        answers = {
            f"{folder}/{name}": httpx.get(
                f"http://127.0.0.1:{port}/{folder}/{quote(name)}", trust_env=False
            )
            for folder in FOLDERS
            for name in NAMES
        }
        statuses = {path: answer.status_code for path, answer in answers.items()}
        assert statuses == {path: 301 if path.startswith("away") else 200 for path in answers}
        return {
            path: answer.headers.get("location") or answer.headers.get("x-robots-tag")
            for path, answer in answers.items()
        }
    finally:
        server.terminate()
        server.wait(timeout=10)


@pytest.fixture
def served(tmp_path, atlas):
    """A site with documents, some of which may not be indexed, surveyed and built."""
    more = (
        'documents = [".pdf"]\n[[rule]]\nmatch = "/secret/**"\n'
        "set = { index = false, follow = false }\n"
        '[[rule]]\nmatch = "/open/plain.pdf"\ncrawlers = ["lantern-bot"]\nset = { index = false }\n'
        '[[rule]]\nmatch = "/away/**"\nset = { send_to = "/middle/$1;&{x}?a=\\"1&b=$2" }\n'
        '[[rule]]\nmatch = "/open/**"\nset = { archive = true }\n'
    )
    write_site(tmp_path, {"index.html": page()}, "").write_text(
        f'[site]\nurl = "https://www.marrowfen.example"\n[[source]]\nkind = "html"\npath = "public"\n{more}'
    )
    for folder in FOLDERS:
        (tmp_path / "public" / folder).mkdir()
        for name in NAMES:
            (tmp_path / "public" / folder / name).write_bytes(b"%PDF-1.4")
    assert atlas("survey").code == 0
    assert atlas("build").code == 0
    return tmp_path


SAID = {
    "secret": "noindex, nofollow",
    "away": "https://www.marrowfen.example/middle/%241%3B&%7Bx%7D?a=%221&b=%242",
}
EXPECTED = {f"{folder}/{name}": SAID.get(folder) for folder in FOLDERS for name in NAMES}
EXPECTED["open/plain.pdf"] = "lantern-bot: noindex"


def test_nginx_sends_the_header_with_exactly_the_files_it_is_for(served):
    program = shutil.which("nginx", path="/usr/sbin:/usr/local/sbin:/usr/bin")
    assert program, "nginx is missing; on Debian: apt-get install nginx"
    port = free_port()
    kinds = ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
    temporary = " ".join(f"{kind}_temp_path {served}/tmp-{kind};" for kind in kinds)
    conf = served / "nginx.conf"
    conf.write_text(
        NGINX.format(folder=served, state=served / ".jovial-atlas/servers", port=port,
                     public=served / "public", temporary=temporary,
                     user="user root;" if os.geteuid() == 0 else "")
    )  # fmt: skip
    assert headers([program, "-p", str(served), "-c", str(conf)], port) == EXPECTED


@pytest.mark.parametrize("per_folder", [False, True])
def test_apache_sends_the_header_with_exactly_the_files_it_is_for(served, per_folder):
    program = shutil.which("apache2", path="/usr/sbin:/usr/local/sbin:/usr/bin")
    assert program, "apache2 is missing; on Debian: apt-get install apache2"
    port = free_port()
    state = served / ".jovial-atlas/servers"
    body = f"Include {state}/apache-server.conf"
    if per_folder:
        written = (state / "apache-folder.conf").read_bytes()
        (served / "public/.htaccess").write_bytes(written)
        body = f"<Directory {served}/public>\nAllowOverride FileInfo\n</Directory>"
    conf = served / "apache.conf"
    conf.write_text(
        APACHE.format(folder=served, modules="/usr/lib/apache2/modules", port=port,
                      public=served / "public", body=body)
    )  # fmt: skip
    assert headers([program, "-X", "-f", str(conf)], port) == EXPECTED


@given(st.text(st.characters(exclude_categories=["Cs"]), min_size=1))
@example("noindex")
def test_no_path_can_end_its_string_or_its_line(path):
    expression = path_expression("/" + quote(path))
    assert set(expression) <= set(
        "^$/\\-_ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789"
    )
    for write in (nginx_http, apache_server, apache_folder):
        for filled, header in (
            (write({"": {path: "noindex"}}, {}), True),
            (write({}, {"/" + quote(path): "/b"}), False),
            (write({}, {"/a": path}), False),
        ):
            more = (
                1
                if write is nginx_http or (header and write is apache_folder)
                else 3 - (not header)
            )
            assert filled.count(b"\n") == write({}, {}).count(b"\n") + more


def test_a_value_that_is_no_header_is_refused():
    with pytest.raises(ValueError, match="cannot be a header"):
        nginx_http({"": {"/a": 'noindex"; return 444; #'}}, {})
