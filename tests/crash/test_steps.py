"""Every command that writes, ended at its file-system steps as by kill -9, and with steps that fail.

After each: what is public is wholly old or wholly new, file by file, and an index lists only what is
there; the command run again comes to what it would have come to; nothing is left on its way. Every
few steps here; all of them with `make soak` (ATLAS_SOAK=1).
"""

import errno
import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from lxml import etree

from tests.conftest import SITE_HEAD, page, run_command

SOAK = bool(os.environ.get("ATLAS_SOAK"))
ERRORS = (errno.ENOSPC, errno.EROFS, errno.EACCES)
ENGINE = (
    '[[engine]]\nname = "L"\nchannels = [{ kind = "indexnow", endpoint = "http://127.0.0.1:9/" }]\n'
    'exports = [{ kind = "sitemaps", columns = { loc = "Address", found = "Found" } }]\n'
)
SITE = (
    SITE_HEAD + '[overrides]\nfile = "overrides.csv"\n[sitemap]\nmax_urls = 2\n[tend]\nlook = "0"\n'
    '[[source]]\nkind = "html"\npath = "public"\n\n' + ENGINE
)  # fmt: skip


class Server:
    """Runs commands in copies of a process that is loaded."""

    def __init__(self, folder: Path) -> None:
        shim = folder / "steps.so"
        source = Path(__file__).with_name("steps.c")
        subprocess.run(["cc", "-shared", "-fPIC", "-O1", "-o", shim, source, "-ldl"], check=True)
        self.process = subprocess.Popen(
            [sys.executable, "-m", "tests.crash.server", shim], stdin=subprocess.PIPE,
            stdout=subprocess.PIPE, text=True, cwd=Path(__file__).parents[2],
            env={**os.environ, "LD_PRELOAD": str(shim)},
        )  # fmt: skip

    def run(self, folder: Path, argv, at=0, error=0):
        job = {"folder": str(folder), "argv": list(argv), "at": at, "error": error}
        print(json.dumps(job), file=self.process.stdin, flush=True)
        return json.loads(self.process.stdout.readline())


@pytest.fixture(scope="module")
def server(tmp_path_factory):
    made = Server(tmp_path_factory.mktemp("shim"))
    yield made
    made.process.stdin.close()
    made.process.wait(10)


@pytest.fixture(scope="module")
def site(tmp_path_factory) -> Path:
    """A site that was built once, with a change that was not surveyed yet, and what commands take."""
    folder = tmp_path_factory.mktemp("site") / "s"
    (folder / "public").mkdir(parents=True)
    for number in range(5):
        (folder / f"public/{number}.html").write_text(page(f"Page {number}"))
    (folder / "atlas.toml").write_text(SITE)
    for command in ("survey", "build"):
        assert run_command(command, cwd=folder).code == 0
    (folder / "edit.csv").write_text("loc,title\n/0.html,Other\n")
    (folder / "export.csv").write_text("Address,Found\nhttps://www.marrowfen.example/sitemap.xml,3\n")
    (folder / "public/0.html").write_text(page("Page 0", "<p>Changed.</p>"))
    (folder / "public/new.html").write_text(page("New"))
    (folder / "public/4.html").unlink()
    return folder


#: Command → what is run before it, and its exit code.
COMMANDS = {
    "survey": ((), 0),
    "build": (("survey",), 0),
    "inject": (("survey",), 0),
    "inject --remove": (("survey", "inject"), 0),
    "rules add --match /1.html --set listed=no --yes": ((), 0),
    "pages --take edit.csv": ((), 0),
    "hear --engine L export.csv": ((), 0),
    "submit --timeout 1": ((), 1),
    "tend --timeout 1": ((), 0),
    "ledger export out": (("submit --timeout 1",), 0),
    "init --yes --replace --url https://www.marrowfen.example --html public": ((), 0),
}


@pytest.mark.slow
@pytest.mark.parametrize("command", COMMANDS)
def test_a_command_that_is_ended_or_fails_anywhere_loses_nothing(server, site, tmp_path, command):
    before, code = COMMANDS[command]
    start = Path(shutil.copytree(site, tmp_path / "start"))
    for one in before:
        server.run(start, one.split())
    reference = Path(shutil.copytree(start, tmp_path / "reference"))
    clean = server.run(reference, command.split())
    assert clean["code"] == code, clean
    old, new = files_of(start), files_of(reference)
    steps = clean["steps"]
    assert steps > 2
    every = 1 if SOAK else max(1, steps // 6)
    for at in range(1, steps + 1, every):
        for error in (0, *(ERRORS if SOAK else ERRORS[at % 3 : at % 3 + 1])):
            folder = Path(shutil.copytree(start, tmp_path / "case"))
            ran = server.run(folder, command.split(), at, error)
            where = f"step {at} of {steps}, {errno.errorcode.get(error, 'kill')}: {ran}"
            assert "Traceback" not in ran["err"], where
            # A round whose step fails ends with 1, and says which.
            failed = (1, 2) if command.startswith("tend") else (2,)
            assert ran["code"] in ((-9, code) if not error else (*failed, code)), where
            if ran["code"] == 2:
                assert ran["err"].startswith("jovial-atlas: ") and ran["err"].count("\n") == 1, where
            now = files_of(folder)
            odd = [p for p in now if now[p] not in (old.get(p), new.get(p)) and is_kept(p)]
            assert odd == [], where
            index_is_whole(folder, where)
            done = now.get("atlas.toml") == new["atlas.toml"] != old["atlas.toml"]
            if done and command.startswith("rules"):
                # To add a rule once more would add it twice; any other command tidies up.
                server.run(folder, ["undo"])
            else:
                again = server.run(folder, command.split())
                assert again["code"] == code, f"{where}; again: {again}"
                healed = files_of(folder)
                assert {p for p in healed if is_kept(p)} == {p for p in new if is_kept(p)}, where
                assert all(healed[p] == new[p] for p in new if is_kept(p)), where
            left = list(folder.rglob(".atlas-*"))
            assert left == [], where
            shutil.rmtree(folder)


def files_of(folder: Path) -> dict[str, bytes]:
    return {
        path.relative_to(folder).as_posix(): path.read_bytes()
        for path in folder.rglob("*")
        if path.is_file() and ".jovial-atlas" not in path.parts
    }


def is_kept(path: str) -> bool:
    """Whether a file is the same after each run: records have times in them, and a key is random."""
    name = path.rpartition("/")[2]
    return not (
        ".atlas-" in path or len(name) == 36 or path.startswith("out/")
        or name == "report.html"
    )  # fmt: skip


def index_is_whole(folder: Path, where: str) -> None:
    index = folder / "public/sitemap.xml"
    if index.exists():
        for loc in etree.fromstring(index.read_bytes()).findall(".//{*}loc"):
            listed = folder / "public" / loc.text.rpartition("/")[2]
            assert etree.fromstring(listed.read_bytes()) is not None, where
