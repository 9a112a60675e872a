"""The whole round on the sample site, engines that misbehave, and real sites nobody here wrote."""

import os
import signal
import subprocess
import sys
import time
from datetime import UTC, datetime
from pathlib import Path

import pytest

from jovial_atlas.demo.builder import URL
from jovial_atlas.demo.round import TOKEN, TOKEN_VARIABLE, add_engines, prepare, servers
from jovial_atlas.standin.engine import SimulatedEngine
from jovial_atlas.standin.scenario import Scenario, Trouble
from jovial_atlas.standin.server import Serving, engine_app, listen
from jovial_atlas.standin.site import ServedSite
from jovial_atlas.standin.web import LoopbackWeb
from tests.conftest import COMMAND, page, run_command, write_site

pytestmark = pytest.mark.slow


def test_the_demo_runs_the_whole_round_and_says_what_to_try_next(tmp_path):
    ran = run_command("demo", "fen", "--month", cwd=tmp_path, fresh=True)
    assert ran.code == 0, ran.err
    for command in ("init --yes", "survey", "build", "check", "submit", "status"):
        assert f"$ jovial-atlas {command}" in ran.out
    assert "What to try next" in ran.out
    state = run_command("status", "--offline", "--format", "json", cwd=tmp_path / "fen").json
    lantern, quill = state["engines"]
    assert [lantern["name"], quill["name"]] == ["Lanternfish", "Quillseek"]
    first = lantern["sitemaps"][0]
    assert set(first) >= {
        "loc", "submitted_urls", "announced_at", "last_read", "state", "found", "indexed",
        "coverage",
    }  # fmt: skip
    assert (first["state"], first["found"], first["coverage"]) == ("success", 63, 1.0)
    assert quill["sitemaps"][0]["indexed"] < 63
    assert any("too little text" in step for step in quill["next"])
    # The month has one problem to find: it is found, told from chance, traced, and mended.
    assert "field-notes dropped: 8 of 8 indexed" in ran.out
    assert "For the 62 'discovered, not crawled yet'" in ran.out, "no page is counted twice"
    assert "Its header X-Robots-Tag says 'noindex'." in ran.out
    (notes,) = [one for one in lantern["sections"] if one["name"] == "field-notes"]
    assert (notes["indexed"], notes["indexed_before"], notes["drop"]) == (9, 0, None)
    figures = {place.name for place in (tmp_path / "fen/figures").glob("*.png")}
    assert figures >= {"lanternfish-waiting.png", "quillseek-sections.png"}
    assert prepare(tmp_path / "fen", datetime.now(UTC)) > 70, "it may be laid out again"
    (tmp_path / "mine").mkdir()
    (tmp_path / "mine/letter.txt").write_text("precious")
    refused = run_command("demo", "mine", cwd=tmp_path)
    assert (refused.code, "not empty" in refused.err) == (2, True)


def test_engines_hear_only_what_changed_and_the_live_site_checks_clean(marrowfen):
    token = {TOKEN_VARIABLE: TOKEN}
    with servers(marrowfen) as running:
        add_engines(marrowfen, running)
        for command in ("build", "inject"):  # which places the proof of ownership
            run_command(command, cwd=marrowfen)
        missing = run_command(
            "submit", "--format", "json", "--engine", "lanternfish", cwd=marrowfen
        )
        assert missing.code == 1
        told = {one["detail"] for one in missing.json["announcements"] if one["status"] == "failed"}
        assert told == {f"not sent: the environment variable {TOKEN_VARIABLE} holds no token"}
        first = run_command("submit", "--format", "json", cwd=marrowfen, env=token)
        assert (first.code, first.err) == (0, "")
        keys = {"engine", "channel", "what", "count", "status", "detail"}
        assert {frozenset(one) for one in first.json["announcements"]} == {frozenset(keys)}
        assert run_command("submit", "--format", "json", cwd=marrowfen, env=token).json == {
            "announcements": []
        }
        contact = marrowfen / "public/contact/index.html"
        contact.write_text(contact.read_text().replace("between nine and four", "any time"))
        (marrowfen / "public/species/otter/index.html").unlink()
        for command in ("survey", "build"):
            run_command(command, cwd=marrowfen)
        second = run_command("submit", "--format", "json", cwd=marrowfen, env=token).json
        whats = [(one["channel"], one["what"]) for one in second["announcements"]]
        assert ("indexnow", "0 added, 1 changed, 1 removed") in whats
        live = run_command(
            "check", f"http://{running.site}/", "--as", f"{URL}/", "--format", "json", cwd=marrowfen
        )
        assert (live.code, live.json["findings"]) == (0, [])
        one = run_command(
            "check", f"http://{running.site}/old-sitemap.xml", "--as", f"{URL}/old-sitemap.xml",
            cwd=marrowfen,
        )  # fmt: skip
        assert (one.code, "sitemap-value" in one.out) == (1, True)


