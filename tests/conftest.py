"""What tests share: the installed command, small sites in temporary folders, the sample site."""

from __future__ import annotations

import json
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
from dataclasses import dataclass
from datetime import UTC, datetime
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

from jovial_atlas.demo.builder import URL
from jovial_atlas.demo.site import lay_out
from jovial_atlas.pages import schema, snapshot
from jovial_atlas.rounds.reading.all_sources import SurveyOptions
from jovial_atlas.rounds.reading.survey import run_survey
from jovial_atlas.sitefile import read_site_file
from jovial_atlas.web import new_client
from tests.loaded import Loaded

# How long an example takes is for the benches; tests hold whatever else the machine does.
settings.register_profile("atlas", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("atlas")

#: The time of what is worked out alone; and of whatever reads files, which the machine dates.
NOW = datetime(2026, 11, 23, 10, 0, tzinfo=UTC)
TODAY = datetime.now(UTC).replace(microsecond=0)
COMMAND = str(Path(sys.executable).with_name("jovial-atlas"))


@dataclass(frozen=True)
class Ran:
    """What a command gave back."""

    code: int
    out: str
    err: str

    @property
    def json(self):
        return json.loads(self.out)


# A shell that starts the tests in its background has them ignore interrupts, and their commands too.
signal.signal(signal.SIGINT, signal.default_int_handler)

_LOADED = Loaded()


def run_command(
    *arguments: str, cwd: Path, env: dict[str, str] | None = None, fresh: bool = False
) -> Ran:
    """Run the command in a folder; a traceback fails the test at once. It is a process of its own,
    made from one that has loaded what commands need; `fresh` starts the installed command."""
    clean = {key: value for key, value in os.environ.items() if key != "NO_COLOR"} | (env or {})
    if not fresh:
        told = _LOADED.run(cwd, arguments, clean)
        assert "Traceback" not in told["err"], told["err"]
        return Ran(**told)
    done = subprocess.run(
        [COMMAND, *arguments],
        cwd=cwd,
        env=clean,
        capture_output=True,
        text=True,
        timeout=1_200,
        check=False,
        stdin=subprocess.DEVNULL,
    )
    assert "Traceback" not in done.stderr, done.stderr
    return Ran(done.returncode, done.stdout, done.stderr)


@pytest.fixture
def atlas(tmp_path: Path):
    """`atlas("survey", …)` runs the installed command in the test's folder."""

    def run(*arguments: str, env: dict[str, str] | None = None) -> Ran:
        return run_command(*arguments, cwd=tmp_path, env=env)

    return run


def page(title: str = "Title", body: str = "<p>Some words.</p>", head: str = "") -> str:
    """A small whole page."""
    named = f"<title>{title}</title>" if title else ""
    return (
        f'<!doctype html><html lang="en"><head><meta charset="utf-8">{named}{head}</head>'
        f"<body><main><h1>{title}</h1>{body}</main></body></html>"
    )


def write_site(folder: Path, pages: dict[str, str], more: str = "", stage: str = "live") -> Path:
    """Pages by file name into `folder/public`, and a site file that reads them."""
    for name, text in pages.items():
        place = folder / "public" / name
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text(text, "utf-8")
    site_file = folder / "atlas.toml"
    site_file.write_text(
        f'[site]\nurl = "{URL}"\nstage = "{stage}"\n\n'
        f'[[source]]\nkind = "html"\npath = "public"\n\n{more}',
        "utf-8",
    )
    return site_file


@pytest.fixture(scope="session")
def _built_marrowfen(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("sample")
    lay_out(folder / "public", datetime.now(UTC))
    assert run_command("init", "--yes", "--url", URL, "--html", "public", cwd=folder).code == 0
    for command in ("survey", "build"):
        assert run_command(command, cwd=folder).code == 0
    return folder


@pytest.fixture
def marrowfen(_built_marrowfen: Path, tmp_path: Path) -> Path:
    """The sample site, set up, surveyed and built; a copy for each test."""
    return Path(shutil.copytree(_built_marrowfen, tmp_path / "marrowfen"))


SITE_HEAD = f'[site]\nurl = "{URL}"\n\n'


@pytest.fixture
def survey(tmp_path):
    """`survey('kind = "table"…')` surveys one source, or several parted by `---`; gives the
    page table as {path of address: row} and the faults as (code, where)."""

    def run(sources, environment=None, more="", full=False, now=TODAY):
        text = SITE_HEAD + more + "".join(f"[[source]]\n{one}\n" for one in sources.split("---"))
        (tmp_path / "atlas.toml").write_text(text, "utf-8")
        site = read_site_file(tmp_path / "atlas.toml")
        with new_client(5) as client:
            done = run_survey(site, now, client, SurveyOptions(environment or {}, full))
        table = snapshot.load(site.state / "pages.parquet")
        run.changes, run.messages = done.changes, [fault.message for fault in done.faults]
        rows = {row["loc"].removeprefix(URL): row for row in schema.complete(table).to_dicts()}
        return rows, [(fault.code, fault.where) for fault in done.faults]

    return run


@pytest.fixture(scope="session")
def postgresql():
    """A PostgreSQL cluster of its own, on a socket in a temporary folder."""
    programs = sorted(p for p in map(str, Path("/usr/lib/postgresql").glob("*/bin")))
    assert programs, "PostgreSQL is missing; on Debian: apt-get install postgresql"
    folder = Path(tempfile.mkdtemp(prefix="cluster-"))
    password = folder / "password"
    password.write_text("secret")
    as_user = []
    if os.geteuid() == 0:
        for place in (folder, password):
            shutil.chown(place, "postgres")
        as_user = ["setpriv", "--reuid=postgres", "--regid=postgres", "--clear-groups"]

    def run(program, *arguments):
        subprocess.run([*as_user, f"{programs[-1]}/{program}", "-D", f"{folder}/data", *arguments],
                       check=True, cwd=folder, capture_output=True, timeout=60,
                       env={**os.environ, "LC_ALL": "C.UTF-8"})  # fmt: skip

    run("initdb", "-U", "postgres", "--auth=scram-sha-256", f"--pwfile={password}")
    options = f"-c listen_addresses= -k {folder}"
    run("pg_ctl", "-w", "-l", f"{folder}/log", "-o", options, "start")
    yield f"postgresql://postgres@/postgres?host={folder}"
    run("pg_ctl", "-m", "immediate", "stop")
    shutil.rmtree(folder)


@pytest.fixture(scope="module")
def hostile():
    """A server that does what servers should not, in the manner that is set."""
    from tests.hostile import Hostile

    server = Hostile()
    yield server
    server.close()


class Web:
    """A small server on loopback whose answers are a table: path → (status, headers, body)."""

    def __init__(self):
        self.answers = {}
        self.asked = []
        web = self

        class Handler(BaseHTTPRequestHandler):
            def do_GET(self):
                web.asked.append((self.path, dict(self.headers)))
                status, headers, body = web.answers.get(self.path, (404, {}, b"gone"))
                if headers.get("ETag") and self.headers.get("If-None-Match") == headers["ETag"]:
                    status, body = 304, b""
                self.send_response(status)
                for key, value in headers.items():
                    self.send_header(key, value)
                if "Content-Length" not in headers:
                    self.send_header("Content-Length", str(len(body)))
                self.end_headers()
                self.wfile.write(body)

            def log_message(self, *_):
                pass

        self.server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.url = f"http://127.0.0.1:{self.server.server_port}"
        threading.Thread(target=self.server.serve_forever, daemon=True).start()

    def page(self, path, body="", head="", **headers):
        self.answers[path] = (
            200,
            {"Content-Type": "text/html", **headers},
            page(path, body, head).encode(),
        )


@pytest.fixture
def web():
    web = Web()
    yield web
    web.server.shutdown()
    web.server.server_close()
