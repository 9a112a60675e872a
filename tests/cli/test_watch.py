"""Announcing and watching with the installed command, against stand-ins over loopback."""

import json
import os
import signal
import subprocess
import time
from collections import Counter
from urllib.parse import quote

import httpx
import pytest

from jovial_atlas.standin import server
from jovial_atlas.standin.clock import Clock
from jovial_atlas.standin.engine import SimulatedEngine
from jovial_atlas.standin.scenario import Scenario, Trouble
from jovial_atlas.standin.server import Serving, engine_app, listen
from jovial_atlas.standin.site import ServedSite
from jovial_atlas.standin.web import LoopbackWeb
from tests.conftest import COMMAND, page, run_command, write_site

HOST = "www.marrowfen.example"
SITE = f"https://{HOST}"
CHANNELS = """
[[engine]]
name = "%(name)s"
crawlers = ["%(name)sbot"]
channels = [
  { kind = "indexnow", endpoint = "%(at)s/indexnow" },
  { kind = "call", name = "submit-sitemap", method = "PUT", url = "%(at)s/sites/{site}/sitemaps/{sitemap}" },
  { kind = "call", name = "remove-sitemap", method = "DELETE", url = "%(at)s/sites/{site}/sitemaps/{sitemap}" },
  { kind = "call", name = "read-sitemaps", method = "GET", url = "%(at)s/sites/{site}/sitemaps" },
  { kind = "call", name = "read-pages", method = "GET", url = "%(at)s/sites/{site}/pages", next = "next" },
  { kind = "call", name = "read-page", method = "GET", url = "%(at)s/sites/{site}/pages/{page}" },
]
"""
WORDS = "<p>Words of page {0}, {0} and {0} again, enough of them for anybody who reads.</p>"


class World:
    """A site of a few pages, served, and engines that look at it."""

    def __init__(self, folder):
        self.folder = folder
        self.clock = Clock()
        names = ["index", "notes/a", "notes/b", "notes/c", "tags/x"]
        pages = {f"{name}.html": page(name, WORDS.format(name)) for name in names}
        write_site(folder, pages, '[[section]]\nname = "notes"\nmatch = "/notes/**"\n')
        self.served = ServedSite(folder / "public", folder / "access.log", self.clock)
        self.serving = [Serving(self.served, listen(0)).start()]
        self.engines = []

    def engine(self, name, **rules):
        """One more engine, in the site file as well."""
        web = LoopbackWeb({HOST: self.serving[0].address}, f"{name}bot")
        engine = SimulatedEngine(name, f"{name}bot", web, Scenario(**rules), clock=self.clock)
        self.serving.append(Serving(engine_app(engine), listen(0)).start())
        self.engines.append(engine)
        at = f"http://{self.serving[-1].address}"
        with (self.folder / "atlas.toml").open("a") as stream:
            stream.write(CHANNELS % {"name": name, "at": at})
        return engine

    def run(self, *arguments, code=0, **env):
        now = self.clock.present().isoformat()
        ran = run_command(*arguments, cwd=self.folder, env={"JOVIAL_ATLAS_NOW": now, **env})
        assert ran.code == code, ran.err or ran.out
        return ran

    def json(self, *arguments, **how):
        return self.run(*arguments, "--format", "json", **how).json

    def build(self):
        self.run("survey")
        self.run("build")

    def forward(self, hours):
        self.clock.forward(hours)
        for engine in self.engines:
            engine.play()

    def start(self, *arguments, **env):
        """The command, running by itself."""
        return subprocess.Popen(
            [COMMAND, *arguments], cwd=self.folder, env={**os.environ, **env},
            stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        )  # fmt: skip

    def status(self, number=0):
        return self.json("status")["engines"][number]


@pytest.fixture
def world(tmp_path):
    found = World(tmp_path)
    yield found
    for one in found.serving:
        one.stop()


def until(truth, seconds=40):
    deadline = time.monotonic() + seconds
    while not truth():
        assert time.monotonic() < deadline, "it did not come to pass"
        time.sleep(0.02)