@pytest.mark.parametrize(
    ("trouble", "status", "words"),
    [
        (Trouble(status=403), "refused", "403"),
        (Trouble(status=422), "refused", "422"),
        (Trouble(status=429, retry_after=900), "refused", "wait 900 s"),
        (Trouble(status=500), "failed", "500"),
        (Trouble(hang=5), "unknown", "did not answer in time"),
        (None, "failed", "cannot be reached"),
    ],
)
def test_an_engine_in_trouble_gives_exit_code_1_and_a_true_record(
    atlas, tmp_path, trouble, status, words
):
    serving = None
    place = "127.0.0.1:9"
    if trouble:
        web, scenario = LoopbackWeb({}, "lanternbot"), Scenario(trouble=(trouble,))
        engine = SimulatedEngine("Lanternfish", "lanternbot", web, scenario)
        serving = Serving(engine_app(engine), listen(0)).start()
        place = serving.address
    call = '{ kind = "call", name = "submit-sitemap", method = "PUT", url = "http://%s/sites/{site}/sitemaps/{sitemap}" }'
    read = '{ kind = "call", name = "read-sitemaps", method = "GET", url = "http://%s/sites/{site}/sitemaps" }'
    channels = f"[{call % place}, {read % place}]"
    write_site(tmp_path, {"index.html": page(), "a.html": page("A")},
               f'[[engine]]\nname = "Lanternfish"\nchannels = {channels}\n')  # fmt: skip
    for command in ("survey", "build"):
        assert atlas(command).code == 0
    try:
        ran = atlas("submit", "--timeout", "1", "--format", "json")
        assert ran.code == 1
        first = ran.json["announcements"][0]
        assert first["status"] == status
        assert words in first["detail"]
        state = atlas("status", "--timeout", "1", "--format", "json")
        assert state.code == 0
        engine_state = state.json["engines"][0]
        assert {one["announced_at"] for one in engine_state["sitemaps"]} == {None}
        assert "last known" in engine_state["next"][0]
    finally:
        if serving:
            serving.stop()


