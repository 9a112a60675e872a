"""Announcing: what is due, what answers mean, and a ledger that knows intent from outcome."""

import json
from urllib.parse import parse_qs

import httpx
import polars as pl
import pytest

from jovial_atlas.demo.round import servers
from jovial_atlas.engines import indexnow
from jovial_atlas.engines.announce import announce
from jovial_atlas.engines.asking import Asking
from jovial_atlas.engines.due import due
from jovial_atlas.engines.public_pages import PublicPages
from jovial_atlas.engines.published import Published
from jovial_atlas.errors import LedgerError, NetworkError
from jovial_atlas.ledger import Ledger
from jovial_atlas.sitefile import CallChannel, Engine, IndexNowChannel, WebSubChannel
from jovial_atlas.values import replace
from jovial_atlas.web import Request, send
from tests.conftest import run_command

SITE = "https://www.marrowfen.example"
KEY = "0123456789abcdef"
ENGINE = Engine(
    name="Lanternfish",
    channels=(
        IndexNowChannel(endpoint="http://127.0.0.1:1/indexnow"),
        CallChannel(
            name="submit-sitemap", method="PUT",
            url="http://127.0.0.1:1/{site}/{sitemap}", body='{"map": "{sitemap}"}',
        ),
        CallChannel(name="read-sitemaps", method="GET", url="http://127.0.0.1:1/r",
                    items="data.maps", fields={"loc": "path", "indexed": "counts.in"}),
    ),
)  # fmt: skip


@pytest.fixture
def ledger(tmp_path):
    ledger = Ledger(tmp_path / "ledger.sqlite", lambda: "2026-11-23T10:00:00Z")
    yield ledger
    ledger.close()


def published(sitemap="m1", **pages):
    locs = {f"{SITE}/{name}": mark for name, mark in pages.items()}
    return Published(SITE, KEY, PublicPages.of(locs), {f"{SITE}/sitemap.xml": (sitemap, len(locs))})


def client(status=200, seen=None, headers=None, body=b"", error=None):
    def answer(request):
        if seen is not None:
            seen.append(request)
        if error:
            raise error
        return httpx.Response(status, headers=headers, content=body)

    return httpx.Client(transport=httpx.MockTransport(answer))


def announce_all(public, ledger, **answers):
    dues = list(due(ENGINE, public, ledger))
    outcomes = [
        announce(one, public, ledger, client(**answers), "secret", lambda _: None) for one in dues
    ]
    return [(outcome.channel, outcome.what, outcome.status) for outcome in outcomes]


def test_only_what_changed_since_the_engine_heard_is_due(ledger):
    first = announce_all(published(a="1", b="1"), ledger)
    assert first == [
        ("indexnow", "2 added, 0 changed, 0 removed", "taken"),
        ("submit-sitemap", f"{SITE}/sitemap.xml", "taken"),
    ]
    assert announce_all(published(a="1", b="1"), ledger) == []
    assert announce_all(published("m2", a="2", c="1"), ledger) == [
        ("indexnow", "1 added, 1 changed, 1 removed", "taken"),
        ("submit-sitemap", f"{SITE}/sitemap.xml", "taken"),
    ]
    assert announce_all(published("m2", a="2", c="1"), ledger) == []


def test_messages_are_as_the_protocol_and_the_site_file_say(ledger):
    seen = []
    announce_all(published(a="1"), ledger, seen=seen)
    first, second = seen
    assert first.headers["content-type"] == "application/json; charset=utf-8"
    assert json.loads(first.content) == {
        "host": "www.marrowfen.example", "key": KEY,
        "keyLocation": f"{SITE}/{KEY}.txt", "urlList": [f"{SITE}/a"],
    }  # fmt: skip
    assert second.method == "PUT"
    assert second.url.raw_path.decode() == (
        "/https%3A%2F%2Fwww.marrowfen.example/https%3A%2F%2Fwww.marrowfen.example%2Fsitemap.xml"
    )
    assert second.headers["authorization"] == "Bearer secret"
    assert json.loads(second.content) == {"map": f"{SITE}/sitemap.xml"}


