"""Simulated searches: their truth is known, and the same days give the same figures."""

from datetime import date

import polars as pl
import pytest

from jovial_atlas.standin.searches import (
    HIDDEN_BELOW,
    KnownEffect,
    SearchWorld,
    as_exported,
    performance_of,
    performance_rows,
    queries_of,
    searched,
    summed,
    usual_share,
    words_of,
)

SITE = "https://www.marrowfen.example"
PAGES = [(f"{SITE}/species/bird-{number}/", f"bird {number} of the marsh") for number in range(12)]
FIRST, MIDDLE, LAST = date(2026, 9, 1), date(2026, 9, 15), date(2026, 9, 28)


def test_the_same_days_give_the_same_figures_whatever_is_asked_for_with_them():
    world = SearchWorld(PAGES, seed=4)
    whole = searched(world, FIRST, LAST)
    part = searched(world, MIDDLE, LAST)
    assert whole.filter(pl.col("date") >= MIDDLE).equals(part)
    assert not searched(SearchWorld(PAGES, seed=5), FIRST, LAST).equals(whole)


def test_nobody_clicks_more_often_than_is_shown():
    table = searched(SearchWorld(PAGES), FIRST, LAST)
    assert table.filter(pl.col("clicks") > pl.col("impressions")).is_empty()
    assert table["position"].is_between(1, 100).all()
    assert set(table["loc"]) == {loc for loc, _ in PAGES}


@pytest.mark.parametrize(
    ("effect", "measure", "expected"),
    [
        (KnownEffect("bird-[0-5]/", MIDDLE, shown=2.0), "impressions", 2.0),
        (KnownEffect("bird-[0-5]/", MIDDLE, clicks=0.5), "clicks", 0.5),
        (
            KnownEffect("", MIDDLE, shown=0.5, locs=frozenset(loc for loc, _ in PAGES[:6])),
            "impressions",
            0.5,
        ),
    ],
)
def test_an_effect_changes_its_pages_from_its_day_on_and_nothing_else(effect, measure, expected):
    plain = searched(SearchWorld(PAGES, shown=400), FIRST, LAST)
    changed = searched(SearchWorld(PAGES, shown=400, effects=[effect]), FIRST, LAST)
    about = pl.col("loc").is_in([loc for loc, _ in PAGES[:6]])
    since = pl.col("date") >= MIDDLE

    def total(table, which):
        return table.filter(which)[measure].sum()

    ratio = total(changed, about & since) / total(plain, about & since)
    assert ratio == pytest.approx(expected, rel=0.1)
    assert plain.filter(~about).equals(changed.filter(~about))
    assert plain.filter(~since).equals(changed.filter(~since))


def test_tables_by_search_leave_out_what_few_people_searched():
    rows = searched(SearchWorld(PAGES, shown=8), FIRST, LAST)
    by_page, by_search = summed(rows, ["date", "loc"]), summed(rows, ["date", "loc", "query"])
    assert by_page["impressions"].sum() == rows["impressions"].sum()
    assert by_search["impressions"].min() >= HIDDEN_BELOW
    assert by_search["impressions"].sum() < by_page["impressions"].sum()


@pytest.mark.parametrize(
    ("engine", "head", "row"),
    [
        ("Lanternfish", "Day,Page,Clicks,Shown,Place", f"2026-09-01,{SITE}/a,2,10,3.5"),
        ("Quillseek", "Tag;Seite;Klicks;Einblendungen;Rang", f"01.09.2026;{SITE}/a;2;10;3,5"),
    ],
)
def test_each_engine_exports_in_its_own_words(engine, head, row):
    table = pl.DataFrame(
        {
            "date": [FIRST],
            "loc": [f"{SITE}/a"],
            "clicks": [2],
            "impressions": [10],
            "position": [3.5],
        }
    )
    assert as_exported(table, engine).decode().splitlines() == [head, row]


def test_an_engine_knows_only_the_pages_it_is_asked_about():
    locs = [loc for loc, _ in PAGES[:3]]
    table = performance_of("Lanternfish", locs, FIRST, MIDDLE)
    assert set(table["loc"]) <= set(locs)
    rows = performance_rows(table)
    assert len(rows) == len(table)
    assert rows[0]["keys"] == [f"{table['date'][0]}", table["loc"][0], table["query"][0]]
    assert performance_of("Lanternfish", locs, LAST, FIRST).is_empty()
    assert performance_of("Lanternfish", [], FIRST, LAST).is_empty()


@pytest.mark.parametrize(
    ("loc", "words"),
    [
        (f"{SITE}/species/reed-bunting/", "reed bunting"),
        (f"{SITE}/visit/opening-times.html", "opening times"),
        (SITE, "home"),
    ],
)
def test_a_page_is_called_by_the_last_part_of_its_address(loc, words):
    assert words_of(loc) == words


def test_people_search_with_the_words_that_say_something():
    asked = queries_of("The otters of the sluice")
    assert asked[0] == "otters sluice"
    assert len(set(asked)) == len(asked)
    assert queries_of("of the") == ["marsh", "marsh marrowfen", "what is marsh"]


def test_the_share_of_clicks_falls_with_the_place():
    shares = [usual_share(place) for place in (1, 2, 5, 10, 50)]
    assert shares == sorted(shares, reverse=True)
    assert 0 < shares[-1] < shares[0] < 1
