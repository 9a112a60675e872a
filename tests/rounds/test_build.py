"""Builds by their parts: windows over a large table, files over their bytes, what beside them."""

import re
from datetime import timedelta

import pytest

from jovial_atlas import dates, languages
from jovial_atlas.errors import OutputError
from jovial_atlas.files import FileSet
from jovial_atlas.rounds.publishing.build import listing, placing
from jovial_atlas.rounds.publishing.build.options import BuildOptions
from jovial_atlas.rounds.publishing.build.run import run_build
from jovial_atlas.rounds.reading.survey import run_survey
from jovial_atlas.rounds.state.last_survey import last_survey
from jovial_atlas.sitefile import read_site_file
from jovial_atlas.sitemaps import protocol
from jovial_atlas.web import new_client
from tests.conftest import TODAY, URL, page, write_site


@pytest.fixture
def built(tmp_path):
    """`built(pages)` writes them, surveys and builds; gives the build and what each sitemap
    lists."""

    def run(pages, more="", **options):
        site_file = write_site(tmp_path, pages, more)
        site = read_site_file(site_file)
        with new_client(5) as client:
            run_survey(site, TODAY, client)
        done = run_build(site, last_survey(site, TODAY), TODAY, BuildOptions(**options))
        listed = {
            place.name: re.findall("<loc>(.*?)</loc>", place.read_text())
            for place in sorted(site.output.glob("sitemap-*-*.xml"))
        }
        return done, listed

    return run


def notes(*numbers: int) -> dict[str, str]:
    return {f"{'ab'[n % 2]}/{n:03}.html": page(f"Note {n}") for n in numbers}


SECTIONS = '[[section]]\nname = "a"\nmatch = "/a/**"\n[[section]]\nname = "b"\nmatch = "/b/**"\n'


@pytest.mark.parametrize(("window", "held"), [(1, 0), (5, 0), (1_000, 0), (5, 1_000)])
def test_every_page_is_listed_once_however_the_table_is_read(built, monkeypatch, window, held):
    monkeypatch.setattr(placing, "_WINDOW", window)
    monkeypatch.setattr(listing, "_HELD_WITH_PICTURES", held)
    options = f"{SECTIONS}[sitemap]\nmax_urls = 4\n"
    _, first = built(notes(*range(0, 40, 2), *range(1, 20, 6)), options)
    # New ones lie between the old ones, but stand in the last files: rows are scattered.
    done, second = built(notes(*range(40)), options)
    every = [loc for locs in second.values() for loc in locs]
    assert sorted(every) == sorted(f"{URL}/{path}" for path in notes(*range(40)))
    assert all(len(locs) <= 4 for locs in second.values())
    assert all(set(locs) <= set(second[name]) for name, locs in first.items())
    assert done.listed == 40
    states = {file.path: file.state for file in done.files}
    assert states["sitemap-a-1.xml"] == "same"


def test_what_does_not_fit_into_a_file_goes_into_the_next_and_stays_there(built, monkeypatch):
    whole, _ = built(notes(*range(12)))
    size = max(file.bytes for file in whole.files if file.path == "sitemap-pages-1.xml")
    monkeypatch.setattr(protocol, "MAX_BYTES", size - 200)
    monkeypatch.setattr(protocol, "FORM", 99)
    done, listed = built(notes(*range(12)))
    assert [len(locs) for locs in listed.values()] == [10, 2]
    assert {file.bytes <= size - 200 for file in done.files if "pages" in file.path} == {True}
    again, same = built(notes(*range(12)))
    assert same == listed
    assert {file.state for file in again.files} == {"same"}
    monkeypatch.setattr(protocol, "MAX_BYTES", 200)
    monkeypatch.setattr(protocol, "FORM", 100)
    with pytest.raises(OutputError, match="no sitemap file can hold it"):
        built(notes(*range(12)))


def test_the_page_for_visitors_is_paged_and_leaves_out_nothing(built, tmp_path):
    done, _ = built(notes(*range(25)), SECTIONS + "[visitors]\nper_page = 10\n")
    names = [file.path for file in done.files if file.path.endswith(".html")]
    assert names == ["sitemap-2.html", "sitemap-3.html", "sitemap.html"]
    text = "".join((tmp_path / "public" / name).read_text() for name in names)
    for number in range(25):
        assert text.count(f">Note {number}</a>") == 1
    assert 'href="sitemap-2.html#b"' in (tmp_path / "public/sitemap.html").read_text()
    small, _ = built(notes(*range(25)), SECTIONS + "[visitors]\nmost = 25\n")
    assert "The page for visitors is not written" in small.notes[0]
    assert {f.path for f in small.files if f.state == "removed"} == set(names)


