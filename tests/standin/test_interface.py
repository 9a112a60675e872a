"""The stand-in's interface: IndexNow's answers in their order, tokens, and loopback only."""

from urllib.parse import quote

import httpx
import pytest

from jovial_atlas.errors import AtlasError
from jovial_atlas.standin.engine import SimulatedEngine
from jovial_atlas.standin.server import Serving, engine_app, listen
from jovial_atlas.standin.site import ServedSite
from jovial_atlas.standin.web import LoopbackWeb

SITE = "https://www.marrowfen.example"
KEY = "0123456789abcdef"


@pytest.fixture
def engine(tmp_path):
    """An engine that wants a token, and a site that shows the key; gives its address."""
    (tmp_path / f"{KEY}.txt").write_text(KEY)
    site = Serving(ServedSite(tmp_path), listen(0)).start()
    web = LoopbackWeb({"www.marrowfen.example": site.address}, "lanternbot")
    simulated = SimulatedEngine("Lanternfish", "lanternbot", web)
    serving = Serving(engine_app(simulated, "secret"), listen(0)).start()
    yield f"http://{serving.address}", simulated
    serving.stop()
    site.stop()


def message(**changes):
    base = {"host": "www.marrowfen.example", "key": KEY, "urlList": [f"{SITE}/a"]}
    return {**base, **changes}


@pytest.mark.parametrize(
    ("body", "status"),
    [
        (message(), 200),
        (message(keyLocation=f"{SITE}/{KEY}.txt"), 200),
        ([], 400),
        (message(urlList="x"), 400),
        (message(urlList=["/a"]), 400),
        (message(key="short"), 400),
        (message(urlList=[]), 400),
        (message(urlList=["https://other.example/"]), 422),
        (message(urlList=[f"{SITE}/{n}" for n in range(10_001)]), 422),
        (message(key="another-key-altogether"), 403),
    ],
)
def test_indexnow_is_answered_by_the_protocol(engine, body, status):
    address, simulated = engine
    assert httpx.post(f"{address}/indexnow", json=body).status_code == status
    assert bool(simulated.heard()) is (status == 200)


def test_one_address_can_be_announced_by_get(engine):
    address, simulated = engine
    query = {"url": f"{SITE}/a", "key": KEY}
    assert httpx.get(f"{address}/indexnow", params=query).status_code == 200
    assert list(simulated.heard()) == [f"{SITE}/a"]


@pytest.mark.parametrize(
    ("method", "path", "token", "status"),
    [
        ("PUT", f"{SITE}|sitemaps|{SITE}/sitemap.xml", "secret", 202),
        ("PUT", f"{SITE}|sitemaps|{SITE}/sitemap.xml", "wrong", 401),
        ("PUT", f"{SITE}|sitemaps|https://o.example/s.xml", "secret", 422),
        ("PUT", "nonsense|sitemaps|x", "secret", 400),
        ("GET", f"{SITE}|sitemaps", "secret", 200),
        ("GET", f"{SITE}|other", "secret", 404),
    ],
)
def test_calls_about_sites_need_the_token_and_stay_on_the_site(engine, method, path, token, status):
    address, _ = engine
    parts = "/".join(quote(part, safe="") for part in path.split("|"))
    headers = {"Authorization": f"Bearer {token}"}
    answer = httpx.request(method, f"{address}/sites/{parts}", headers=headers)
    assert answer.status_code == status


def test_it_says_that_it_is_simulated(engine):
    assert "simulated" in httpx.get(engine[0]).json()["note"]


@pytest.mark.parametrize(
    "place", ["8.8.8.8:80", "www.marrowfen.example:80", "127.0.0.1", "[::1]:x"]
)
def test_a_stand_in_is_never_sent_off_this_machine(place):
    with pytest.raises(AtlasError, match="only from this machine"):
        LoopbackWeb({"www.marrowfen.example": place}, "lanternbot")
    web = LoopbackWeb({}, "lanternbot")
    assert web.get("https://www.marrowfen.example/").status == 0
