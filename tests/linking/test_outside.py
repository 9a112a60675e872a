"""Links to other sites: a server that does what servers do, on loopback."""

import threading
import time
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import pytest

from jovial_atlas.ledger import Ledger
from jovial_atlas.linking.outside import OutsideLimits, look_outside
from jovial_atlas.records import OutsideRecord
from jovial_atlas.web import new_client
from tests.conftest import run_command, write_site

HTML = {"Content-Type": "text/html; charset=utf-8"}
FINE = (200, HTML, "<title>Herons</title><h1>Herons</h1>")


class Outside:
    """Answers by path, for HEAD and GET apart; counts what is asked, and how much at once."""

    def __init__(self):
        self.asked, self.at_once, self.most_at_once, self.robots = [], 0, 0, ""
        self.answers = {
            "/fine": FINE,
            "/file.pdf": (200, {"Content-Type": "application/pdf"}, "%PDF not found"),
            "/head-refused": {"HEAD": (403, {}, ""), "GET": FINE},
            "/head-unknown": {"HEAD": (405, {}, ""), "GET": FINE},
            "/head-lies": {"HEAD": (404, {}, ""), "GET": FINE},
            "/gone": (404, HTML, "<h1>Not found</h1>"),
            "/deleted": (410, {}, ""),
            "/closed": (403, {}, "no robots"),
            "/broken": (500, {}, ""),
            "/moved": (301, {"Location": "/fine"}, ""),
            "/moved-twice": (308, {"Location": "/moved"}, ""),
            "/moved-to-nothing": (301, {"Location": "/gone"}, ""),
            "/moved-then-for-now": (301, {"Location": "/for-now"}, ""),
            "/for-now": (302, {"Location": "/fine"}, ""),
            "/circle": (301, {"Location": "/circle2"}, ""),
            "/circle2": (301, {"Location": "/circle"}, ""),
            "/nowhere": (301, {}, ""),
            "/away": (301, {"Location": "http://other.invalid/"}, ""),
            "/soft": (200, HTML, "<title>404 - Seite nicht gefunden</title><h1>Oh</h1>"),
            "/soft-fr": (200, HTML, "<title>Le marais</title><h1>Page introuvable</h1>"),
            "/about-404": (200, HTML, "<title>Rooms</title><h1>Room 4040</h1><p>not found</p>"),
            "/barred": FINE,
        } | {f"/chain{n}": (302, {"Location": f"/chain{n + 1}"}, "") for n in range(20)}
        self.lock = threading.Lock()
        outside = self

        class Handler(BaseHTTPRequestHandler):
            def do_GET(self):
                with outside.lock:
                    outside.asked.append((self.command, self.path))
                    outside.at_once += 1
                    outside.most_at_once = max(outside.most_at_once, outside.at_once)
                # Who asks is given no octet before this one is counted off.
                time.sleep(0.005)
                with outside.lock:
                    outside.at_once -= 1
                outside.answer(self)

            def do_HEAD(self):
                self.do_GET()

            def log_message(self, *_):
                pass

        self.server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        self.url = f"http://127.0.0.1:{self.server.server_port}"
        threading.Thread(target=self.server.serve_forever, daemon=True).start()

    def answer(self, handler):
        if handler.path == "/slow":
            time.sleep(3)
        found = self.answers.get(handler.path, (200, {}, self.robots) if handler.path == "/robots.txt" else (404, {}, ""))
        status, headers, body = found[handler.command] if isinstance(found, dict) else found
        handler.send_response(status)
        for key, value in headers.items():
            handler.send_header(key, value)
        handler.send_header("Content-Length", str(len(body.encode())))
        handler.end_headers()
        if handler.command == "GET":
            handler.wfile.write(body.encode())


@pytest.fixture
def outside():
    made = Outside()
    yield made
    made.server.shutdown()
    made.server.server_close()


def ask(outside, *paths, timeout=5.0, **limits):
    paused = []
    with new_client(timeout) as client:
        given = {"pause": 0.0, "hosts": ["127.0.0.1"]} | limits
        found = look_outside([outside.url + path for path in paths], client, OutsideLimits(**given),
                             wait_for=paused.append)  # fmt: skip
        return {one.loc.removeprefix(outside.url): one for one in found}, paused


@pytest.mark.parametrize(
    ("path", "state", "status", "final"),
    [
        ("/fine", "good", 200, None),
        ("/file.pdf", "good", 200, None),
        ("/head-refused", "good", 200, None),
        ("/head-unknown", "good", 200, None),
        ("/head-lies", "good", 200, None),
        ("/gone", "gone", 404, None),
        ("/deleted", "gone", 410, None),
        ("/closed", "closed", 403, None),
        ("/broken", "silent", 500, None),
        ("/moved", "moved", 200, "/fine"),
        ("/moved-twice", "moved", 200, "/fine"),
        ("/moved-to-nothing", "gone", 404, None),
        ("/moved-then-for-now", "moved", 200, "/for-now"),
        ("/for-now", "good", 200, None),
        ("/circle", "silent", 301, None),
        ("/nowhere", "silent", 301, None),
        ("/away", "silent", 301, None),
        ("/chain0", "silent", None, None),
        ("/soft", "suspect", 200, None),
        ("/soft-fr", "suspect", 200, None),
        ("/about-404", "good", 200, None),
        ("/barred", "barred", None, None),
    ],
)
def test_what_becomes_of_a_visitor(outside, path, state, status, final):
    outside.robots = "User-agent: jovial-atlas\nDisallow: /barred\n"
    met, _ = ask(outside, path)
    final = outside.url + final if final else None
    assert (met[path].state, met[path].status, met[path].final) == (state, status, final)
    looked = [asked for _, asked in outside.asked if asked != "/robots.txt"]
    assert len(looked) <= 2 * 11
    assert path != "/barred" or not looked