def test_head_data_of_a_large_site_is_left_out_and_told(built, tmp_path):
    head = tmp_path / ".jovial-atlas/head/pages.jsonl"
    built(notes(1, 2))
    assert head.read_text().count("\n") == 2
    done, _ = built(notes(1, 2), "[output]\nhead_pages = 1\n")
    assert ("Head data is not written" in done.notes[0], head.exists()) == (True, False)


def test_news_leaves_after_two_days(built, tmp_path):
    more = '[[section]]\nname = "items"\nmatch = "/n/**"\nnews = true\n'
    yesterday = dates.write(TODAY - timedelta(days=1))
    fresh = page("Fresh", head=f"<meta name=date content={yesterday}>")
    built({"n/a.html": fresh, "n/b.html": page("Undated")}, more)
    place = tmp_path / "public/sitemap-news.xml"
    assert re.findall("<loc>(.*?)</loc>", place.read_text()) == [f"{URL}/n/a.html"]
    site = read_site_file(tmp_path / "atlas.toml")
    done = run_build(site, last_survey(site, TODAY), TODAY + timedelta(days=2))
    assert not place.exists()
    assert ("sitemap-news.xml", "removed") in [(file.path, file.state) for file in done.files]


def test_versions_are_written_only_where_both_name_each_other(built, tmp_path):
    def linked(*languages):
        return page("P", head="".join(
            f"<link rel=alternate hreflang={lang} href=/{lang}.html>" for lang in languages
        ))  # fmt: skip

    built({
        "en.html": linked("en", "de", "fr"), "de.html": linked("de", "en"), "fr.html": linked("fr"),
    })  # fmt: skip
    text = (tmp_path / "public/sitemap-pages-1.xml").read_text()
    entries = {
        entry.partition("</loc>")[0].rpartition("/")[2]: re.findall('hreflang="(.*?)"', entry)
        for entry in text.split("<url>")[1:]
    }
    assert entries == {"en.html": ["de", "en"], "de.html": ["de", "en"], "fr.html": []}


@pytest.mark.parametrize(
    ("tag", "wrong"),
    [
        ("en", None), ("en-GB", None), ("zh-Hant-TW", None), ("es-419", None), ("gsw", None),
        ("uk", None), ("en-UK", "GB"), ("xx", "ISO 639"), ("GB", "a region"), ("en_GB", "no language tag"),
        ("", "no language tag"), ("english", "no language tag"), ("en-Latn-GB-x", "no language tag"),
    ],
)  # fmt: skip
def test_languages_and_regions_are_those_that_exist(tag, wrong):
    fault = languages.fault_of(tag)
    assert (fault is None) if wrong is None else (wrong in fault)


def test_a_file_is_kept_only_as_it_was_written(tmp_path):
    def fresh(dry=False):
        return FileSet(tmp_path / "out", tmp_path / "manifest.json", dry=dry)

    first = fresh()
    assert not first.keep("a.txt")
    first.put("a.txt", b"one")
    first.commit()
    assert fresh().keep("a.txt")
    # Another time with the same bytes is the same file; the same size with others is not.
    place = tmp_path / "out/a.txt"
    place.write_bytes(b"one")
    assert fresh().keep("a.txt")
    place.write_bytes(b"two")
    assert not fresh().keep("a.txt")
    place.unlink()
    assert not fresh().keep("a.txt")
    dry = fresh(dry=True)
    dry.put("b.txt", b"new")
    assert (dry.has("b.txt"), dry.read("b.txt"), (tmp_path / "out/b.txt").exists()) == (
        True,
        b"new",
        False,
    )


def test_a_date_that_a_rule_sets_stands_in_the_sitemap(built, tmp_path):
    def dates(more):
        done, _ = built(notes(1, 2), more)
        text = (tmp_path / "public/sitemap-pages-1.xml").read_text()
        state = next(file.state for file in done.files if file.path == "sitemap-pages-1.xml")
        return state, dict(re.findall(r"<loc>.*/(\d+)\.html</loc>\s*<lastmod>(.{10})", text))

    rule = '[[rule]]\nmatch = "/a/**"\nset = {{ lastmod = "{}" }}\n'
    _, first = dates("")
    assert dates(rule.format("2020-01-01")) == ("changed", {**first, "002": "2020-01-01"})
    assert dates(rule.format("2021-01-01")) == ("changed", {**first, "002": "2021-01-01"})
    assert dates(rule.format("2021-01-01"))[0] == "same"
    assert dates("") == ("changed", first)
