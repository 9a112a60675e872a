"""Previews: what is shown and cut, where it comes from; drawn as a picture and as a page."""

import io

import httpx
import pytest
from PIL import Image
from selectolax.lexbor import LexborHTMLParser

from jovial_atlas.demo.round import servers
from jovial_atlas.serving import HeadReader, fragment_path
from tests.conftest import URL, run_command


@pytest.fixture
def site(marrowfen):
    (marrowfen / "atlas.toml").open("a").write(
        '\n[head]\nimage = "/pictures/heron-pool.jpg"\nfragments = true\n'
        'titles = { error = "Lost – {{ site.name }}" }\n[sharing]\ncopies = true\n'
        "[lengths]\ntitle_px = 300\n"
    )
    return marrowfen


def test_a_preview_tells_what_is_cut_and_where_texts_come_from(site):
    page = "/field-notes/a-year-of-frogs/"
    (one,) = run_command("preview", page, "--format", "json", cwd=site).json["previews"]
    title = one["wide"]["title"]
    assert title["text"].startswith(title["shown"].removesuffix("…"))
    assert (title["px"] > 300, title["of"], title["source"]) == (True, 300, "page")
    assert one["card_title_from"] == "heading"
    assert one["picture"]["source"] == "first large picture"
    shown = run_command("preview", page, cwd=site).out
    assert "title is cut before" in shown
    assert "As a result, narrow screen" in shown
    lost = run_command("preview", "/404.html", cwd=site).out
    assert "Lost – Marrowfen" in lost
    assert "It may not be found: it is an error page" in lost
    assert run_command("preview", "/nothing/", cwd=site).code == 2


def test_previews_are_drawn_for_one_page_and_for_many(site):
    assert run_command("preview", "/", "--to", "p.png", cwd=site).code == 0
    one = Image.open(io.BytesIO((site / "p.png").read_bytes()))
    run_command("preview", "--section", "species", "--limit", "3", "--to", "p.png", cwd=site)
    three = Image.open(site / "p.png")
    assert (one.width, three.width) == (1240, 1240)
    assert three.height > 2 * one.height
    run_command("preview", "--section", "species", "--limit", "3", "--to", "p.html", cwd=site)
    tree = LexborHTMLParser((site / "p.html").read_bytes())
    assert [len(tree.css(f".card.{size} img")) for size in ("large", "small")] == [3, 3]
    assert tree.css_first("meta[name=robots]").attributes["content"] == "noindex"
    assert not [
        n for n in tree.css("[src], link[href]") if "http" in (n.attributes.get("src") or "http")
    ]
    assert run_command("preview", "/", "--to", "p.pdf", cwd=site).code == 2
    many = run_command("preview", "--limit", "60", "--to", "p.png", cwd=site)
    assert (many.code, "at most 40" in many.err) == (2, True)


def test_another_system_reads_the_heads_by_address(site):
    assert run_command("build", cwd=site).code == 0
    reader = HeadReader(site / ".jovial-atlas/heads")
    for address in ("/", f"{URL}/shop/heron-mug/"):
        html, data = reader.html(address), reader.data(address)
        assert LexborHTMLParser(html).css_first("title").text() == data["title"]
        assert (
            LexborHTMLParser(html).css_first("link[rel=canonical]").attributes["href"]
            == data["loc"]
        )
    assert (reader.html("/none/"), reader.data("/../../published")) == ("", None)
    paths = ["/a", "/a/", "/a.html", "/a?x", "/a?y", "/a/?x", "/", "/@", "/a@x"]
    assert len({fragment_path(path) for path in paths}) == len(paths)


def test_what_was_injected_is_served_and_read_back_as_it_was_meant(site):
    for command in ("build", "inject"):
        assert run_command(command, cwd=site).code == 0
    reader = HeadReader(site / ".jovial-atlas/heads")
    pages = run_command("pages", "--format", "json", cwd=site).json
    with servers(site) as running, httpx.Client(base_url=f"http://{running.site}") as client:
        for one in pages:
            path = one["loc"].removeprefix(URL)
            wanted = reader.data(path)
            head = LexborHTMLParser(client.get(path).content).head
            assert [node.text() for node in head.css("title")] == [wanted["title"]], path
            for name, value in (
                ("description", wanted["description"]),
                ("robots", wanted["directives"]),
            ):
                given = [n.attributes["content"] for n in head.css(f"meta[name={name}]")]
                assert given == ([value] if value else []), (path, name)
            named = [node.attributes["href"] for node in head.css("link[rel=canonical]")]
            assert named == ([wanted["canonical"]] if wanted["json_ld"] else []), path
            picture = [n.attributes["content"] for n in head.css('meta[property="og:image"]')]
            assert picture == ([wanted["picture"]["loc"]] if wanted["picture"] else []), path
            if picture and picture[0].startswith(URL):
                served = client.get(picture[0].removeprefix(URL))
                size = Image.open(io.BytesIO(served.content)).size
                assert size == (wanted["picture"]["width"], wanted["picture"]["height"])
        live = run_command(
            "check", "--live", "--server", f"http://{running.site}", "--per-second", "900",
            "--format", "json", cwd=site,
        ).json  # fmt: skip
    assert [f for f in live["findings"] if f["code"].startswith("live")] == []
