"""Headers for files that are no HTML, by the real nginx and the real Apache httpd."""

import os
import shutil
import socket
import subprocess
import time
from urllib.parse import quote

import httpx
import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_atlas.robots.headers import (
    apache_folder,
    apache_server,
    nginx_map,
    path_expression,
)
from tests.conftest import page, write_site

NAMES = ["plain.pdf", "a b.pdf", 'in"ject;}$x{.pdf', "(a|b)*.pdf", "é#%41.pdf", "back\\slash.pdf"]

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
DocumentRoot {public}
{body}
"""


def free_port() -> int:
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        return int(one.getsockname()[1])


def headers(command: list[str], port: int) -> dict[str, str | None]:
    """The header of each file, as a server that runs for this long serves it."""
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
            for folder in ("open", "secret", "SECRET")
            for name in NAMES
        }
        assert {answer.status_code for answer in answers.values()} == {200}
        return {path: answer.headers.get("x-robots-tag") for path, answer in answers.items()}
    finally:
        server.terminate()
        server.wait(timeout=10)


@pytest.fixture
def served(tmp_path, atlas):
    """A site with documents, some of which may not be indexed, surveyed and built."""
    more = (
        'documents = [".pdf"]\n[[rule]]\nmatch = "/secret/**"\n'
        "set = { index = false, follow = false }\n"
    )
    write_site(tmp_path, {"index.html": page()}, "").write_text(
        f'[site]\nurl = "https://www.marrowfen.example"\n[[source]]\nkind = "html"\npath = "public"\n{more}'
    )
    for folder in ("open", "secret", "SECRET"):
        (tmp_path / "public" / folder).mkdir()
        for name in NAMES:
            (tmp_path / "public" / folder / name).write_bytes(b"%PDF-1.4")
    assert atlas("survey").code == 0
    assert atlas("build").code == 0
    return tmp_path


EXPECTED = {
    f"{folder}/{name}": "noindex, nofollow" if folder == "secret" else None
    for folder in ("open", "secret", "SECRET")
    for name in NAMES
}


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
def test_no_path_can_end_its_string_or_its_line(path):
    expression = path_expression("/" + quote(path))
    assert set(expression) <= set(
        "^$/\\-_ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789"
    )
    assert nginx_map({path: "noindex"}).count(b"\n") == nginx_map({}).count(b"\n") + 1
    assert apache_folder({path: "noindex"}).count(b"\n") == apache_folder({}).count(b"\n") + 1
    assert apache_server({path: "noindex"}).count(b"\n") == apache_server({}).count(b"\n") + 3


def test_a_value_that_is_no_header_is_refused():
    with pytest.raises(ValueError, match="cannot be a header"):
        nginx_map({"/a": 'noindex"; return 444; #'})
