"""What broke off is found out from the engine where it can tell, and is never lost."""

import json
import socket
import threading

import httpx
import pytest

from jovial_atlas.engines.announce import announce, settle
from jovial_atlas.engines.asking import Asking
from jovial_atlas.engines.due import due, single
from jovial_atlas.engines.public_pages import PublicPages
from jovial_atlas.engines.published import Published
from jovial_atlas.errors import NetworkError
from jovial_atlas.ledger import Ledger
from jovial_atlas.sitefile import Engine
from jovial_atlas.sitefile.parts import read_part
from jovial_atlas.web import new_client

SITE = "https://www.marrowfen.example"
MAP, PAGE = f"{SITE}/sitemap.xml", f"{SITE}/a"
NOW = "2026-11-23T10:00:00Z"
PUBLIC = Published(SITE, "0123456789abcdef", PublicPages.of({PAGE: "1"}), {MAP: ("m1", 1)})


def call(name, **more):
    placeholder = {"submit-sitemap": "{sitemap}", "remove-sitemap": "{sitemap}",
                   "index-page": "{page}", "read-page": "{page}"}.get(name, "")  # fmt: skip
    method = "GET" if name.startswith("read") else "PUT"
    return {"kind": "call", "name": name, "method": method,
            "url": f"http://127.0.0.1:1/{name}/{placeholder}", **more}  # fmt: skip


INDEXNOW = {"kind": "indexnow", "endpoint": "http://127.0.0.1:1/indexnow"}


def engine_of(*channels, **more):
    engine, mistakes = read_part(Engine, {"name": "L", "channels": channels, **more})
    assert mistakes == []
    return engine


@pytest.fixture
def ledger(tmp_path):
    ledger = Ledger(tmp_path / "ledger.sqlite", lambda: NOW)
    yield ledger
    ledger.close()


def client(answers):
    """A client whose engine answers by the first part of the path: a status, or what it says."""

    def answer(request):
        said = answers[request.url.path.split("/")[1]]
        if isinstance(said, int):
            return httpx.Response(said)
        return httpx.Response(200, json=said)

    return httpx.Client(transport=httpx.MockTransport(answer))


def report(**fields):
    return {"sitemaps": [{"loc": MAP, "state": "success", **fields}]}


LATER, EARLIER = "2026-11-23T10:00:05Z", "2026-11-22T09:00:00Z"


@pytest.mark.parametrize(
    ("channel", "reads", "says", "heard_before", "status"),
    [
        ("submit-sitemap", "read-sitemaps", report(submitted=LATER), False, "taken"),
        ("submit-sitemap", "read-sitemaps", report(submitted=EARLIER), True, "lost"),
        ("submit-sitemap", "read-sitemaps", report(last_read=LATER), True, "taken"),
        ("submit-sitemap", "read-sitemaps", report(last_read=EARLIER), True, "lost"),
        ("submit-sitemap", "read-sitemaps", report(), False, "taken"),
        ("submit-sitemap", "read-sitemaps", {"sitemaps": []}, False, "lost"),
        ("submit-sitemap", "read-sitemaps", 503, False, "unknown"),
        ("submit-sitemap", None, None, False, "lost"),
        ("remove-sitemap", "read-sitemaps", {"sitemaps": []}, True, "taken"),
        ("remove-sitemap", "read-sitemaps", report(), True, "lost"),
        ("indexnow", "read-page", {"loc": PAGE, "announced": LATER}, False, "taken"),
        ("indexnow", "read-page", {"loc": PAGE, "announced": EARLIER}, False, "lost"),
        ("indexnow", "read-page", {"loc": PAGE, "indexed": True}, False, "lost"),
        ("indexnow", "read-pages", {"pages": [{"loc": PAGE, "announced": LATER}]}, False, "taken"),
        ("indexnow", "read-pages", {"pages": []}, False, "lost"),
        ("indexnow", None, None, False, "lost"),
        ("index-page", "read-page", {"loc": PAGE, "announced": LATER}, False, "taken"),
        ("websub", None, None, False, "lost"),
        ("index-page", None, None, False, "assumed"),
        ("verify-site", None, None, False, "lost"),
    ],
)
def test_what_broke_off_is_settled_by_what_the_engine_says(
    ledger, channel, reads, says, heard_before, status
):
    loc = MAP if "sitemap" in channel else PAGE
    if heard_before:
        ledger.settle(ledger.intend("L", "submit-sitemap", MAP, [(MAP, "m0")]), "taken", "")
    ledger.intend("L", channel, loc, [(loc, None if channel == "remove-sitemap" else "m1")])
    (broken,) = ledger.unsettled("L")
    engine = engine_of(*([call(reads)] if reads else []))
    with client({reads: says}) as asked:
        outcome = settle(broken, PUBLIC, ledger, Asking(engine, SITE, asked, lambda _: ""))
    assert outcome.status == status, outcome.detail
    assert len(ledger.unsettled("L")) == (status == "unknown")
    heard = ledger.heard("L", "submit-sitemap" if "sitemap" in channel else channel)
    if channel == "remove-sitemap":
        assert (MAP in heard) is (status == "lost")
    elif status in ("taken", "assumed"):
        assert heard[loc].mark == "m1"