def test_a_host_is_asked_politely(outside):
    paths = [f"/chain{n}" for n in range(15, 20)] + ["/fine", "/gone", "/fine"]
    met, paused = ask(outside, *paths, pause=30.0, at_once=8)
    assert set(met) == set(paths), "each once"
    assert outside.most_at_once == 1
    assert outside.asked[0] == ("GET", "/robots.txt")
    assert [asked for _, asked in outside.asked].count("/robots.txt") == 1
    assert len(paused) == len(outside.asked) - 1
    assert all(29 < one <= 30 for one in paused)


def test_who_asks_to_come_later_is_left_alone(outside):
    outside.answers["/later"] = (429, {"Retry-After": "600"}, "")
    met, _ = ask(outside, "/later", "/fine", "/gone")
    assert {path: one.state for path, one in met.items()} == {"/later": "silent"}
    assert "/gone" not in [asked for _, asked in outside.asked]


def test_who_gives_no_answer_is_left_alone_after_a_few(outside):
    outside.answers |= {f"/slow{n}": FINE for n in range(9)}
    outside.answer = lambda handler: time.sleep(2) if "slow" in handler.path else type(outside).answer(outside, handler)
    met, _ = ask(outside, *(f"/slow{n}" for n in range(9)), timeout=0.2)
    assert {one.state for one in met.values()} == {"silent"}
    assert len(met) == 3


def test_limits_hold(outside):
    met, _ = ask(outside, *(f"/chain{n}" for n in range(15, 20)), most=2)
    assert len(met) == 2
    assert ask(outside, "/fine", seconds=-1.0)[0] == {}
    assert ask(outside, "/fine", hosts=["elsewhere.example"])[0] == {}
    outside.answers["/robots.txt"] = (503, {}, "")
    assert {one.state for one in ask(outside, "/fine")[0].values()} == {"silent"}


def test_the_ledger_knows_since_when(tmp_path):
    times = iter(f"2026-11-2{n}T10:00:00Z" for n in range(1, 9))
    ledger = Ledger(tmp_path / "l.sqlite", lambda: next(times))
    loc = "https://out.example/x"
    told = []
    for state in ("good", "gone", "gone", "silent", "good", "silent"):
        ledger.note_outside([OutsideRecord(loc, state, 404 if state == "gone" else None, None, "")])
        (one,) = ledger.outside()
        told.append((one.state, one.since[8:10], one.times, one.status))
    ledger.close()
    assert told == [("good", "21", 1, None), ("gone", "22", 1, 404), ("gone", "22", 2, 404),
                    ("gone", "22", 3, 404), ("good", "25", 1, None), ("silent", "26", 1, None)]  # fmt: skip


def test_the_command_asks_remembers_and_goes_on(tmp_path, outside):
    links = "".join(f'<a href="{outside.url}{path}#x">{path}</a>' for path in
                    ("/fine", "/gone", "/moved", "/soft", "/closed", "/ignored"))  # fmt: skip
    write_site(tmp_path, {"index.html": f"<title>T</title><main><p>Words {links}</p></main>"},
               f'\n[links]\nignore = ["{outside.url}/ignored"]\n')  # fmt: skip
    text = (tmp_path / "atlas.toml").read_text()
    (tmp_path / "atlas.toml").write_text(text.replace("https://www.marrowfen.example", "http://127.0.0.1:9"))
    assert run_command("survey", cwd=tmp_path).code == 0
    asked = ("links", "check", "--outside", "--pause", "0", "--host", "127.0.0.1")
    part = run_command(*asked, "--most", "2", cwd=tmp_path)
    assert "3 not asked now" in " ".join(part.err.split())
    assert run_command("links", "check", "--outside", "--host", "a.example", cwd=tmp_path).code == 0
    whole = run_command(*asked, "--format", "json", cwd=tmp_path)
    told = {one["code"]: one for one in whole.json["findings"]}
    assert set(told) == {"link-gone", "link-moved", "link-suspect"}
    assert f"It moved for good to {outside.url}/fine" in told["link-moved"]["message"]
    assert told["link-gone"]["where"] == f"{outside.url}/gone"
    before = len(outside.asked)
    again = run_command(*asked, "--fail-on", "warning", cwd=tmp_path)
    assert (again.code, len(outside.asked)) == (1, before), "what was asked today is not asked again"
    run_command(*asked, "--again", "0", cwd=tmp_path)
    remembered = run_command("links", "check", cwd=tmp_path).out
    assert "met so 2 times" in " ".join(remembered.split())
    assert "/ignored" not in [path for _, path in outside.asked]