def test_a_stand_in_indexes_only_what_may_be_indexed(tmp_path):
    """The simulated engine really fetches and judges: one page for each of its reasons."""
    canonical = f'<link rel="canonical" href="{URL}/">'
    write_site(
        tmp_path,
        {"index.html": page("Home", "<p>Plenty of words stand here for all.</p>"),
         "copy.html": page("Home", "<p>Plenty of words stand here for all.</p>"),
         "no.html": page(head="<meta name=robots content=noindex>"),
         "other.html": page(head=canonical), "thin.html": page("x", ""), "barred.html": page()},
    )  # fmt: skip
    names = ["", "copy.html", "no.html", "other.html", "thin.html", "barred.html", "gone.html"]
    entries = "".join(f"<url><loc>{URL}/{name}</loc></url>" for name in names)
    (tmp_path / "public/sitemap.xml").write_text(
        f'<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">{entries}</urlset>'
    )
    (tmp_path / "public/robots.txt").write_text("User-agent: lanternbot\nDisallow: /barred\n")
    serving = Serving(ServedSite(tmp_path / "public"), listen(0)).start()
    try:
        web = LoopbackWeb({"www.marrowfen.example": serving.address}, "lanternbot")
        memory = tmp_path / "memory.json"
        engine = SimulatedEngine("L", "lanternbot", web, Scenario(least_words=3), memory=memory)
        engine.take_sitemap(URL, f"{URL}/sitemap.xml")
        deadline = time.monotonic() + 20
        while engine.reports(URL)[0]["state"] == "pending" and time.monotonic() < deadline:
            time.sleep(0.05)
        report = engine.reports(URL)[0]
    finally:
        serving.stop()
    assert (report["state"], report["found"], report["indexed"]) == ("success", 7, 1)
    assert report["reasons"] == {
        "blocked by robots.txt": 1, "crawled, not indexed: too little text": 1,
        "duplicate of another page": 1, "duplicate with another canonical": 1, "noindex": 1,
        "not found": 1,
    }  # fmt: skip
    again = SimulatedEngine("L", "lanternbot", web, memory=memory)
    assert again.reports(URL)[0]["indexed"] == 1, "it remembers"


@pytest.mark.parametrize(
    ("folder", "package", "pages"),
    [
        ("/usr/share/doc/python3.11/html", "python3-doc", 500),
        ("/usr/share/doc/postgresql-doc-15/html", "postgresql-doc-15", 1_100),
    ],
)
def test_a_real_site_is_surveyed_built_and_checked(tmp_path, folder, package, pages):
    assert Path(folder).is_dir(), f"{package} is missing; on Debian: apt-get install {package}"
    (tmp_path / "public").symlink_to(folder)
    docs = "https://docs.marrowfen.example"
    ran = run_command("init", "--yes", "--url", docs, "--html", "public", cwd=tmp_path)
    assert ran.code == 0, ran.err
    site_file = tmp_path / "atlas.toml"
    site_file.write_text(
        site_file.read_text().replace("[output]\nfolder", "[output] # our own\nfolder", 1)
    )
    text = site_file.read_text().replace(f'folder = "{_shown(tmp_path, folder)}"', 'folder = "out"')
    site_file.write_text(text)
    survey = run_command("survey", "--format", "json", cwd=tmp_path)
    assert survey.json["pages"] > pages
    build = run_command("build", "--format", "json", cwd=tmp_path)
    assert (build.code, build.json["not_listed"]) == (
        0,
        {"it is a search page": 1} if "python3" in str(folder) else {},
    )
    checked = run_command("check", "--format", "json", cwd=tmp_path)
    ours = [
        one for one in checked.json["findings"] if one["code"].startswith(("sitemap", "listed"))
    ]
    assert ours == [], "what the tool wrote has no fault"
    assert run_command("check", "out", "--fail-on", "advice", cwd=tmp_path).code == 0


def _shown(tmp_path: Path, folder: str) -> str:
    return os.path.relpath(folder, tmp_path.resolve())


def test_ctrl_c_leaves_the_last_complete_build_in_place(tmp_path):
    write_site(tmp_path, {f"{n}.html": page(f"P{n}", "<p>word</p>" * 3_000) for n in range(60)})
    for command in ("survey", "build"):
        run_command(command, cwd=tmp_path)
    before = {path.name: path.read_bytes() for path in (tmp_path / "public").glob("*.xml")}
    running = subprocess.Popen(
        [COMMAND, "survey"], cwd=tmp_path, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
    )
    while f" {running.pid} " not in Path("/proc/locks").read_text():  # it is at work then
        assert running.poll() is None
        time.sleep(0.01)
    running.send_signal(signal.SIGINT)
    _, err = running.communicate(timeout=60)
    assert "Traceback" not in err
    assert running.returncode in (0, 130)
    assert {p.name: p.read_bytes() for p in (tmp_path / "public").glob("*.xml")} == before
    assert run_command("build", cwd=tmp_path).code == 0


