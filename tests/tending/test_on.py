"""Rounds one after the other by the installed command: by time, by change, by signals."""

from __future__ import annotations

import json
import os
import queue
import signal
import socket
import subprocess
import threading
from pathlib import Path

import pytest

from jovial_atlas.cli.tend_on import is_far
from tests.conftest import COMMAND, page, run_command, write_site
from tests.tending.world import World

_LONG = 120.0
MORE = '[tend]\nlook = "0"\n'


class Tending:
    """`tend` that goes on, and the rounds that it tells."""

    def __init__(self, folder: Path, *options: str, env: dict[str, str] | None = None) -> None:
        self.rounds: queue.Queue = queue.Queue()
        self.process = subprocess.Popen(
            [COMMAND, "tend", *options, "--format", "json"], cwd=folder, stdout=subprocess.PIPE,
            stderr=subprocess.PIPE, text=True, env={**os.environ, **(env or {})},
        )  # fmt: skip
        self._reader = threading.Thread(target=self._read, daemon=True)
        self._reader.start()

    def _read(self) -> None:
        for line in self.process.stdout:
            self.rounds.put(json.loads(line))

    def next(self) -> dict:
        return self.rounds.get(timeout=_LONG)

    def end(self, how: int = signal.SIGTERM) -> int:
        self.process.send_signal(how)
        code = self.process.wait(_LONG)
        self._reader.join(_LONG)
        assert self.process.stderr.read() == ""
        return code


@pytest.fixture
def site(tmp_path: Path) -> Path:
    names = ("index.html", "a.html", "b.html")
    write_site(tmp_path, {name: page(name, "<p>Words about reeds.</p>") for name in names}, MORE)
    return tmp_path


def test_a_round_begins_when_content_changes_and_a_burst_is_one(site, tmp_path):
    tending = Tending(site, "--watch", "--settle", "1s")
    try:
        assert tending.next()["changes"]["added"] == 3
        for number in range(20):
            (site / f"public/new-{number}.html").write_text(page(f"New {number}", "<p>Water.</p>"))
        assert tending.next()["changes"]["added"] == 20
        text = (site / "atlas.toml").read_text()
        (site / "atlas.toml").write_text(text + '[[rule]]\nmatch = "/a.html"\nset = { listed = false }\n')
        assert tending.next()["state"] == "done"
        (site / "atlas.toml").write_text("[sit]\n")
        assert tending.next()["steps"][0]["name"] == "settings"
        (site / "atlas.toml").write_text(text)
        assert tending.next()["state"] == "done"
        assert tending.rounds.empty(), "what rounds write themselves begins none"
    finally:
        code = tending.end()
    assert code == 0
    assert b"/a.html" in (site / "public/sitemap-pages-1.xml").read_bytes()


def test_signals_wake_and_end_it_and_the_service_manager_is_told(site, tmp_path):
    place = tmp_path / "notify"
    with socket.socket(socket.AF_UNIX, socket.SOCK_DGRAM) as manager:
        manager.bind(str(place))
        manager.settimeout(_LONG)
        tending = Tending(site, "--every", "1h", env={"NOTIFY_SOCKET": str(place)})
        try:
            assert manager.recv(200) == b"READY=1"
            assert tending.next()["state"] == "done"
            assert manager.recv(200) == b"STATUS=Tending; the last round went well."
            tending.process.send_signal(signal.SIGHUP)
            assert tending.next()["state"] == "nothing"
            assert manager.recv(200).startswith(b"STATUS=")
        finally:
            code = tending.end(signal.SIGINT)
        assert (code, manager.recv(200)) == (0, b"STOPPING=1")


def test_one_round_at_a_time_runs(site):
    from filelock import FileLock

    assert run_command("tend", cwd=site).code == 0
    with FileLock(site / ".jovial-atlas/ledger.sqlite-tend.lock"):
        busy = run_command("tend", "--format", "json", cwd=site)
        assert (busy.code, busy.json["state"]) == (0, "nothing")
        assert "Another command has the ledger" in busy.json["steps"][0]["detail"]
    assert len(run_command("tend", "log", "--format", "json", cwd=site).json["rounds"]) == 1


