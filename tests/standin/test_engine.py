"""The simulated engine over days: delays, quotas, ownership, what it follows and what it shows."""

import csv
import io
from datetime import UTC, datetime
from urllib.parse import quote

import httpx
import pytest

from jovial_atlas.engines.exports import export_rows, read_export
from jovial_atlas.errors import AtlasError
from jovial_atlas.standin.clock import Clock
from jovial_atlas.standin.engine import SimulatedEngine
from jovial_atlas.standin.memory import WAITING_CRAWL, WAITING_INDEX
from jovial_atlas.standin.scenario import Scenario, Trouble, read_scenario
from jovial_atlas.standin.server import Serving, engine_app, listen
from jovial_atlas.standin.showing import EXPORTS
from jovial_atlas.standin.site import ServedSite
from jovial_atlas.standin.web import LoopbackWeb
from tests.conftest import page

SITE = "https://www.marrowfen.example"
BEGIN = datetime(2026, 11, 1, 12, tzinfo=UTC)
WORDS = "<p>{0} {0} {0} words of page {0}, enough of them for anybody.</p>"


@pytest.fixture
def world(tmp_path):
    """`world(scenario)` gives an engine whose time stands still unless it is put forward, and the
    site that it looks at, with three pages and a sitemap of two of them."""
    running = []

    def make(**rules):
        public = tmp_path / "public"
        public.mkdir(exist_ok=True)
        for name in ("a", "b", "c"):
            (public / f"{name}.html").write_text(page(name, WORDS.format(name)))
        write_sitemap(public, "a", "b")
        clock = Clock(lambda: BEGIN)
        served = ServedSite(public, tmp_path / "access.log", clock)
        site = Serving(served, listen(0)).start()
        web = LoopbackWeb({"www.marrowfen.example": site.address}, "bot")
        engine = SimulatedEngine("Engine", "bot", web, Scenario(**rules), clock=clock)
        api = Serving(engine_app(engine), listen(0)).start()
        running.extend((site, api))
        return engine, public, served, f"http://{api.address}"

    yield make
    for one in running:
        one.stop()


def write_sitemap(public, *names):
    entries = "".join(f"<url><loc>{SITE}/{name}.html</loc></url>" for name in names)
    (public / "sitemap.xml").write_text(
        f'<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">{entries}</urlset>'
    )


def state(engine, name="a"):
    found = {one["loc"]: one for one in engine.pages(SITE)}
    return found.get(f"{SITE}/{name}.html")


def test_each_thing_happens_at_its_own_time(world):
    engine, _, _, _ = world(read_after=6, crawl_after=10, index_after=20)
    engine.take_sitemap(SITE, f"{SITE}/sitemap.xml")
    engine.forward(5)
    assert engine.reports(SITE)[0]["state"] == "pending"
    engine.forward(2)
    report = engine.reports(SITE)[0]
    assert (report["last_read"], report["found"], report["indexed"]) == (
        "2026-11-01T18:00:00Z",
        2,
        0,
    )
    assert state(engine)["reason"] == WAITING_CRAWL
    engine.forward(24)
    assert (state(engine)["last_crawl"], state(engine)["reason"]) == (
        "2026-11-02T04:00:00Z",
        WAITING_INDEX,
    )
    engine.forward(24)
    assert (state(engine)["indexed"], state(engine)["indexed_at"]) == (True, "2026-11-03T00:00:00Z")
    assert engine.reports(SITE)[0]["indexed"] == 2


def test_quotas_hold_from_day_to_day(world):
    engine, _, _, api = world(pages_per_day=1, asked_per_day=1, announced_per_day=2)
    engine.take_sitemap(SITE, f"{SITE}/sitemap.xml")
    engine.forward(1)
    assert [one["indexed"] for one in engine.pages(SITE)] == [True, False]
    engine.forward(24)
    assert [one["indexed"] for one in engine.pages(SITE)] == [True, True]
    there = f"{api}/sites/{quote(SITE, safe='')}/pages/{quote(SITE + '/c.html', safe='')}"
    assert [httpx.post(there).status_code for _ in range(2)] == [202, 429]
    assert engine.take_addresses([f"{SITE}/a.html", f"{SITE}/b.html"])
    assert not engine.take_addresses([f"{SITE}/c.html"])
    assert [one["count"] for one in engine.messages()] == [1, 1, 2]


def test_pages_are_looked_at_again_and_what_changed_is_seen(world):
    engine, public, served, _ = world(read_again=48, crawl_again=48)
    engine.take_sitemap(SITE, f"{SITE}/sitemap.xml")
    engine.forward(1)
    served.fields["/a"] = {"X-Robots-Tag": "noindex"}
    write_sitemap(public, "a", "b", "c")
    (public / "b.html").unlink()
    engine.forward(24)
    assert state(engine)["indexed"]
    engine.forward(48)
    assert (state(engine)["reason"], state(engine, "b")["reason"]) == ("noindex", "not found")
    assert state(engine, "c")["indexed"]
    served.fields.clear()
    engine.forward(48)
    assert state(engine)["indexed"]
    log = (public.parent / "access.log").read_text()
    assert (
        '[03/Nov/2026:12:00:00 +0000] "GET /b.html HTTP/1.1" 404 - "-" "bot/1.0 (simulated)"' in log
    )