def test_removed_sitemaps_are_withdrawn_once(ledger):
    engine = engine_of(call("submit-sitemap"), call("remove-sitemap", method="DELETE"))
    ledger.settle(ledger.intend("L", "submit-sitemap", "", [(f"{SITE}/old.xml", "m")]), "taken", "")
    first, second = due(engine, PUBLIC, ledger)
    assert (first.items, second.items) == ([(MAP, "m1")], [(f"{SITE}/old.xml", None)])
    seen = []

    def answer(request):
        seen.append((request.method, request.url.path))
        return httpx.Response(204)

    with httpx.Client(transport=httpx.MockTransport(answer)) as asked:
        for one in (first, second):
            assert announce(one, PUBLIC, ledger, asked).status == "taken"
    assert seen[1] == ("DELETE", f"/remove-sitemap/{SITE}/old.xml")
    assert list(due(engine, PUBLIC, ledger)) == []


def test_the_look_at_the_proof_comes_first_and_again_when_the_proof_changes(ledger):
    channels = (call("submit-sitemap"), call("verify-site"))
    engine = engine_of(*channels, ownership={"dns": "one"})
    first, _ = due(engine, PUBLIC, ledger)
    assert first.items[0][0] == SITE
    with client({"verify-site": 200}) as asked:
        announce(first, PUBLIC, ledger, asked)
    assert [one.items[0][0] for one in due(engine, PUBLIC, ledger)] == [MAP]
    other = engine_of(*channels, ownership={"dns": "two"})
    assert [one.items[0][0] for one in due(other, PUBLIC, ledger)] == [SITE, MAP]
    assert [one.items[0][0] for one in due(engine_of(*channels), PUBLIC, ledger)] == [MAP]


def test_single_pages_are_asked_for_within_the_day_s_quota(ledger):
    engine = engine_of(INDEXNOW, call("index-page", per_day=1), call("submit-sitemap"))
    public = Published(SITE, "0123456789abcdef", PublicPages.of({PAGE: "1", f"{SITE}/b": "1"}), {MAP: ("m1", 1)})
    dues = list(single(engine, public, ledger, [PAGE, f"{SITE}/b", MAP]))
    assert [(one.channel.kind, len(one.items), one.later) for one in dues] == [
        ("indexnow", 2, 0), ("call", 1, 0), ("call", 0, 1), ("call", 1, 0)
    ]  # fmt: skip
    with client({"index-page": 202}) as asked:
        announce(dues[1], public, ledger, asked)
    again = list(single(engine, public, ledger, [f"{SITE}/b"]))
    assert [(len(one.items), one.later) for one in again] == [(1, 0), (0, 1)]