@pytest.mark.parametrize(
    ("answers", "status", "words"),
    [
        ({"status": 202}, "pending", "verify the key"),
        ({"status": 400}, "refused", "bad request"),
        ({"status": 403}, "refused", "key file"),
        ({"status": 422}, "refused", "site.url"),
        ({"status": 429, "headers": {"Retry-After": "3600"}}, "refused", "wait 3600 s"),
        ({"status": 500}, "failed", "does not define"),
        ({"error": httpx.ReadTimeout("slow")}, "unknown", "not known"),
        ({"error": httpx.WriteTimeout("slow")}, "failed", "took no message"),
        ({"error": httpx.RemoteProtocolError("gone")}, "unknown", "broke off"),
        ({"error": httpx.ConnectError("no one there")}, "failed", "cannot be reached"),
        ({"body": b"x" * 9_000_000}, "taken", "taken"),
    ],
)
def test_an_engine_that_refuses_or_fails_is_recorded_and_what_is_due_stays_due(
    ledger, answers, status, words
):
    public = published(a="1")
    one = next(due(ENGINE, public, ledger))
    outcome = announce(one, public, ledger, client(**answers), pause=lambda _: None)
    assert outcome.status == status
    assert words in outcome.detail
    assert ledger.announcements("Lanternfish")[0].status == status
    still_due = next(due(ENGINE, public, ledger)).what.endswith("removed")
    assert still_due is (status not in ("pending", "taken"))


def test_short_waits_are_waited_for_and_bounded():
    answers = iter([429, 503, 200])
    waited = []
    transport = httpx.MockTransport(
        lambda _: httpx.Response(next(answers), headers={"Retry-After": "2"})
    )
    request = Request("GET", "http://127.0.0.1:1/", {})
    with httpx.Client(transport=transport) as quick:
        assert send(quick, request, pause=waited.append).status == 200
    assert waited == [2.0, 2.0]


def test_an_announcement_cut_off_in_between_is_known_and_sent_again(ledger):
    public = published(a="1")
    one = next(due(ENGINE, public, ledger))
    with pytest.raises(KeyboardInterrupt):
        announce(one, public, ledger, client(error=KeyboardInterrupt()))
    assert len(ledger.unsettled("Lanternfish")) == 1
    assert next(due(ENGINE, public, ledger)).what == one.what


def test_large_sites_are_announced_in_batches(ledger):
    public = published(**{str(number): "1" for number in range(indexnow.BATCH + 5)})
    counts = [len(one.items) for one in due(ENGINE, public, ledger)]
    assert counts == [indexnow.BATCH, 5, 1]


def test_reports_are_read_by_the_described_names():
    body = {"data": {"maps": [{"path": f"{SITE}/sitemap.xml", "state": "success", "found": "12",
                               "counts": {"in": 10}}, {"nothing": 1}]}}  # fmt: skip
    reports = Asking(ENGINE, SITE, client(body=json.dumps(body).encode()), lambda _: "").sitemaps()
    assert [(r.loc, r.found, r.indexed, r.last_read) for r in reports] == [
        (f"{SITE}/sitemap.xml", 12, 10, None)
    ]


@pytest.mark.parametrize(
    ("status", "body", "words"),
    [(200, b"<html>", "not JSON"), (200, b"{}", "without a list"), (401, b"", "token")],
)
def test_a_report_that_cannot_be_read_says_so(status, body, words):
    with pytest.raises(NetworkError, match=words):
        Asking(ENGINE, SITE, client(status, body=body), lambda _: "").sitemaps()


def test_a_damaged_ledger_is_one_clear_sentence(tmp_path):
    (tmp_path / "ledger.sqlite").write_bytes(b"not a database, surely" * 100)
    with pytest.raises(LedgerError, match="restore it from a backup"):
        Ledger(tmp_path / "ledger.sqlite", lambda: "")


HUB = WebSubChannel(hub="http://127.0.0.1:1/hub")


