"""Pages in pieces against the same as dictionaries: what an engine has not heard, its order, and the items of messages."""

import json
import tempfile
from functools import cache, partial
from pathlib import Path
from types import SimpleNamespace

import msgspec
import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_atlas.engines import heard_files, indexnow
from jovial_atlas.engines.due import due
from jovial_atlas.engines.public_pages import PageFiles, PublicPages, Remembered
from jovial_atlas.engines.published import Published
from jovial_atlas.ledger import Ledger
from jovial_atlas.pages.keys import keys_of
from jovial_atlas.records import Status
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


class Memory:
    """As the state folder keeps it: what is loaded was written."""

    def __init__(self):
        self.kept = {}

    def load(self, engine):
        return msgspec.json.decode(self.kept[engine], type=Remembered) if engine in self.kept else None

    def save(self, engine, what):
        self.kept[engine] = msgspec.json.encode(what)


def of_files(files, memory, key=1):
    tables = [pl.DataFrame([(loc, mark, "s") for loc, mark in marks.items()], schema=["loc", "mark", "section"], orient="row")
              for marks in files.values()]  # fmt: skip
    known = PageFiles({name: str(sorted(marks.items())) for name, marks in files.items()}, key, memory)
    held = [set(keys_of(table["loc"])) for table in tables]
    return PublicPages(
        [lambda table=table: table for table in tables],
        lambda: pl.concat([pl.Series([], dtype=pl.UInt64), *(keys_of(table["loc"]) for table in tables)]),
        [table.height for table in tables],
        lambda keys: [n for n, mine in enumerate(held) if mine & set(keys)],
        known,
    )


PAGE = st.sampled_from([f"{SITE}/{name}" for name in "abcdefgh"])
STEPS = st.lists(st.one_of(
    st.tuples(st.just("build"), st.dictionaries(PAGE, st.sampled_from("12"), min_size=1)),
    st.tuples(st.just("submit"), st.integers(1, 9)),
    st.tuples(st.just("tell"), st.tuples(PAGE, st.sampled_from(["1", "2", None]), st.sampled_from(["taken", "refused"]))),
    st.tuples(st.just("restore"), st.integers(0, 3)),
), max_size=7)  # fmt: skip


@given(STEPS, st.sampled_from([0.01, 2, 10**6]))
@settings(deadline=None, max_examples=50)
def test_what_is_remembered_of_files_comes_to_what_all_of_them_come_to(steps, asking):
    files, memory, was = {"one": {f"{SITE}/a": "1"}}, Memory(), (heard_files._ASKING, heard_files._FEW)
    heard_files._ASKING, heard_files._FEW = asking, 0 if asking == 2 else 9
    with tempfile.TemporaryDirectory() as place:
        times = []
        ledger = new_ledger(Path(place) / "l.sqlite", times)
        try:
            for kind, value in steps:
                times.append(kind)
                if kind == "build":
                    files = {name: {loc: mark for loc, mark in value.items() if (loc[-1] in "abc") == (name == "one")} for name in ("one", "two")}
                elif kind == "restore":  # a record of before, which goes on otherwise
                    before, ledger = ledger, new_ledger(Path(place) / f"{len(times)}.sqlite", times)
                    for one in reversed(before.announcements(most=100)[-value:] if value else []):
                        number = ledger.intend("E", "indexnow", one.what, json.loads(one.what))
                        ledger.now = lambda at=one.at: at
                        ledger.settle(number, one.status, "")
                    ledger.now = before.now
                    before.close()
                else:
                    some = [value[:2]] if kind == "tell" else list(map(tuple, told_all(files, ledger).items()))[:value]
                    ledger.settle(ledger.intend("E", "indexnow", json.dumps(some), some), Status(value[2] if kind == "tell" else "taken"), "")
                pages = of_files(files, memory)
                hearing = heard_files.HeardPages("E", pages, ledger, SITE)
                whole = pages.unheard(partial(ledger.heard_in_pieces, "E", "indexnow"), SITE)
                waiting, found = hearing.waiting, hearing.unheard
                assert (waiting.added, waiting.changed, waiting.gone) == (len(whole.added), len(whole.changed), len(whole.gone))
                assert (list(found.added), list(found.changed), sorted(found.gone), found.known) == (
                    list(whole.added), list(whole.changed), sorted(whole.gone), whole.known)  # fmt: skip
                assert hearing.known == ledger.heard_count("E", "indexnow")
        finally:
            heard_files._ASKING, heard_files._FEW = was
            ledger.close()


@cache
def empty_ledger():
    with tempfile.TemporaryDirectory() as place:
        Ledger(Path(place) / "l.sqlite", lambda: "").close()
        return (Path(place) / "l.sqlite").read_bytes()


def new_ledger(path, times):
    path.write_bytes(empty_ledger())
    return Ledger(path, lambda: f"2026-11-{len(times):02}T10:00:00Z")


def told_all(files, ledger):
    """What a submit would send."""
    public = {loc: mark for marks in files.values() for loc, mark in marks.items()}
    heard = {loc: one.mark for loc, one in ledger.heard("E", "indexnow").items()}
    return {loc: mark for loc, mark in public.items() if heard.get(loc) != mark} | {loc: None for loc in heard if loc not in public}