def test_nothing_grows_with_rounds(tmp_path):
    world = World(tmp_path / "site")
    world.write({f"/{n}/": "2025-12-01" for n in range(5)})
    counts = []
    for number in range(30):
        if number % 5 == 0:
            world.write({f"/{n}/": f"2026-01-{n + 1:02}" for n in range(number % 7 + 3)})
        world.tend()
        counts.append(len(list(Path("/proc/self/fd").iterdir())))
    assert max(counts[5:]) <= counts[4]
    assert len(list((world.folder / ".jovial-atlas").glob(".atlas-*"))) == 0


def test_quiet_rounds_say_only_what_matters(site):
    assert run_command("--quiet", "tend", cwd=site).out == "Round 1: Done.\n"
    states = [run_command("tend", "--format", "json", cwd=site).json["state"] for _ in range(3)]
    assert states[-1] == "nothing"
    assert run_command("--quiet", "tend", cwd=site).out == ""


def test_health_and_log_by_the_installed_command(site):
    never = run_command("tend", "--health", "--format", "json", cwd=site)
    assert (never.code, never.json["state"], never.json["last_round"]) == (1, "never", None)
    assert run_command("tend", cwd=site).code == 0
    well = run_command("tend", "--health", "--within", "1h", "--format", "json", cwd=site)
    assert (well.code, well.json["state"], well.json["notices"]) == (0, "well", [])
    (site / "atlas.toml").write_text((site / "atlas.toml").read_text() + '[[rule]]\nmatch = "/**"\nset = { index = false }\n')
    held = run_command("tend", cwd=site)
    assert held.code == 1
    assert "guard   held" in held.out
    health = run_command("tend", "--health", cwd=site)
    assert health.code == 1
    assert "may not be indexed" in health.out
    log = run_command("tend", "log", cwd=site).out
    assert "guard: 3 of 3 pages may not be indexed" in log
    assert run_command("tend", "log", "2", cwd=site).code == 0
    assert "There is no round 9" in run_command("tend", "log", "9", cwd=site).err


def test_a_rehearsal_touches_nothing_and_says_what_would_be(site):
    more = (
        '[[engine]]\nname = "L"\nchannels = [{ kind = "indexnow", endpoint = "http://127.0.0.1:9/" }]\n'
        '[publish]\nrun = ["touch", "published"]\n[[tell]]\nkind = "file"\npath = "told"\n'
    )
    (site / "atlas.toml").write_text((site / "atlas.toml").read_text() + more)
    before = sorted(site.rglob("*"))
    ran = run_command("tend", "--rehearse", "--format", "json", cwd=site)
    assert (ran.code, ran.json["state"]) == (0, "done"), ran.err
    assert "public/sitemap.xml" in ran.json["would_publish"]
    assert len([one for one in ran.json["would_announce"] if one.endswith(".html")]) == 2
    assert [one for one in sorted(site.rglob("*")) if one not in before] == []
    with (site / "atlas.toml").open("a") as file:
        file.write('[[rule]]\nmatch = "/**"\nset = { index = false }\n')
    held = run_command("tend", "--rehearse", "--format", "json", cwd=site)
    assert held.code == 1, held.err
    assert held.json["state"] == "held"
    assert "file told: " in held.json["would_tell"][0]


def test_folders_on_other_machines_are_known_by_their_mounts(monkeypatch):
    mounts = "proc /proc proc rw 0 0\nsrv:/x /mnt/web nfs4 rw 0 0\n/dev/a / ext4 rw 0 0\n"
    monkeypatch.setattr(Path, "read_text", lambda *_: mounts)
    monkeypatch.setattr(Path, "resolve", lambda self: self)
    assert [is_far(Path(one)) for one in ("/mnt/web/site", "/mnt/webs", "/srv")] == [True, False, False]


def test_the_report_shows_the_rounds_and_what_needs_somebody(site):
    assert run_command("tend", cwd=site).code == 0
    with (site / "atlas.toml").open("a") as file:
        file.write('[[rule]]\nmatch = "/**"\nset = { index = false }\n')
    assert run_command("tend", cwd=site).code == 1
    assert run_command("report", "--to", "r.html", cwd=site).code == 0
    text = (site / "r.html").read_text()
    rounds = text[text.index('id="rounds"') :]
    assert "3 added" in rounds and "guard: 3 of 3 pages may not be indexed" in rounds
    assert rounds.index("What needs somebody") < rounds.index("The latest rounds")
