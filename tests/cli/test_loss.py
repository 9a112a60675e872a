"""The guard against loss: a failed build of the site costs nothing, and a decision is not held up."""

import shutil

import pytest

from tests.conftest import page, write_site

DATED = '<meta property="article:published_time" content="2026-{:02}-01">'
PAGES = {f"{part}/{n}.html": page(f"{part} {n}", f"<p>Words {n}.", DATED.format(n + 1))
         for part, count in (("walks", 11), ("notes", 6)) for n in range(count)}  # fmt: skip
MORE = (
    '[[section]]\nname = "walks"\nmatch = "/walks/**"\n[[section]]\nname = "notes"\nmatch = "/notes/**"\n'
)


@pytest.fixture
def built(tmp_path, atlas):
    write_site(tmp_path, PAGES, MORE)
    for command in ("survey", "build"):
        ran = atlas(command)
        assert ran.code == 0, ran
    return tmp_path


def public(folder):
    return {p.name: p.read_bytes() for p in (folder / "public").glob("*") if p.is_file()}


def dates(atlas):
    return {one["loc"]: one["lastmod"] for one in atlas("pages", "--format", "json").json}


def empty(folder):
    for part in ("walks", "notes"):
        shutil.rmtree(folder / "public" / part)


def mistype(folder):
    text = (folder / "atlas.toml").read_text()
    (folder / "new").mkdir()
    (folder / "new/index.html").write_text(page("Under construction"))
    (folder / "atlas.toml").write_text(
        text.replace('path = "public"', 'path = "new"') + '[output]\nfolder = "public"\n'
    )


def hide(folder):
    for place in (folder / "public").rglob("*/*.html"):
        text = place.read_text()
        place.write_text(text.replace("<head>", '<head><meta name="robots" content="noindex">'))


def one_section(folder):
    shutil.rmtree(folder / "public/notes")


@pytest.mark.parametrize(
    ("accident", "said"),
    [(empty, "the whole site: 17 of 17"), (mistype, "the whole site: 17 of 17"),
     (hide, "the whole site: 17 of 17"), (one_section, "section notes: 6 of 6")],
    ids=lambda one: getattr(one, "__name__", ""),
)  # fmt: skip
def test_an_accident_is_refused_costs_nothing_and_is_mended(built, atlas, accident, said):
    before, known = public(built), dates(atlas)
    kept = {path: (built / "public" / path).read_bytes() for path in PAGES}
    site_file = (built / "atlas.toml").read_bytes()
    accident(built)
    ran = atlas("survey")
    assert (ran.code, said in ran.err, "--accept" in ran.err) == (1, True, True), ran
    refused = atlas("survey", "--format", "json")
    assert refused.code == 1
    assert refused.json["refused"]["losses"][0]["lost"] in (17, 6)
    assert dates(atlas) == known
    assert public(built) == before
    # Even where the loss was accepted, the memory of dates is not lost with it.
    assert atlas("survey", "--accept").code == 0
    built_again = atlas("build", "--accept")
    assert built_again.code == 0, built_again
    assert public(built) != before
    for path, data in kept.items():
        place = built / "public" / path
        place.parent.mkdir(exist_ok=True)
        place.write_bytes(data)
    (built / "atlas.toml").write_bytes(site_file)
    assert atlas("survey").code == 0
    # Of what stood there in the meantime, all goes.
    assert atlas("build", "--accept").code == 0
    assert dates(atlas) == known
    after = public(built)
    assert after.keys() == before.keys()
    assert after["sitemap.xml"] == before["sitemap.xml"]


@pytest.mark.parametrize(
    ("gone", "more", "code"),
    [
        (3, "", 0),
        (9, "", 0),  # half of the site, but fewer pages than count
        (10, "", 1),
        (10, "[loss]\nshare = 0.9\nsection_share = 1\n", 0),
        (17, "[loss]\nshare = 1\n", 1),
        (17, "[loss]\nshare = 2\nsection_share = 2\nsource_share = 2\n", 0),
    ],
)
def test_share_and_number_decide(built, atlas, gone, more, code):
    with (built / "atlas.toml").open("a") as file:
        file.write(more)
    for path in list(PAGES)[:gone]:
        (built / "public" / path).unlink()
    assert atlas("survey").code == code


def test_a_decision_of_the_owner_is_not_held_up_unless_nothing_is_left(built, atlas):
    text = (built / "atlas.toml").read_text()
    rule = '[[rule]]\nmatch = "{}"\nset = {{ listed = false }}\nreason = "ours"\n'
    (built / "atlas.toml").write_text(text + rule.format("/walks/**"))
    assert [atlas(one).code for one in ("survey", "build")] == [0, 0]
    (built / "atlas.toml").write_text(text + rule.format("/**"))
    before = public(built)
    ran = atlas("build")
    assert (ran.code, public(built) == before) == (1, True), ran
    (built / "atlas.toml").write_text(text.replace('"live"', '"draft"'))
    assert [atlas(one).code for one in ("survey", "build")] == [0, 0]


def test_engines_are_not_told_of_a_loss_that_nobody_meant(built, atlas, hostile):
    hostile.manner = "fine"
    engine = f'[[engine]]\nname = "L"\nchannels = [{{ kind = "indexnow", endpoint = "{hostile.url}/" }}]\n'
    with (built / "atlas.toml").open("a") as file:
        file.write(engine)
    assert [atlas(one).code for one in ("build", "submit")] == [0, 0]
    empty(built)
    (built / "public/one.html").write_text(page("One"))
    assert [atlas(one, "--accept").code for one in ("survey", "build")] == [0, 0]
    hostile.asked.clear()
    ran = atlas("submit")
    assert (ran.code, "engine L: 17 of 17" in ran.err, hostile.asked) == (1, True, []), ran
    assert atlas("submit", "--format", "json").json["refused"]["losses"][0]["part"] == "engine"
    assert atlas("submit", "/one.html").code == 0  # what is asked for by name is no loss
    assert atlas("submit", "--accept").code == 0
    assert hostile.asked
    assert "Nothing has changed" in atlas("submit").out + atlas("submit").err