@pytest.mark.parametrize(
    ("status", "outcome", "words"),
    [(202, "taken", "fetches the feed"), (204, "taken", "fetches the feed"), (404, "refused", "no hub"),
     (429, "refused", "too many"), (503, "failed", "failed")],
)  # fmt: skip
def test_a_hub_hears_of_a_feed_when_it_changed(ledger, status, outcome, words):
    engine = Engine(name="Hub", channels=(HUB,))
    public = replace(published(), feeds={f"{SITE}/feed.xml": "f1"})
    (one,) = due(engine, public, ledger)
    seen = []
    told = announce(one, public, ledger, client(status, seen), "", lambda _: None)
    assert (told.channel, told.status, words in told.detail) == ("websub", outcome, True)
    form = parse_qs(seen[0].content.decode())
    assert form == {
        "hub.mode": ["publish"],
        "hub.url": [f"{SITE}/feed.xml"],
        "hub.topic": [f"{SITE}/feed.xml"],
    }
    left = list(due(engine, public, ledger))
    assert len(left) == (0 if outcome == "taken" else 1)
    assert len(list(due(engine, replace(public, feeds={f"{SITE}/feed.xml": "f2"}), ledger))) == 1


def test_a_day_s_quota_holds_and_the_rest_waits_new_and_weighty_first(ledger):
    channel = IndexNowChannel(endpoint="http://127.0.0.1:1/i", per_day=3)
    engine = Engine(name="Small", channels=(channel,))
    weights = {
        f"{SITE}/{name}": weight
        for name, weight in (("a", 0.1), ("b", 0.9), ("c", 0.5), ("d", 0.7))
    }
    def weigh(rows):
        return rows["loc"].replace_strict(weights, default=None, return_dtype=pl.Float64)

    public = replace(published(a="1", b="1", c="1", d="1"), weigh=weigh)
    (one,) = due(engine, public, ledger)
    assert [loc.rpartition("/")[2] for loc, _ in one.items] == ["b", "d", "c"]
    assert (one.later, "1 left for another day" in one.what) == (1, True)
    announce(one, public, ledger, client(200), "", lambda _: None)
    (rest,) = due(engine, public, ledger)
    assert (rest.items, rest.later) == ([], 1), "nothing more today"
    ledger.now = lambda: "2026-11-24T10:00:01Z"
    weights[f"{SITE}/e"] = 0.2
    changed = replace(published(a="1", b="2", c="1", d="1", e="1"), weigh=weigh)
    (next_day,) = due(engine, changed, ledger)
    assert [loc.rpartition("/")[2] for loc, _ in next_day.items] == ["e", "a", "b"]


def test_what_is_done_by_hand_is_said_until_it_is_done(marrowfen):
    (marrowfen / "atlas.toml").open("a").write(
        '\n[[engine]]\nname = "Quillseek"\nchannels = [{ kind = "hand", say = "Paste {sitemap} for {site}." }]\n'
    )
    asked = run_command("submit", "--format", "json", cwd=marrowfen)
    (one,) = asked.json["announcements"]
    assert (asked.code, one["status"], one["channel"]) == (0, "due", "hand")
    assert one["detail"] == f"to do by hand: Paste {SITE}/sitemap.xml for {SITE}."
    assert len(run_command("submit", "--format", "json", cwd=marrowfen).json["announcements"]) == 1
    (done,) = run_command("submit", "--done", "--format", "json", cwd=marrowfen).json[
        "announcements"
    ]
    assert done["status"] == "taken"
    assert run_command("submit", "--format", "json", cwd=marrowfen).json["announcements"] == []


def test_a_line_in_robots_txt_announces_where_it_stands(marrowfen):
    (marrowfen / "atlas.toml").open("a").write(
        '\n[[engine]]\nname = "Quillseek"\nchannels = [{ kind = "robots" }]\n'
    )
    robots = marrowfen / "public/robots.txt"
    whole = robots.read_text()
    robots.write_text(whole.replace("Sitemap:", "# Sitemap:"))
    missing = run_command("submit", "--format", "json", cwd=marrowfen)
    (one,) = missing.json["announcements"]
    assert (missing.code, one["status"], "does not name it" in one["detail"]) == (
        1,
        "refused",
        True,
    )
    robots.write_text(whole)
    (one,) = run_command("submit", "--format", "json", cwd=marrowfen).json["announcements"]
    assert (one["channel"], one["what"], one["status"]) == (
        "robots",
        f"{SITE}/sitemap.xml",
        "taken",
    )
    assert run_command("submit", "--format", "json", cwd=marrowfen).json["announcements"] == []
    env = {"JOVIAL_ATLAS_NOW": "2031-01-02T03:04:05Z"}
    state = run_command("status", "--format", "json", cwd=marrowfen, env=env).json["engines"][0]
    (index,) = [one for one in state["sitemaps"] if one["announced_at"]]
    assert (index["loc"], index["state"]) == (f"{SITE}/sitemap.xml", "announced")
    wrong = run_command("status", cwd=marrowfen, env={"JOVIAL_ATLAS_NOW": "soon"})
    assert (wrong.code, "holds no time ('soon')" in wrong.err) == (2, True)


