"""Versions that pages name: by columns, and as one would go through them page by page."""

from types import SimpleNamespace

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from jovial_atlas.pages.schema import SCHEMA
from jovial_atlas.rounds.publishing.build.versions import versions_of

URL = "https://www.marrowfen.example"
SITE = SimpleNamespace(
    model=SimpleNamespace(
        site=SimpleNamespace(url=URL), languages=SimpleNamespace(folders={}, endings={}, have_versions=False, default="")
    )
)
LOCS = [f"{URL}/{name}" for name in "abc"]
LINKS = st.lists(
    st.fixed_dictionaries({
        "lang": st.sampled_from(["en", "de", "x-default"]),
        "href": st.sampled_from([*LOCS, f"{URL}/gone", "https://other.example/", None]),
    }), max_size=4, unique_by=lambda link: (link["lang"], link["href"]),
)  # fmt: skip
PAGES = st.lists(st.tuples(st.sampled_from([None, "fr"]), LINKS), max_size=3)


def one_by_one(pages):
    """Address → its versions, as pairs: links that are returned or lead to other hosts, the page
    itself (in the language that others call it by, where it says none), and the page for all others where it is that."""
    said = {(loc, link["href"]) for loc, (_, links) in zip(LOCS, pages, strict=False) for link in links}
    found, called = {}, {}
    for loc, (_, links) in zip(LOCS, pages, strict=False):
        for one in links:
            if one["lang"] != "x-default" and one["href"] not in (None, loc) and (one["href"], loc) in said:
                called.setdefault(one["href"], one["lang"])
    for loc, (language, links) in zip(LOCS, pages, strict=False):
        there = [link for link in links if link["href"]]
        away = [one for one in there if not one["href"].startswith(f"{URL}/")]
        here = [one for one in there if one not in away and one["href"] != loc and (one["href"], loc) in said]
        if not here + away:
            continue
        own = [one["lang"] for one in there if one["href"] == loc]
        named = [lang for lang in own if lang != "x-default"]
        known = [one for one in (*named[:1], language, called.get(loc)) if one]
        itself = [*known[:1], *({"x-default"} & set(own))]
        whole = {}
        for lang, href in [*((one["lang"], one["href"]) for one in here + away), *((one, loc) for one in itself)]:
            whole.setdefault(lang, href)
        found[loc] = sorted(whole.items())
    return found


@given(PAGES)
def test_versions_that_pages_name_are_those_found_one_by_one(pages):
    rows = [{"loc": loc, "language": language, "alternates": links}
            for loc, (language, links) in zip(LOCS, pages, strict=False)]  # fmt: skip
    kinds = {name: SCHEMA[name] for name in ("loc", "language", "alternates")}
    versions = versions_of(pl.DataFrame(rows, schema=kinds).lazy(), SITE)
    lists = versions.lists.to_list()
    found = {
        loc: [(one["lang"], one["href"]) for one in lists[number]]
        for loc, number in versions.pages.iter_rows()
    }
    assert found == one_by_one(pages)