INTERRUPTED_IN_A_CLASS = """
import sys
from jovial_atlas.cli import main
import jovial_atlas.sitefile.read as read
class Interrupting:
    def __set_name__(self, owner, name):
        raise KeyboardInterrupt
def parse(*_):
    type("Made", (), {"field": Interrupting()})
read.read_site_file = parse
import jovial_atlas.sitefile
jovial_atlas.sitefile.read_site_file = parse
sys.argv[1:] = ["rules", "list"]
main()
"""


def test_an_interrupt_while_a_class_is_made_is_one(tmp_path):
    write_site(tmp_path, {"index.html": page()})
    done = subprocess.run(
        [sys.executable, "-c", INTERRUPTED_IN_A_CLASS], cwd=tmp_path, capture_output=True, text=True, check=False
    )
    assert (done.returncode, "Traceback" in done.stderr) == (130, False), done.stderr


def _of_session(session: int) -> list[int]:
    """The processes of a session that are still there."""
    found = []
    for place in Path("/proc").glob("[0-9]*"):
        try:
            if os.getsid(int(place.name)) == session:
                found.append(int(place.name))
        except ProcessLookupError:
            continue
    return found


INTERRUPTED = """
import contextlib, os, signal, sys
from jovial_atlas.cli import main
from jovial_atlas.sources.workers import pool
held = pool._interrupts_held
@contextlib.contextmanager
def interrupted():
    with held():
        yield
        os.kill(os.getpid(), signal.SIGINT)
pool._interrupts_held = interrupted
sys.argv[1:] = ["survey", "--workers", "2"]
main()
"""


def test_an_interrupt_while_workers_are_started_ends_them(tmp_path):
    write_site(tmp_path, {"0.html": page("P", "<p>word</p>" * 20_000)})
    for number in range(1, 1_200):
        (tmp_path / f"public/{number}.html").symlink_to("0.html")
    running = subprocess.Popen(
        [sys.executable, "-c", INTERRUPTED], cwd=tmp_path, start_new_session=True, text=True,
        stdout=subprocess.DEVNULL, stderr=subprocess.PIPE,
    )  # fmt: skip
    err = running.stderr.read()
    _, status, used = os.wait4(running.pid, 0)
    running.returncode = os.waitstatus_to_exitcode(status)
    assert (running.returncode, "Traceback" in err) == (130, False), err
    assert _of_session(running.pid) == []
    assert used.ru_utime < 8, "processor time, of its workers too: what was begun is not done to the end"
    assert not (tmp_path / ".jovial-atlas/pages.parquet").exists()


@pytest.mark.parametrize(("sent", "code"), [(signal.SIGINT, 130), (signal.SIGKILL, -9)])
def test_workers_end_with_the_survey_that_started_them(tmp_path, sent, code):
    write_site(tmp_path, {"0.html": page("P", "<p>word</p>" * 20_000)})
    for number in range(1, 1_200):
        (tmp_path / f"public/{number}.html").symlink_to("0.html")
    running = subprocess.Popen(
        [COMMAND, "survey", "--workers", "2"], cwd=tmp_path, start_new_session=True, text=True,
        stdout=subprocess.PIPE, stderr=subprocess.PIPE,
    )  # fmt: skip
    until = time.monotonic() + 600
    while len(_of_session(running.pid)) < 3 and time.monotonic() < until:
        time.sleep(0.05)
    if sent == signal.SIGINT:  # as from a keyboard, to all of them
        os.killpg(running.pid, sent)
    else:
        running.send_signal(sent)
    _, err = running.communicate(timeout=600)
    assert running.returncode == code
    assert sent == signal.SIGKILL or "Traceback" not in err
    while _of_session(running.pid) and time.monotonic() < until:
        time.sleep(0.05)
    assert _of_session(running.pid) == []
    assert not (tmp_path / ".jovial-atlas/pages.parquet").exists()