def test_ownership_is_placed_and_told_when_it_is_gone(marrowfen):
    (marrowfen / "atlas.toml").open("a").write(
        '\n[[engine]]\nname = "Quillseek"\nownership = { meta = { "quill-site" = "7f3a" }, file = "quill.txt", '
        'content = "7f3a", dns = "quill=7f3a" }\n'
    )
    for command in ("build", "inject"):
        assert run_command(command, cwd=marrowfen).code == 0
    public = marrowfen / "public"
    assert (public / "quill.txt").read_text() == "7f3a"
    assert '<meta name="quill-site" content="7f3a">' in (public / "index.html").read_text()
    assert "quill-site" not in (public / "about/index.html").read_text()
    steps = run_command("status", "--offline", "--format", "json", cwd=marrowfen).json["engines"][
        0
    ]["next"]
    assert steps[0] == "Ownership: a TXT record on www.marrowfen.example that says 'quill=7f3a'."
    with servers(marrowfen) as running:
        live = (
            "check",
            "--live",
            "--server",
            f"http://{running.site}",
            "--per-second",
            "900",
            "--format",
            "json",
        )
        gone = [
            one
            for one in run_command(*live, cwd=marrowfen).json["findings"]
            if one["code"] == "ownership-gone"
        ]
        assert gone == []
        (public / "quill.txt").write_text("other")
        run_command("inject", "--remove", cwd=marrowfen)
        gone = {one["where"] for one in run_command(*live, cwd=marrowfen).json["findings"]
                if one["code"] == "ownership-gone"}  # fmt: skip
    assert gone == {f"{SITE}/", f"{SITE}/quill.txt"}


def test_what_was_given_to_an_engine_is_compared_letter_by_letter(marrowfen):
    place = marrowfen / "atlas.toml"
    text = place.read_text().replace(
        'kind = "organization" # or "person"\n',
        'kind = "organization"\nprofiles = ["https://social.example/fen", "https://b.example/"]\n'
        'address = { country = "GB" }\n',
    )
    given = '\n[[engine]]\nname = "Quillseek"\nprofiles = [%s]\ncountry = "%s"\n'
    cases = (
        ('"https://b.example/", "https://social.example/fen"', "GB", []),
        ('"https://social.example/Fen", "https://b.example/"', "IE",
         ["'https://social.example/Fen' was given to it and is not", "'https://social.example/fen' is in the",
          "given the country IE; the address says GB"]),
    )  # fmt: skip
    for profiles, country, told in cases:
        place.write_text(text + given % (profiles, country))
        found = run_command("check", "--only", "engine-profiles", "--format", "json", cwd=marrowfen)
        messages = " ".join(one["message"] for one in found.json["findings"])
        assert len(found.json["findings"]) == len(told)
        assert all(one in messages for one in told), messages


def test_single_addresses_are_announced_on_request(marrowfen):
    with servers(marrowfen) as running:
        endpoint = f"http://{running.engines['Lanternfish']}/indexnow"
        (marrowfen / "atlas.toml").open("a").write(
            f'\n[[engine]]\nname = "Lanternfish"\nchannels = [{{ kind = "indexnow", endpoint = "{endpoint}" }}]\n'
        )
        assert run_command("build", cwd=marrowfen).code == 0
        for _ in range(2):
            ran = run_command("submit", "/about/", "/", "--format", "json", cwd=marrowfen)
            (one,) = ran.json["announcements"]
            assert (one["count"], one["what"], one["status"]) == (
                2,
                "2 addresses asked for",
                "taken",
            )
    refused = run_command("submit", "/thank-you-all/", cwd=marrowfen)
    assert (refused.code, "is not listed" in refused.err) == (2, True)