def test_a_list_of_pages_is_read_part_by_part_on_the_engine_s_own_host():
    parts = {
        "/read-pages/": {"d": {"list": [{"url": PAGE, "in": "Indexed", "at": "Mon, 23 Nov 2026 09:00:00 GMT"}],
                               "more": "/read-pages/2"}},
        "/read-pages/2": {"d": {"list": [{"url": f"{SITE}/b", "in": "no", "why": "thin"}, {"x": 1}]}},
    }  # fmt: skip
    channel = call("read-pages", items="d.list", next="d.more",
                   fields={"loc": "url", "indexed": "in", "reason": "why", "last_crawl": "at"})  # fmt: skip
    engine = engine_of(channel)

    def answer(request):
        return httpx.Response(200, content=json.dumps(parts[request.url.path]))

    with httpx.Client(transport=httpx.MockTransport(answer)) as asked:
        asking = Asking(engine, SITE, asked, lambda _: "")
        pages = [page for part in asking.pages() for page in part]
        found = [(one.loc, one.indexed, one.reason, one.last_crawl) for one in pages]
        assert found == [
            (PAGE, True, "", "2026-11-23T09:00:00Z"),
            (f"{SITE}/b", False, "thin", None),
        ]
        parts["/read-pages/"]["d"]["more"] = "http://elsewhere.example/"
        with pytest.raises(NetworkError, match=r"goes on at elsewhere\.example"):
            list(asking.pages())
        parts["/read-pages/"]["d"]["more"] = "/read-pages/"
        came = []
        with pytest.raises(NetworkError, match="more than 1,000 parts"):
            came.extend(asking.pages())
        assert len(came) == 1_000, "what came before the cut is not lost"
        assert asking.page(PAGE) is None
        assert asking.sitemaps() is None


def test_a_token_that_comes_back_in_an_answer_is_never_kept(ledger):
    engine = engine_of(call("submit-sitemap", success=(200,)))

    def answer(request):
        return httpx.Response(409, text=f"You sent {request.headers['authorization']}")

    with httpx.Client(transport=httpx.MockTransport(answer)) as asked:
        outcome = announce(next(due(engine, PUBLIC, ledger)), PUBLIC, ledger, asked, "hunter2")
    assert (outcome.status, "Bearer …" in outcome.detail) == ("refused", True)
    assert "hunter2" not in json.dumps([one.detail for one in ledger.announcements()])


@pytest.mark.parametrize(
    ("reply", "status"),
    [
        (b"HTTP/1.1 200 OK\r\nContent-Length: 5000\r\n\r\nhalf of it", "taken"),
        (b"HTTP/1.1 403 No\r\nContent-Length: 5000\r\n\r\nhalf", "refused"),
        (b"HTTP/1.1 20", "unknown"),
        (b"", "unknown"),
        (b"nonsense\r\n\r\n", "unknown"),
    ],
)
def test_a_line_that_is_cut_leaves_what_is_known_and_no_more(ledger, reply, status):
    """A real socket that reads the message and answers so much, then hangs up."""
    server = socket.create_server(("127.0.0.1", 0))

    def serve():
        line, _ = server.accept()
        with line:
            while b"urlList" not in line.recv(65_536):
                pass
            line.sendall(reply)

    thread = threading.Thread(target=serve)
    thread.start()
    endpoint = f"http://127.0.0.1:{server.getsockname()[1]}/indexnow"
    engine = engine_of({"kind": "indexnow", "endpoint": endpoint})
    with new_client(5) as asked:
        outcome = announce(next(due(engine, PUBLIC, ledger)), PUBLIC, ledger, asked)
    thread.join()
    server.close()
    assert outcome.status == status, outcome.detail
    assert len(ledger.unsettled("L")) == (status == "unknown")
