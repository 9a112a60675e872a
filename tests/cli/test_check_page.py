"""`check` of one page, whoever made it."""

import pytest

from tests.conftest import URL, page, run_command, write_site

HEAD = '<link rel=canonical href="{0}"><meta name=description content="All that there is to be said of the otters of the fen, and of what they eat.">'


def checked(cwd, *arguments):
    return run_command("check", *arguments, "--format", "json", cwd=cwd).json


def codes(told):
    return {one["code"] for one in told["findings"] if one["severity"] != "advice"}


@pytest.fixture
def site(tmp_path):
    body = '<p>Words.</p><a href="/b/">b</a><a href="/none/">n</a><a href="https://other.example/">o</a><img src="lost.png" alt="x">'
    write_site(tmp_path, {
        "a/index.html": page("The otters of the fen", body, HEAD.format(f"{URL}/a/")),
        "b/index.html": page("B"),
    })  # fmt: skip
    return tmp_path


def test_a_page_is_judged_by_its_own_site_where_it_is_known(site):
    run_command("survey", cwd=site)
    told = checked(site, "public/a/index.html")
    assert told["pages"][0]["says"][:2] == [f"address: {URL}/a/; may be indexed", "canonical: itself"]
    assert codes(told) == {"link-broken", "link-loads-nothing", "share-picture-unusable"}
    broken = [one["message"] for one in told["findings"] if one["code"] == "link-broken"]
    assert broken == [f"It links to {URL}/none/: there is nothing."]
    assert {one["where"] for one in told["findings"] if one["code"].startswith("link-")} == {"public/a/index.html"}
    shown = run_command("check", "public/a/index.html", "--brief", cwd=site)
    assert "main heading: The otters of the fen" in shown.out and shown.code == 1


@pytest.mark.parametrize(
    ("head", "body", "said", "found"),
    [
        ("<meta name=robots content=noindex>", "", "asks engines not to index it (noindex)", set()),
        ('<link rel=canonical href="mailto:x">', "", "canonical: none named", {"canonical-unusable"}),
        ("", '<a href="beside.html">x</a><a href="nowhere.html">y</a><a href="/root/">z</a>', "3 addresses linked", {"link-broken"}),
        ('<script type="application/ld+json">{"@context": "https://schema.org", "@type": "Prson"}</script>', "", "none known", {"data-type"}),
    ],
)
def test_a_file_of_nobody_is_judged_by_itself_and_what_lies_beside_it(tmp_path, head, body, said, found):
    (tmp_path / "deep").mkdir()
    (tmp_path / "deep/page.html").write_text(page("A page of somebody else", body, head))
    (tmp_path / "deep/beside.html").write_text(page("Beside"))
    told = checked(tmp_path, "deep/page.html")
    lines = " ".join(told["pages"][0]["says"])
    assert said.replace("3 addresses", "2 addresses") in lines, lines
    assert found <= codes(told), told["findings"]


def test_the_canonical_says_where_a_page_is_and_an_address_is_checked_like_a_file(tmp_path, site, web):
    told = checked(tmp_path, "public/b/index.html", "--as", f"{URL}/b/")
    assert told["pages"][0]["says"][0].startswith(f"address: {URL}/b/")
    web.page("/x.html", '<a href="/y/">y</a>', HEAD.format(f"{web.url}/x.html"))
    live = checked(tmp_path, f"{web.url}/x.html")
    assert live["pages"][0]["says"][1] == "canonical: itself"
    (tmp_path / "no.html").write_bytes(b"<")
    assert run_command("check", "no.html", cwd=tmp_path).code in (0, 1, 2)
