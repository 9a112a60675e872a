"""Another installed package adds a source, a channel and a check: the example, as people install it."""

import json
import subprocess
import sys
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from threading import Thread

import pytest

from tests.conftest import run_command

EXAMPLE = Path(__file__).parents[2] / "examples" / "station"
SITE = """
[site]
name = "Marrowfen Bird Station"
url = "https://birds.marrowfen.example"
[[source]]
kind = "package"
package = "sightings"
settings = {{ file = "sightings.jsonl" }}
url = "/sightings/{{ring}}/"
columns = {{ title = "bird", lastmod = "seen" }}
[[engine]]
name = "parish"
[[engine.channels]]
kind = "package"
package = "notice-board"
settings = {{ address = "{board}" }}
"""
LINES = [
    {"ring": "M-101", "bird": "Bearded reedling", "seen": "2026-10-04"},
    {"ring": "M-102", "bird": "BITTERN BOOMING", "seen": "2026-10-05"},
]


@pytest.fixture(scope="module")
def installed(tmp_path_factory):
    """The environment in which the example is installed."""
    folder = tmp_path_factory.mktemp("installed")
    pip = [sys.executable, "-m", "pip", "install", "--quiet", "--no-deps", "--no-build-isolation"]
    subprocess.run([*pip, "--target", str(folder), str(EXAMPLE)], check=True, timeout=1_200)
    return {"PYTHONPATH": str(folder)}


@pytest.fixture
def board():
    """A notice board that keeps what it is told."""
    notes = []

    class Board(BaseHTTPRequestHandler):
        def do_POST(self):
            notes.append(json.loads(self.rfile.read(int(self.headers["Content-Length"]))))
            self.send_response(201)
            self.end_headers()

        def log_message(self, *_):
            pass

    server = HTTPServer(("127.0.0.1", 0), Board)
    Thread(target=server.serve_forever, daemon=True).start()
    yield f"http://127.0.0.1:{server.server_port}/notes", notes
    server.shutdown()


def test_the_example_package_adds_a_source_a_channel_and_a_check(tmp_path, installed, board):
    address, notes = board

    def atlas(*arguments):
        return run_command(*arguments, cwd=tmp_path, env=installed, fresh=True)

    (tmp_path / "atlas.toml").write_text(SITE.format(board=address))
    lines = tmp_path / "sightings.jsonl"
    lines.write_text("".join(f"{json.dumps(line)}\n" for line in LINES))
    assert atlas("survey").code == 0
    assert atlas("build").code == 0
    pages = atlas("pages", "--format", "json").json
    assert [page["loc"].rpartition(".example")[2] for page in pages] == [
        "/sightings/M-101/", "/sightings/M-102/",
    ]  # fmt: skip
    findings = atlas("check", "--only", "title-loud", "--format", "json").json["findings"]
    assert [finding["severity"] for finding in findings] == ["advice"]
    assert "A title is all in capitals" in atlas("check", "--all").out
    brief = atlas("check", "--brief").out
    assert "A title is all in capitals" in brief
    assert "do:" not in brief
    assert atlas("submit").code == 0
    changed = [loc for note in notes for loc in note["changed"]]
    names = ["sitemap.xml", "sitemap-pages-1.xml"]
    assert changed == [f"https://birds.marrowfen.example/{name}" for name in names]
    # What was taken is not said again; what the ledger keeps of it is shown.
    assert atlas("submit").code == 0 and len(notes) == 2
    assert "not announced" not in atlas("status").out
    lines.write_text("{\n")
    assert atlas("survey").code == 0
    (finding,) = atlas("check", "--only", "source-broken", "--format", "json").json["findings"]
    assert "sightings.jsonl:1 is no JSON" in finding["message"]


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ('"sightings"', '"sitings"', "no installed package adds 'sitings'"),
        ("file =", "files =", "settings"),
        ('"notice-board"', '"pinboard"', "those that are added: notice-board"),
    ],
)
def test_a_wrong_name_or_setting_is_told_at_its_place(tmp_path, installed, old, new, told):
    site = SITE.format(board="http://127.0.0.1:9/notes").replace(old, new)
    (tmp_path / "atlas.toml").write_text(site)
    ran = run_command("survey", cwd=tmp_path, env=installed, fresh=True)
    assert ran.code == 2 and told in ran.err and "atlas.toml:" in ran.err
