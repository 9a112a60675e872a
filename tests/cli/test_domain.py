"""The move of a whole domain: planned, written for the old host, served by the real nginx, and
followed over weeks by a simulated engine."""

import json
from datetime import timedelta

import httpx
import polars as pl
import pytest

from jovial_atlas.standin.clock import Clock
from jovial_atlas.standin.engine import SimulatedEngine
from jovial_atlas.standin.scenario import Scenario
from jovial_atlas.standin.server import Serving, engine_app, listen
from jovial_atlas.standin.web import LoopbackWeb
from tests.conftest import TODAY, page, run_command, write_site
from tests.real_servers import apache, free_port, nginx

OLD, NEW = "http://www.marrowfen.example", "http://fen.example"
PAGES = ("", "otters/", "herons/", "about/", "shop/mug/")
ENGINE = """
[[engine]]
name = "Lanternfish"
ownership = { meta = { "lanternfish-site" = "x" } }
channels = [
  { kind = "indexnow", endpoint = "http://@AT@/indexnow" },
  { kind = "call", name = "submit-sitemap", method = "PUT", url = "http://@AT@/sites/{site}/sitemaps/{sitemap}" },
  { kind = "call", name = "remove-sitemap", method = "DELETE", url = "http://@AT@/sites/{site}/sitemaps/{sitemap}" },
  { kind = "call", name = "read-pages", method = "GET", url = "http://@AT@/sites/{site}/pages", next = "next" },
]
"""