def outcomes(said):
    return [(one["channel"], one["status"]) for one in said["announcements"]]


@pytest.mark.slow
@pytest.mark.parametrize("taken", [False, True])
@pytest.mark.parametrize("on", ["indexnow", "sitemaps"])
def test_a_submit_that_is_killed_is_settled_and_nothing_goes_twice(world, taken, on, monkeypatch):
    """Killed while the engine is slow, before or after it took the message."""
    arrived = []

    async def play(*asked, played=server._play):
        arrived.append(asked)
        return await played(*asked)

    monkeypatch.setattr(server, "_play", play)
    engine = world.engine("L", trouble=(Trouble(on=on, hang=90, taken=taken, times=1),))
    world.build()
    running = world.start("submit", "--timeout", "120")
    channel = {"indexnow": "indexnow", "sitemaps": "submit-sitemap"}[on]

    def is_sent():
        told = world.json("ledger", "show")["announcements"]
        return [one["status"] for one in told if one["channel"] == channel] == ["intended"]

    until(is_sent)
    if taken:
        what = {"indexnow": "addresses", "sitemaps": "sitemap"}[on]
        until(lambda: what in [one["what"] for one in engine.messages()])
    until(lambda: arrived)
    running.send_signal(signal.SIGKILL)
    running.wait()
    running.stdout.close()
    running.stderr.close()
    assert "broke off with no known outcome" in " ".join(world.status()["next"])
    planned = world.json("submit", "--dry-run")
    assert (channel, "unknown") in outcomes(planned)
    said = world.json("submit")
    assert outcomes(said)[0] == (channel, "taken" if taken else "lost")
    sent = Counter((one["what"], one["loc"]) for one in engine.messages())
    assert set(sent.values()) == {1}, sent
    assert world.json("submit") == {"announcements": []}


@pytest.mark.parametrize(
    ("trouble", "code", "status", "taken"),
    [
        ({"half": True}, 0, "taken", 1),
        ({"hang": 3, "taken": True}, 1, "unknown", 1),
        ({"hang": 3}, 1, "unknown", 0),
        ({"status": 429, "retry_after": 900}, 1, "refused", 0),
        ({"status": 503}, 1, "failed", 0),
    ],
)
def test_what_engines_do_to_a_message_is_told_truly(world, trouble, code, status, taken):
    engine = world.engine("L", trouble=(Trouble(on="indexnow", times=3, **trouble),))
    world.build()
    said = world.json("submit", "--timeout", "1", code=code)
    assert outcomes(said)[0] == ("indexnow", status)
    time.sleep(0.1 if trouble.get("hang") is None else 2.2)
    took = [one for one in engine.messages() if one["what"] == "addresses"]
    assert len(took) >= taken
    if not trouble.get("hang"):
        assert len(took) == taken


@pytest.mark.slow
@pytest.mark.parametrize("shared", [False, True])
def test_two_submits_at_once_never_announce_the_same(world, request, shared):
    """On one file, and on one PostgreSQL server as from two machines."""
    engine = world.engine("L", trouble=(Trouble(hang=0.4),))
    env = {}
    if shared:
        env = {"PW": "secret"}
        where = request.getfixturevalue("postgresql")
        with (world.folder / "atlas.toml").open("a") as stream:
            stream.write(f'\n[ledger]\nconnect = "{where}"\npassword_env = "PW"\n')
    world.run("survey")
    world.run("build", **env)
    pair = [world.start("submit", "--format", "json", **env) for _ in range(2)]
    said = []
    for one in pair:
        out, err = one.communicate(timeout=60)
        assert one.returncode == 0, err
        said.append(json.loads(out)["announcements"])
    assert sorted(len(some) for some in said) == [0, 4]
    sent = Counter((one["what"], one["loc"]) for one in engine.messages())
    assert set(sent.values()) == {1}, sent
    if shared:
        assert not (world.folder / ".jovial-atlas/ledger.sqlite").exists()
        assert "secret" not in world.run("ledger", "show", **env).out
        told = world.run("status", code=2, PW="wrong")
        assert ("authentication failed" in told.err, "wrong" in told.err) == (True, False)
        assert "PW holds no password" in world.run("status", code=2).err


