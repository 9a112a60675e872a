"""Keys of the site file that cannot be right: each told with its line, what is wrong, and the right form."""

import pytest

from tests.conftest import page, write_site

ENGINE = '[[engine]]\nname = "Quillseek"\n'


@pytest.mark.parametrize(
    ("more", "words"),
    [
        ('[sharing]\npoints = { "p.jpg" = [0.5, 0.5] }', "begins with '/'"),
        ('[sharing]\npoints = { "/p.jpg" = [0.5, 1.5] }', "both parts are from 0 to 1"),
        ("[sharing]\nmost_bytes = 1", "20000"),
        ('[sharing]\nfocus = "left"', "centre"),
        ('[head]\ntitles = { news = "x" }', "listing"),
        ('[head]\ntitles = { error = "{{ page.tite }}" }', "page.title"),
        ('[head]\nshare_image = "{{ page.photo }}"', "does not exist"),
        ('[head]\ncard_title = "{{ nothing }}"', "page, site and section"),
        ('[inject]\nnofollow = ["shop.example"]', "must begin with"),
        ('[inject]\nnofollow = ["ftp://shop.example/**"]', "https://"),
        ('[inject]\nbody_end = "<b>x</b><!-- /snippet -->"', "may not hold the comment"),
        ('[publisher]\ncontacts = [{ kind = "shop" }]', "neither telephone nor email"),
        ('[[place]]\nname = "x"\nlatitude = 91.0', "90"),
        ('[[place]]\nname = "x"\nkind = "Caffe"', "did you mean"),
        ('[[place]]\nname = "x"\ndata = { nme = "y" }', "no property 'nme'"),
        ('[structured]\nfeatures = { Event = { needed = ["name"] } }', "required, recommended and inside"),
        ('[structured]\nfeatures = { Event = { inside = { offers = { required = 3 } } } }', "Event.offers"),
        (f'{ENGINE}crawler_ranges = ["192.0.2.0/40"]', "is no range"),
        (f'{ENGINE}ownership = {{ file = "a/b", content = "x" }}', "no name of a file"),
        (f'{ENGINE}ownership = {{ file = "a.txt" }}', "belong together"),
        (f'{ENGINE}exports = [{{ kind = "sitemap" }}]', "sitemaps"),
        (f'{ENGINE}channels = [{{ kind = "websub", hub = "no address" }}]', "no address"),
        (f'{ENGINE}channels = [{{ kind = "indexnow", endpoint = "http://127.0.0.1/i", per_day = 0 }}]', "1"),
    ],
)  # fmt: skip
def test_a_key_that_cannot_be_right_is_told(tmp_path, atlas, more, words):
    write_site(tmp_path, {"a.html": page()}, more)
    assert not (tmp_path / ".jovial-atlas").exists()
    for command in ("survey", "build"):
        ran = atlas(command)
        if ran.code == 2:
            break
    assert (ran.code, words in ran.err) == (2, True), ran.err


@pytest.mark.parametrize(
    ("search", "words"),
    [('search = "/search/"', "search_term_string"), ('timezone = "Europe/Fen"', "is no time zone")],
)
def test_search_and_zone_of_the_site_are_looked_at(tmp_path, atlas, search, words):
    place = write_site(tmp_path, {"a.html": page()})
    place.write_text(place.read_text().replace("stage =", f"{search}\nstage ="))
    ran = atlas("survey")
    assert (ran.code, words in ran.err) == (2, True), ran.err