@pytest.mark.slow
def test_a_domain_moves_and_an_engine_follows_over_weeks(tmp_path):
    port, clock = free_port(), Clock()
    place = f"127.0.0.1:{port}"
    web = LoopbackWeb(dict.fromkeys(("www.marrowfen.example", "fen.example"), place), "lanternbot")
    engine = SimulatedEngine("Lanternfish", "lanternbot", web, Scenario(index_after=24.0), clock=clock)
    serving = Serving(engine_app(engine, ""), listen(0)).start()
    pages = {f"{name}index.html": page(name or "Home", f"<p>{name} words {n} of their own.</p>" * 3)
             for n, name in enumerate(PAGES)}  # fmt: skip
    site = write_site(tmp_path, pages, ENGINE.replace("@AT@", serving.address))
    site.write_text(site.read_text().replace("https://www.marrowfen.example", OLD))
    (tmp_path / "moves.csv").write_text("from,to\n/otter/,/otters/\n/pages/**,/$1\n")

    def run(*arguments, days=0):
        env = {"JOVIAL_ATLAS_NOW": f"{TODAY + timedelta(days=days):%Y-%m-%dT%H:%M:%SZ}"}
        ran = run_command(*arguments, cwd=tmp_path, env=env)
        assert ran.code == 0, ran.err + ran.out
        return ran

    def states(*arguments, days=0):
        told = run("moves", "domain", *arguments, "--format", "json", days=days).json
        return [one["state"] for one in told["steps"]], told

    def served(*more):
        own = f"server {{ listen 127.0.0.1:{port}; server_name fen.example; root {tmp_path}/public; }}"
        return nginx(tmp_path, tmp_path / "public", "\n".join(more) or own)

    try:
        run("survey"), run("build")
        with served(
            f"server {{ listen 127.0.0.1:{port}; server_name www.marrowfen.example; root {tmp_path}/public; }}"
        ):
            run("submit")
            engine.forward(48)
        assert sum(one["indexed"] for one in engine.pages(OLD)) == 5

        nothing = run("moves", "domain", NEW)
        assert "Nothing was changed" in nothing.out
        assert OLD in site.read_text()
        run("moves", "domain", NEW, "--yes")
        assert f'url = "{NEW}"' in site.read_text()
        began, _ = states()
        assert began == [
            "done", "to do", "to do", "done", "to do", "not looked at", "not looked at", "to do",
            "not looked at",
        ]  # fmt: skip
        run("survey", "--accept"), run("build", "--accept")
        old = (tmp_path / ".jovial-atlas/servers/old-host/nginx.conf").read_text()
        old = old.replace("listen 80;", f"listen 127.0.0.1:{port};").replace("listen [::]:80;", "")
        own = f"server {{ listen 127.0.0.1:{port}; server_name fen.example; root {tmp_path}/public; }}"
        with served(own):  # the old host is not configured yet, and another answers for it
            steps, told = states("--live", "--server", f"http://{place}")
            assert (steps[5], "answers by itself" in told["steps"][5]["found"]) == ("to do", True)
            # The same where the old host had https, and what stands for it has not.
            known, table = tmp_path / ".jovial-atlas/domain-addresses.parquet", tmp_path / "moves.csv"
            before = [(file, file.read_bytes()) for file in (site, known, table)]
            for file in (site, table):
                file.write_text(file.read_text().replace(OLD, f"https{OLD[4:]}"))
            pl.read_parquet(known).select(pl.col("loc").str.replace("http:", "https:")).write_parquet(known)
            _, told = states("--live", "--server", f"http://{place}")
            assert "answers by itself" in told["steps"][5]["found"]
            for file, data in before:
                file.write_bytes(data)
        with served(own, old):
            for path, to in (("/otters/?a=b", "/otters/?a=b"), ("/otter/", "/otters/"),
                             ("/pages/about/", "/about/"), ("/%C3%BC", "/%C3%BC")):  # fmt: skip
                answer = web.get(OLD + path)
                assert (answer.status, answer.headers["location"]) == (301, NEW + to)
            assert b"Disallow:\n" in web.get(f"{OLD}/robots.txt").body
            assert f"{OLD}/otters/".encode() in web.get(f"{OLD}/sitemap.xml").body
            submitted = run("submit", "--format", "json").json["announcements"]
            assert {one["status"] for one in submitted} <= {"taken", "pending"}
            assert not any("remove" in one["channel"] for one in submitted)
            course = []
            for week in range(1, 4):
                engine.forward(7 * 24)
                steps, told = states("--ask", "--live", "--server", f"http://{place}", days=2 + 7 * week)
                last = told["course"][-1]
                course.append((last["old_indexed"], last["new_indexed"]))
            assert steps == ["done"] * 9, [one for one in told["steps"] if one["state"] != "done"]
            assert course[-1] == (0, 5)
        conf = tmp_path / ".jovial-atlas/servers/old-host/apache.conf"
        with apache(tmp_path, tmp_path / "public", f"Include {conf}") as other:
            for path, to in (("/otter/", "/otters/"), ("/pages/x", "/x"), ("/a%20b?c", "/a%20b?c")):
                answer = httpx.get(f"http://127.0.0.1:{other}{path}", trust_env=False)
                assert (answer.status_code, answer.headers["location"]) == (301, NEW + to)
            robots = httpx.get(f"http://127.0.0.1:{other}/robots.txt", trust_env=False)
            assert "Sitemap:" in robots.text
        run("moves", "domain", "--figure", "course.svg")
        assert "Lanternfish: pages in the index" in (tmp_path / "course.svg").read_text()
        # Later a page of the new host moves on: the old host leads there in one hop.
        (tmp_path / "public/about").rename(tmp_path / "public/us")
        run("survey", "--accept"), run("moves", "take", "--sure", "0.8", "--yes"), run("build", "--accept")
        moves = json.loads((tmp_path / ".jovial-atlas/servers/old-host/moves.json").read_text())
        assert {one["from"]: one["to"] for one in moves["moves"]}["/about/"] == f"{NEW}/us/"
        assert moves["patterns"][-1]["pattern"] == "/**", "all that is left, for other servers too"
    finally:
        serving.stop()


def test_a_domain_cannot_move_to_where_it_is_and_not_twice_at_once(marrowfen):
    for new, said in (
        ("https://www.marrowfen.example/", "is the address of the site already"),
        ("https://x.example/path", "has a path"),
        ("nowhere", "not an absolute"),
    ):
        refused = run_command("moves", "domain", new, cwd=marrowfen)
        assert refused.code == 2
        assert said in refused.err
    assert "No domain moves" in run_command("moves", "domain", cwd=marrowfen).err
    assert run_command("moves", "domain", "https://fen.example", "--yes", cwd=marrowfen).code == 0
    again = run_command("moves", "domain", "https://other.example", cwd=marrowfen)
    assert (again.code, "goes on" in again.err) == (2, True)
