"""Pages in pieces against the same as dictionaries: what an engine has not heard, its order, and the items of messages."""

from types import SimpleNamespace

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from jovial_atlas.engines import indexnow
from jovial_atlas.engines.due import due
from jovial_atlas.engines.public_pages import PublicPages
from jovial_atlas.engines.published import Published
from jovial_atlas.sitefile import Engine, IndexNowChannel

SITE, OLD = "https://www.marrowfen.example", "https://old.marrowfen.example"
NAMES = st.sampled_from([f"{SITE}/{name}" for name in "abcdefghij"] + [f"{OLD}/{name}" for name in "ab"])
MARKS = st.dictionaries(NAMES, st.sampled_from("12"), max_size=9)
OWN = st.dictionaries(st.sampled_from([f"{SITE}/{name}" for name in "abcdefghij"]), st.sampled_from("12"), max_size=9)


def in_pieces(marks, size):
    rows = [(loc, mark, "s") for loc, mark in marks.items()]
    schema = {"loc": pl.String, "mark": pl.String, "section": pl.String}
    tables = [pl.DataFrame(rows[start : start + size], schema=schema, orient="row") for start in range(0, len(rows), size)]
    sizes = [table.height for table in tables] if size % 2 else None
    return PublicPages([lambda table=table: table for table in tables], None, sizes), [table.select("loc", "mark") for table in tables]


@given(OWN, MARKS, st.integers(1, 4), st.integers(1, 4), st.one_of(st.none(), st.integers(0, 9)), st.integers(1, 4))
def test_what_is_due_is_what_dictionaries_say(public, heard, size, other, room, batch):
    pages, _ = in_pieces(public, size)
    _, told = in_pieces(heard, other)
    assert (len(pages), pages.within(heard)) == (len(public), len(set(public) & set(heard)))
    assert pages.marks_of([*heard, *public]) == public
    found = pages.unheard(lambda: told, SITE)
    gone = [loc for loc in heard if loc not in public]
    assert (found.gone, found.known) == (gone, sum(loc.startswith(SITE) for loc in heard))
    weights = {loc: float(ord(loc[-1]) % 3) for loc in public}
    added = sorted((loc for loc in public if loc not in heard), key=lambda loc: -weights[loc])
    changed = sorted((loc for loc in public if heard.get(loc, public[loc]) != public[loc]), key=lambda loc: -weights[loc])
    wanted = [(loc, public[loc]) for loc in added + changed] + [(loc, None) for loc in gone]
    ledger = SimpleNamespace(heard_in_pieces=lambda *_: iter(told), announced_today=lambda *_: 0)
    channel = IndexNowChannel(endpoint="http://127.0.0.1:1/", per_day=room or None)
    site = Published(SITE, "k", pages, {}, weigh=lambda rows: rows["loc"].replace_strict(weights, return_dtype=pl.Float64))
    was, indexnow.BATCH = indexnow.BATCH, batch
    try:
        dues = list(due(Engine(name="E", channels=(channel,)), site, ledger))
    finally:
        indexnow.BATCH = was
    items = [list(one.items) for one in dues]
    sent = wanted[: room or None]
    # Those of one host stand together; within a host the order is kept.
    by_host = [one for one in sent if one[0].startswith(SITE)] + [one for one in sent if not one[0].startswith(SITE)]
    assert [one for some in items for one in some] == by_host
    assert all(len(some) <= batch and len({loc[:20] for loc, _ in some}) == 1 for some in items)
    assert sum(one.later for one in dues[:1]) == max(0, len(wanted) - len(sent))
    for one, some in zip(dues, items, strict=True):
        assert [one.items[number] for number in range(len(some))] == some
        assert (one.items[-1], one.items[0], len(one.items)) == (some[-1], some[0], len(some))