def test_canonicals_are_followed_within_the_site(world):
    engine, public, _, _ = world()
    for name, to in (("a", "/c.html"), ("b", "https://other.example/")):
        head = f'<link rel="canonical" href="{to if "//" in to else SITE + to}">'
        (public / f"{name}.html").write_text(page(name, WORDS.format(name), head))
    engine.take_sitemap(SITE, f"{SITE}/sitemap.xml")
    engine.forward(1)
    assert state(engine)["canonical"] == f"{SITE}/c.html"
    assert state(engine, "c")["indexed"]
    assert {one["loc"].rpartition("/")[2] for one in engine.pages(SITE)} == {
        "a.html",
        "b.html",
        "c.html",
    }


def test_a_site_must_be_proved_to_be_the_owner_s(world):
    _, public, _, api = world(ownership=True)
    there = f"{api}/sites/{quote(SITE, safe='')}"
    assert httpx.get(f"{there}/sitemaps").status_code == 403
    proof = httpx.get(f"{there}/proof").json()
    assert httpx.post(f"{there}/proof").status_code == 403
    (public / proof["file"]).write_text(proof["token"])
    assert httpx.post(f"{there}/proof").status_code == 200
    assert httpx.get(f"{there}/sitemaps").status_code == 200
    (public / proof["file"]).unlink()
    tag = f'<meta name="{proof["meta"]}" content="{proof["token"]}">'
    (public / "index.html").write_text(page("Home", "", tag))
    assert httpx.post(f"{there}/proof").status_code == 200


def test_what_it_exports_can_be_heard_and_its_page_says_that_it_is_simulated(world):
    engine, _, _, api = world(least_words=12)
    engine.take_sitemap(SITE, f"{SITE}/sitemap.xml")
    engine.take_addresses([f"{SITE}/none.html"])
    engine.forward(1)
    there = f"{api}/sites/{quote(SITE, safe='')}"
    for kind, ours in (("sitemaps", "sitemaps"), ("pages", "addresses"), ("reasons", "reasons")):
        data = httpx.get(f"{there}/{kind}.csv").content
        read = read_export(export_rows(data), ours, {our: their for their, our in EXPORTS[kind]})
        assert len(read.rows) == len(list(csv.reader(io.StringIO(data.decode())))) - 1
    assert read.rows == [{"reason": "not found", "pages": 1}]
    shown = httpx.get(f"{api}/report").text
    for words in ("A simulated search engine", "2 of 3 known pages indexed", "not found"):
        assert words in shown
    assert httpx.get(f"{there}/pages").json()["next"] is None
    one = httpx.get(f"{there}/pages/{quote(SITE + '/a.html', safe='')}").json()
    assert (one["indexed"], one["announced"]) == (True, None)
    removed = f"{there}/sitemaps/{quote(SITE + '/sitemap.xml', safe='')}"
    assert [httpx.delete(removed).status_code for _ in range(2)] == [204, 404]


def test_its_clock_is_put_forward_over_the_interface(world):
    _, _, _, api = world()
    assert httpx.get(f"{api}/clock").json() == {"now": "2026-11-01T12:00:00Z"}
    assert httpx.post(f"{api}/clock?hours=36").json() == {"now": "2026-11-03T00:00:00Z"}
    for hours in ("x", "-1", "99999"):
        assert httpx.post(f"{api}/clock?hours={hours}").status_code == 400


def test_trouble_is_played_where_when_and_as_often_as_the_scenario_says(world):
    rules = (
        Trouble(on="sitemaps", status=503, times=1),
        Trouble(on="pages", status=429, retry_after=9, from_hour=1, until_hour=2),
    )
    engine, _, _, api = world(trouble=rules)
    there = f"{api}/sites/{quote(SITE, safe='')}"
    assert [httpx.get(f"{there}/sitemaps").status_code for _ in range(2)] == [503, 200]
    seen = []
    for _ in range(3):
        answer = httpx.get(f"{there}/pages")
        seen.append((answer.status_code, answer.headers.get("retry-after")))
        engine.forward(1)
    assert seen == [(200, None), (429, "9"), (200, None)]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("read_after = ", "is not TOML"),
        ("read_afer = 3", "read_afer is no key.* Keys are: read_after, read_again"),
        ("crawl_after = -1", "crawl_after is -1; it must be at least 0"),
        ('[[trouble]]\non = "moon"', "trouble.0.on"),
    ],
)
def test_a_scenario_that_is_wrong_says_what_is_wrong(tmp_path, text, words):
    place = tmp_path / "scenario.toml"
    place.write_text(text)
    with pytest.raises(AtlasError, match=words):
        read_scenario(place)
    place.write_text("read_after = 6\n[[trouble]]\nhalf = true\n")
    assert read_scenario(place) == Scenario(read_after=6, trouble=(Trouble(half=True),))
