"""What an engine tells of clicks over its interface: part by part, once more for the last days, and what came before a
failure is kept."""

from datetime import timedelta
from urllib.parse import quote

import httpx
import pytest

from jovial_atlas.engines.asking import Asking
from jovial_atlas.errors import NetworkError
from jovial_atlas.sitefile import CallChannel, Engine
from jovial_atlas.standin.clock import Clock
from jovial_atlas.standin.engine import SimulatedEngine
from jovial_atlas.standin.scenario import Scenario
from jovial_atlas.standin.server import Serving, engine_app, listen
from jovial_atlas.standin.site import ServedSite
from jovial_atlas.standin.web import LoopbackWeb
from jovial_atlas.web import new_client
from tests.conftest import URL, run_command


def channel(url, **more):
    return CallChannel(name="read-performance", method="GET", url=url, **more)


def answering(monkeypatch, parts):
    """Answers by what is asked for behind the host, and what was asked."""
    asked = []

    def send(_client, request):
        path = request.url.partition("lantern.example")[2]
        asked.append(path)
        said = parts.get(path)
        return httpx_answer(said)

    monkeypatch.setattr("jovial_atlas.engines.asking.send", send)
    return asked


def httpx_answer(said):
    from jovial_atlas.web import Answer

    return Answer(200 if said is not None else 503, (said or "down").encode(), httpx.Headers({}))


@pytest.mark.parametrize(
    ("described", "parts", "wanted"),
    [
        (
            channel("https://lantern.example/p?a={from}&b={to}", next="more.url"),
            {"/p?a=2026-10-01&b=2026-10-02": '{"rows": [{"x": 1}], "more": {"url": "/p2"}}', "/p2": '{"rows": [{"x": 2}]}'},
            [[{"x": 1}], [{"x": 2}]],
        ),
        (
            channel("https://lantern.example/p?s={skip}", items="data.list"),
            {"/p?s=0": '{"data": {"list": [{"x": 1}, {"x": 2}]}}', "/p?s=2": '{"data": {"list": [{"x": 3}]}}',
             "/p?s=3": '{"data": {"list": []}}'},
            [[{"x": 1}, {"x": 2}], [{"x": 3}], []],
        ),
    ],
)  # fmt: skip
def test_lists_go_on_by_an_address_or_by_a_number(monkeypatch, described, parts, wanted):
    answering(monkeypatch, parts)
    engine = Engine(name="Lanternfish", channels=(described,))
    with new_client(1.0) as client:
        asking = Asking(engine, URL, client, lambda _name: "")
        assert list(asking.performance("2026-10-01", "2026-10-02")) == wanted
        parts["/p?a=2026-10-01&b=2026-10-02"] = '{"rows": [], "more": {"url": "https://other.example/"}}'
        if described.next:
            with pytest.raises(NetworkError, match="another host; it is not asked"):
                list(asking.performance("2026-10-01", "2026-10-02"))


def test_an_engine_is_asked_over_its_interface_for_what_is_not_known(marrowfen):
    clock = Clock()
    served = Serving(ServedSite(marrowfen / "public", marrowfen / "access.log", clock), listen(0)).start()
    web = LoopbackWeb({"www.marrowfen.example": served.address}, "bot")
    engine = SimulatedEngine("Quillseek", "bot", web, Scenario(), clock=clock)
    api = Serving(engine_app(engine), listen(0)).start()
    try:
        engine.take_sitemap(URL, f"{URL}/sitemap.xml")
        engine.forward(24 * 20)
        (marrowfen / "atlas.toml").open("a").write(f"""
[[engine]]
name = "Quillseek"
crawlers = ["quillseek"]
channels = [{{ kind = "call", name = "read-performance", method = "GET", next = "next", url = "http://{api.address}/sites/{{site}}/performance?from={{from}}&to={{to}}", fields = {{ date = "keys.0", loc = "keys.1", query = "keys.2", impressions = "shown", position = "place" }} }}]

[[engine]]
name = "Other"
channels = [{{ kind = "hand" }}]
""")
        env = {"JOVIAL_ATLAS_NOW": clock.present().isoformat()}
        first = run_command("hear", "--engine", "Quillseek", "--format", "json", cwd=marrowfen, env=env)
        (heard,) = first.json["heard"]
        assert (heard["by"], heard["new"] == heard["rows"] > 1000) == (["date", "loc", "query"], True)
        (again,) = run_command("hear", "--engine", "Quillseek", "--format", "json", cwd=marrowfen, env=env).json["heard"]
        assert (again["new"], 0 < again["rows"] < heard["rows"] / 5) == (0, True)
        told = run_command("traffic", "--format", "json", cwd=marrowfen, env=env).json
        assert told["impressions"] > 0
        last = clock.present().date()
        days = {"from": f"{last - timedelta(3)}", "to": f"{last - timedelta(1)}"}
        table = httpx.get(f"http://{api.address}/sites/{quote(URL, safe='')}/performance.csv", params=days)
        assert table.text.startswith("Tag;Seite;Suchanfrage;Klicks;Einblendungen;Rang")
        (marrowfen / "exported.csv").write_bytes(table.content)
        (same,) = run_command("hear", "--engine", "Quillseek", "exported.csv", "--format", "json", cwd=marrowfen, env=env).json["heard"]
        assert (same["new"], same["other"], same["rows"] > 100) == (0, 0, True)
        assert run_command("review", "--where", "clicks > 5", "--format", "json", cwd=marrowfen, env=env).code == 0
        named = run_command("hear", "--engine", "Other", cwd=marrowfen, env=env)
        assert (named.code, "Name a FILE that Other exported" in named.err) == (2, True)
    finally:
        for one in (api, served):
            one.stop()
    down = run_command("hear", "--engine", "Quillseek", cwd=marrowfen, env=env)
    assert (down.code, down.out) == (2, "")
