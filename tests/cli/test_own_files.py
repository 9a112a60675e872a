"""The state folder is lost, and what was built stays: a build knows its own files again."""

import shutil

import pytest

from tests.conftest import page, write_site

PAGES = {
    f"n/{n}.html": page(
        f"Page {n}",
        f"<p>Words {n}.",
        f'<meta property="article:published_time" content="2026-01-{n + 1:02}">',
    )
    for n in range(12)
}


@pytest.mark.parametrize(
    "more",
    ["", "style = false\ntext = true\ncompress = 'always'\n"],
    ids=["plain", "without-style"],
)
def test_own_files_are_known_again_and_stay_no_pages(tmp_path, atlas, more):
    write_site(
        tmp_path,
        PAGES,
        f"[feed]\nrss = 'feed.xml'\natom = 'atom.xml'\n[sitemap]\nmax_urls = 3\n{more}",
    )
    assert [atlas(one).code for one in ("survey", "build")] == [0, 0]
    place = tmp_path / "public/sitemap.html"
    place.write_text(place.read_text().replace("  ", ""))  # as by a program that packs pages
    assert atlas("survey", "--format", "json").json["pages"] == 12
    shutil.rmtree(tmp_path / ".jovial-atlas")
    for number in range(5, 12):
        (tmp_path / f"public/n/{number}.html").unlink()
    (tmp_path / "public/n/1.html").write_text(PAGES["n/1.html"].replace("Page 1", "Another"))
    theirs = b'<?xml version="1.0"?><urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9"/>'
    (tmp_path / "public/sitemap-of-theirs.xml").write_bytes(theirs)
    survey = atlas("survey", "--format", "json").json
    assert survey["pages"] == 5, "neither /sitemap.html nor anything else of the build is a page"
    built = atlas("build", "--format", "json")
    states = {one["path"]: one["state"] for one in built.json["files"]}
    assert "kept" not in states.values(), states
    assert sum(state == "removed" for state in states.values()) == 2 * (1 + ("text" in more)), (
        states
    )
    assert states["feed.xml"] == states["atom.xml"] == states["sitemap.html"] == "changed"
    assert (tmp_path / "public/sitemap-of-theirs.xml").read_bytes() == theirs
    assert atlas("check").code == 0


def test_what_carries_no_sign_is_never_written_over(tmp_path, atlas):
    write_site(tmp_path, PAGES)
    theirs = "<!doctype html><title>By hand</title><p>All pages."
    (tmp_path / "public/sitemap.html").write_text(theirs)
    (tmp_path / "public/sitemap.xml").write_text("<urlset/>")
    assert atlas("survey", "--format", "json").json["pages"] == 13
    states = {one["path"]: one["state"] for one in atlas("build", "--format", "json").json["files"]}
    assert states["sitemap.html"] == states["sitemap.xml"] == "kept"
    assert (tmp_path / "public/sitemap.html").read_text() == theirs