@pytest.mark.slow
def test_a_record_moves_from_a_file_to_a_server(world, postgresql):
    world.engine("L")
    world.build()
    world.run("submit")
    moved = world.json("ledger", "export", "out")["folders"]["out"]
    assert (moved["announcement"], moved["heard"], moved["built"]) == (4, 7, 2)
    host = "other.marrowfen.example"
    text = (world.folder / "atlas.toml").read_text().replace(HOST, host)
    where = postgresql.replace("postgres@", "postgres:secret@")
    (world.folder / "atlas.toml").write_text(f'{text}\n[ledger]\nconnect = "{where}"\n')
    assert world.json("ledger", "import", "out")["folders"]["out"] == moved
    assert len(world.json("ledger", "show")["announcements"]) == 4
    refused = world.run("ledger", "import", "out", code=2)
    assert "history is not rewritten" in refused.err
    assert "secret" not in refused.err


def test_what_is_known_of_pages_stands_behind_the_numbers(world):
    world.engine("L", crawl_announced_after=5)
    world.build()
    world.run("submit")
    world.forward(24)
    world.served.fields["/notes/b"] = {"X-Robots-Tag": "noindex"}
    world.forward(24 * 8)
    state = world.status()
    notes = next(one for one in state["sections"] if one["name"] == "notes")
    assert (notes["found"], notes["indexed"], notes["reasons"]) == (3, 2, {"noindex": 1})
    assert "notes: 2 of 3 indexed; 1 noindex." in state["next"]
    out = world.json("status", "--pages", "left-out", "--section", "notes")["pages"]
    assert [(one["loc"], one["reason"]) for one in out] == [(f"{SITE}/notes/b.html", "noindex")]
    world.run("logs", "access.log")
    for which, count in (
        ("all", 4),
        ("indexed", 3),
        ("unknown", 0),
        ("unannounced", 0),
        ("unvisited", 0),
    ):
        assert len(world.json("status", "--pages", which, "--offline")["pages"]) == count, which
    (one,) = world.json("status", "/notes/b.html")["pages"]
    assert (one["engine"], one["indexed"], one["visit_status"]) == ("L", False, 200)
    assert one["announced_at"] < one["last_crawl"]
    rows = world.run("status", "/notes/b.html", "--format", "csv").out.splitlines()
    assert rows[1].startswith(f"L,{SITE}/notes/b.html,notes,")
    assert "/notes/b.html" in world.run("status", "/notes/b.html").out
    for wrong, words in (
        (("status", "/nowhere/"), "is not listed"),
        (("status", "--section", "notes"), "belongs to --pages"),
        (("status", "--pages", "all", "--section", "nots"), "did you mean 'notes'? All of them: notes, pages"),
        (("ledger", "show", "--engine", "M"), "is no engine"),
    ):
        assert words in world.run(*wrong, code=2).err


def test_changes_count_from_the_last_time_on_another_day(world):
    world.engine("L", pages_per_day=2)
    world.build()
    world.run("submit")
    world.engines[0].play()
    first = world.status()
    assert (first["since"], first["sitemaps"][0]["change"]) == (None, None)
    world.forward(24)
    second = world.status()
    again = world.status()
    for state in (second, again):
        assert (state["since"][:10], state["sitemaps"][0]["change"]) == (
            world.clock.present().fromtimestamp(world.clock.present().timestamp() - 86_400).strftime("%Y-%m-%d"), 2
        )  # fmt: skip
    shown = world.run("status", "--offline").out
    assert "+2" in shown
    assert world.run("status", "--offline", "--format", "csv").out.startswith("engine,loc,section,")


