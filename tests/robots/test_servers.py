"""Headers and redirects as the real nginx and the real Apache httpd send them."""

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
from tests.real_servers import apache, nginx

NAMES = ["plain.pdf", "a b.pdf", 'in"ject;}$x{.pdf', "(a|b)*.pdf", "é#%41.pdf", "back\\slash.pdf"]

FOLDERS = ("open", "secret", "SECRET", "away")


def headers(port):
    """The header of each file, or where it is sent on to."""
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
    state = served / ".jovial-atlas/servers"
    http, server = f"include {state}/nginx-http.conf;", f"include {state}/nginx-server.conf;"
    with nginx(served, served / "public", http, server) as port:
        assert headers(port) == EXPECTED


@pytest.mark.parametrize("per_folder", [False, True])
def test_apache_sends_the_header_with_exactly_the_files_it_is_for(served, per_folder):
    state = served / ".jovial-atlas/servers"
    body = f"Include {state}/apache-server.conf"
    if per_folder:
        written = (state / "apache-folder.conf").read_bytes()
        (served / "public/.htaccess").write_bytes(written)
        body = f"<Directory {served}/public>\nAllowOverride FileInfo\n</Directory>"
    with apache(served, served / "public", body) as port:
        assert headers(port) == EXPECTED


@given(st.text(st.characters(exclude_categories=["Cs"]), min_size=1))
@example("noindex")
def test_no_path_can_end_its_string_or_its_line(path):
    expression = path_expression("/" + quote(path))
    assert set(expression) <= set(
        "^$/\\-_ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789"
    )
    for write, more in ((nginx_http, 1), (apache_server, 3), (apache_folder, 1)):
        filled = write({"": {path: "noindex"}})
        assert len(filled) == len(write({})) + more
        assert not any("\n" in line for line in filled)


def test_a_value_that_is_no_header_is_refused():
    with pytest.raises(ValueError, match="cannot be a header"):
        nginx_http({"": {"/a": 'noindex"; return 444; #'}})