def test_a_sitemap_that_one_engine_lost_is_told_and_announced_again(world):
    lost = world.engine("L")
    world.engine("M")
    world.build()
    world.run("submit")
    world.forward(30)
    world.status()
    lost.drop_sitemap(SITE, f"{SITE}/sitemap-notes-1.xml")
    world.forward(30)
    state = world.status()
    (one,) = [one for one in state["sitemaps"] if one["state"] == "lost"]
    assert one["loc"].endswith("/sitemap-notes-1.xml")
    (step,) = [one for one in state["next"] if "does not list it" in one]
    assert "though M knows it" in step
    command = step.partition("`jovial-atlas ")[2].partition("`")[0].split()
    said = world.json(*command)
    assert [(one["engine"], *pair) for one, pair in zip(said["announcements"], outcomes(said), strict=True)] == [
        ("L", "submit-sitemap", "taken")
    ]  # fmt: skip
    world.forward(1)
    assert "lost" not in {one["state"] for one in world.status()["sitemaps"]}


def test_a_sitemap_that_is_no_longer_written_is_withdrawn(world):
    engine = world.engine("L")
    world.build()
    world.run("submit")
    for name in "abc":
        (world.folder / f"public/notes/{name}.html").unlink()
    world.build()
    assert any("`jovial-atlas submit` withdraws it" in one for one in world.status()["next"])
    assert ("remove-sitemap", "taken") in outcomes(world.json("submit"))
    assert not any("notes" in one["loc"] for one in engine.reports(SITE))
    assert world.json("submit") == {"announcements": []}


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (('url = "https://www.marrowfen.example"', 'url = "http://127.0.0.1:8000"'), "is a temporary host"),
        (('stage = "live"', 'stage = "draft"'), "the site is a draft"),
        (('stage = "live"', f'stage = "live"\nother_hosts = ["{SITE}"]'), "is a temporary host"),
        (("[[section]]", '[robots]\ngroups = [{ agents = ["*"], disallow = ["/"] }]\n[[section]]'), "site-hidden-robots"),
        (("[[section]]", '[[rule]]\nmatch = "/**"\nset = { index = false }\nreason = "x"\n[[section]]'), "site-hidden-noindex"),
    ],
)  # fmt: skip
def test_nothing_is_announced_while_it_would_do_harm(world, change, words):
    world.engine("L")
    place = world.folder / "atlas.toml"
    place.write_text(place.read_text().replace(*change, 1))
    world.build()
    told = world.run("submit", code=2).err
    assert ("Nothing is announced" in told, words in told) == (True, True), told
    assert world.engines[0].messages() == []


@pytest.mark.slow
def test_a_stand_in_runs_by_its_scenario_from_the_command_line(tmp_path):
    write_site(tmp_path, {"index.html": page("Home", WORDS.format("home"))})
    (tmp_path / "scenario.toml").write_text(
        "read_after = 48\n[[trouble]]\non = 'pages'\nstatus = 503\n"
    )
    running = subprocess.Popen(
        [COMMAND, "standin", "--port", "0", "--serve", f"{HOST}=public", "--log", "access.log",
         "--scenario", "scenario.toml"],
        cwd=tmp_path, stdout=subprocess.PIPE, text=True, env={**os.environ, "PYTHONUNBUFFERED": "1"},
    )  # fmt: skip
    try:
        running.stdout.readline()
        api = running.stdout.readline().partition("http://")[2].partition("/")[0]
        there = f"http://{api}/sites/{quote(SITE, safe='')}"
        httpx.put(f"{there}/sitemaps/{quote(SITE + '/sitemap.xml', safe='')}").raise_for_status()
        assert httpx.get(f"{there}/sitemaps").json()["sitemaps"][0]["state"] == "pending"
        httpx.post(f"http://{api}/clock?hours=49").raise_for_status()
        assert httpx.get(f"{there}/sitemaps").json()["sitemaps"][0]["state"] == "could not fetch"
        assert httpx.get(f"{there}/pages").status_code == 503
    finally:
        running.send_signal(signal.SIGINT)
        running.wait(10)
        running.stdout.close()
    assert '"GET /sitemap.xml HTTP/1.1" 404' in (tmp_path / "access.log").read_text()
    wrong = run_command("check", "--only", "live-noindx", cwd=tmp_path)
    assert (wrong.code, "Did you mean 'live-noindex'?" in wrong.err) == (2, True)
