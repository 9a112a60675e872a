"""Whole columns against their values one by one: the same, whatever is in them."""

import csv
import io
import json
import re
import tempfile
from contextlib import suppress
from datetime import datetime
from pathlib import Path
from urllib.parse import quote, unquote

import polars as pl
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from jovial_atlas import addresses, dates
from jovial_atlas.address_columns import SPELLED, normal_addresses, path_values
from jovial_atlas.date_columns import written_days, written_moments
from jovial_atlas.media.fields import of_fields
from jovial_atlas.media.services import services
from jovial_atlas.pages import schema
from jovial_atlas.sources.records import alike_lines, numbered, plain_text
from jovial_atlas.sources.records.film_columns import read_films
from jovial_atlas.sources.records.records import item_text
from jovial_atlas.sources.records.whole_columns import read_lists, read_pictures
from jovial_atlas.sources.records.written_dates import read_dates, read_numbers
from tests.conftest import URL

SIGNS = "abcXYZ019-._~/:@!$&'()*+,;=%?# \t\\\"<>[]{}|^`äßвиドс\u00a0\x01\U0001f9a6"
TEXTS = st.text(SIGNS, max_size=14)
PARTS = ("%d0%BF", "%41", "%7e", "%2F", "%zz", "/../", "/./", "//", "/..", "/.", "/.a", "/%2e%2E", "?a=b&c", "#x", "виды", "a b")
PATHS = st.lists(st.one_of(TEXTS, st.sampled_from(PARTS)), max_size=4).map("".join)
HOSTS = st.sampled_from(
    [URL, "https://WWW.Marrowfen.example", "http://h.example:80", "https://h.example:8443",
     "https://müritz.example", "https://u:p@h.example", "https://", "ftp://h.example", "http://[::1]", "HTTPS://WWW.h.example:443"]
)  # fmt: skip
LOCS = st.one_of(st.builds(lambda host, path: f"{host}/{path}", HOSTS, PATHS), HOSTS, TEXTS,
                 PATHS.map(lambda path: f"/{path}"), st.builds(str.__add__, HOSTS, TEXTS))  # fmt: skip


def one(value):
    if not value or not value.strip():
        return None if value is not None and not value.strip() else value
    text = value.strip(" \t\r\n\f")
    try:
        return addresses.normalise(URL + text if text.startswith("/") else text)
    except ValueError:
        return value


@given(st.lists(st.one_of(LOCS, st.none()), max_size=12))
def test_addresses_are_spelled_as_one_by_one(values):
    whole = normal_addresses(pl.Series("a", values, pl.String), URL)
    assert whole.to_list() == [None if value is None else one(value) for value in values]


@given(LOCS)
def test_what_counts_as_the_one_spelling_is_it(value):
    if pl.Series([value]).str.contains(SPELLED).all() and "/." not in value:
        assert addresses.normalise(value) == value


ESCAPED = PATHS.map(lambda text: quote(text, safe="/", errors="replace").swapcase())


@given(st.lists(st.one_of(PATHS, ESCAPED, st.none()), max_size=12))
@example(["%d0%b2", "50%faster", "%ed%a0%80", "%c3", "%2e%2e%c3%bc", "a%20%c3%bc", "100%25"])
def test_values_in_paths_are_encoded_as_one_by_one(values):
    def alone(value):
        inner = quote(value.strip(), safe="/-._~")
        if re.fullmatch(r"(?:[\w/.~-]|%[0-9A-Fa-f]{2})+", value.strip(), re.ASCII):
            with suppress(UnicodeDecodeError):  # letters beyond ASCII are escaped already
                read = unquote(value.strip(), errors="strict")
                inner = inner if read.isascii() or min(read) < " " else value.strip()
        return addresses.normalise(f"http://x.example/{inner}")[len("http://x.example/") :]

    whole = path_values(pl.Series("a", values, pl.String))
    assert whole.to_list() == [alone(value) if value else value for value in values]


MOMENTS = st.datetimes().map(lambda moment: moment.replace(microsecond=0))
FORMS = st.sampled_from(
    ["%Y-%m-%d", "%Y-%m-%dT%H:%M:%SZ", "%Y-%m-%d %H:%M:%S", "%Y-%m-%dT%H:%M", "%Y-%m-%d %H:%M:%S+02:00",
     "%Y-%m-%dT%H:%M:%S.123-0530", "%a, %d %b %Y %H:%M:%S GMT", "%d %b %Y %H:%M:%S +0200", "%d.%m.%Y", "%d.%m.%Y %H:%M", "31.2.%Y", "%Y%m%d",
     "%Y/%m/%d", "%Y/%m/%d %H:%M", "%Y.%m.%d, %H:%M:%S", "%Y-%m/%d", "%-d.%-m.%Y  %-H:%M:%S.25Z", "%Y/%-m/%-d %H:%M+0530", "%Y%m%d%H%M%S",
     "%Y%m%dT%H%M%SZ", "%Y%m%dT%H%M-0930", "%Y%m%d%H%M", "0000/%m/%d", "%Y/%m/%dT24:00", "%d.%m.%Y 12:60", "%d.%m.%Y,12:00",
     "%Y-%m-%dt%H:%M:%Sz", "%Y-%m-%d %H:%M:%S UTC", "%Y-%m-%d %H:%M:%S+00",
     "%Y-%m-%d %H:%M:%S-03", "%Y-%m-%dT%H:%M:%S.5+00:00", "%Y-%m-%dT25:%M:%SZ", "%Y-13-%dT%H:%M:%SZ"]
)  # fmt: skip
WRITTEN = st.one_of(st.builds(lambda moment, form: moment.strftime(form), MOMENTS, FORMS), TEXTS)


@given(st.lists(st.one_of(WRITTEN, st.none()), max_size=8))
def test_dates_are_read_as_one_by_one(values):
    whole = read_dates(pl.Series("a", values, pl.String)).to_list()
    assert whole == [dates.read(value) if value else None for value in values]


@given(
    st.lists(
        st.one_of(st.none(), st.text("ab; [],\"'", max_size=12), st.just('["x;y", 3]')), max_size=8
    )
)
def test_lists_are_parted_as_one_by_one(values):
    read = read_lists(pl.Series("a", values, pl.String), ";").to_list()
    for value, items in zip(values, read, strict=True):
        if not value:
            assert items is None
        elif value == '["x;y", 3]':
            assert items == ["x;y", "3"]
        elif not value.lstrip().startswith("["):
            assert items == [item.strip() for item in value.split(";") if item.strip()]


CELLS = st.lists(st.one_of(st.text("ab \"\\/\x1c\u3000é\U0001f9a6\ud800", max_size=4), st.integers(), st.none()), max_size=3)


@given(st.lists(st.tuples(CELLS, st.booleans(), st.sampled_from(["", " ", "]", "x"])), max_size=5))
def test_lists_of_json_are_read_as_one_by_one(cells):
    values = [f"{json.dumps(items, ensure_ascii=ascii_only or any(map(_is_half, items)))}{more}" for items, ascii_only, more in cells]
    read = read_lists(pl.Series("a", values, pl.String, strict=False), ";").to_list()
    for (items, _, more), value, found in zip(cells, values, read, strict=True):
        if more.strip():
            assert found == [value.strip()]
        elif not any(map(_is_half, items)):  # what stands for half of a sign is read in some way
            assert found == [said for one in items if one is not None and (said := str(one).strip())]


NAMED = st.dictionaries(st.sampled_from(["name", "label", "id", "href", "x"]), st.one_of(st.text("ab \"\\\u3000é", max_size=3), st.integers(), st.none(), st.just({"name": 5})), max_size=3)


@given(st.lists(st.one_of(st.lists(NAMED, max_size=3), st.lists(st.one_of(NAMED, st.text("ab", max_size=2), st.none()), max_size=3)), max_size=5), st.booleans())
def test_objects_in_lists_of_json_are_read_as_one_by_one(cells, addresses):
    read = read_lists(pl.Series("a", [json.dumps(items) for items in cells], pl.String), ";", addresses=addresses)
    for items, found in zip(cells, read.to_list(), strict=True):
        assert found == [said for one in items if (said := item_text(one, address=addresses))]


def _is_half(item):
    return "\ud800" in str(item)


@given(st.lists(st.one_of(st.none(), st.lists(st.one_of(st.none(), LOCS), max_size=3)), max_size=6))
@example([["/\\", "/\t/x.example/p", "\\\\x.example/p"]])
def test_pictures_are_resolved_as_one_by_one(values):
    read = read_pictures(pl.Series("a", values, pl.List(pl.String)), URL).to_list()
    for value, shown in zip(values, read, strict=True):
        if value is None:
            assert shown is None
        else:
            resolved = [addresses.resolve(f"{URL}/", item) for item in value if item is not None]
            assert shown == [{"loc": loc, "alt": None} for loc in resolved if loc]


FILM_TEXTS = st.one_of(st.none(), st.sampled_from(["", " two  words\n", "x"]))
FILM_PLACES = st.one_of(st.none(), st.sampled_from(
    ["", "/a.mp4", "b.webm", "https://play.reelstead.example/watch/fen-dawn-1", "#x", "ü.mp4", "//h.example/x"]
))  # fmt: skip
FILMS = st.fixed_dictionaries(
    {},
    optional={
        "content": FILM_PLACES, "src": FILM_PLACES, "player": FILM_PLACES, "poster": FILM_PLACES,
        "title": FILM_TEXTS, "description": st.one_of(FILM_TEXTS, st.just("d")),
        "duration": st.one_of(st.none(), st.integers(-1, 10**12)), "width": st.integers(-1, 10**11),
        "views": st.one_of(st.none(), st.sampled_from(["12", "1:30", "x"])), "live": st.booleans(),
        "date": st.one_of(st.none(), st.sampled_from(["2026-01-02", "2 Jan 2026", "soon"])),
        "rating": st.one_of(st.none(), st.floats(0, 9)), "tags": st.lists(st.sampled_from(["a b", ""]), max_size=2),
        "countries": st.one_of(st.none(), st.sampled_from(["GB, IE", "deny US", ""])),
        "segments": st.one_of(st.none(), st.sampled_from(["/1.mp4 30; /2.mp4", ""])),
        "price": st.one_of(st.none(), st.sampled_from(["3.99 GBP rent", "free"])),
    },
)  # fmt: skip
KINDS = {
    "content": pl.String, "src": pl.String, "player": pl.String, "poster": pl.String, "title": pl.String,
    "description": pl.String, "duration": pl.Int64, "width": pl.Int64, "views": pl.String,
    "live": pl.Boolean, "date": pl.String, "rating": pl.Float64, "tags": pl.List(pl.String),
    "countries": pl.String, "segments": pl.String, "price": pl.String,
}  # fmt: skip
SERVICES = services()


def films_one_by_one(value):
    fits = {field.name: 2**31 if field.dtype == pl.Int32 else 2**63 for field in schema.ONE_VIDEO.fields}
    read = of_fields(value, lambda said: addresses.resolve(f"{URL}/", said), SERVICES)
    for film in read:
        for name, number in film.items():  # what a column cannot hold is none
            if isinstance(number, int) and number >= fits[name]:
                film[name] = None
    return [{name: film[name] for name in fits} for film in read]


@given(st.lists(st.one_of(st.none(), FILMS), max_size=5), st.sampled_from(["table", "list", "text", "both"]))
@example([None, {}], "both")
def test_films_are_read_as_one_by_one(films, form):
    given_films = [None if one is None else {k: one.get(k) for k in KINDS} for one in films]
    if form == "table":
        cells = pl.Series("f", given_films, pl.Struct(KINDS))
    elif form == "list":
        lists = [None if one is None else [one, {**one, "src": "/second.mp4"}] for one in given_films]
        cells = pl.Series("f", lists, pl.List(pl.Struct(KINDS)))
    else:
        places = [None if one is None else f"{one['src'] or ''}; {one['player'] or ''}" for one in given_films]
        if form == "both":
            places[1::2] = [None if one is None else json.dumps(one) for one in given_films[1::2]]
        cells = pl.Series("f", places, pl.String)
    read = read_films(cells, URL, SERVICES).to_list()
    for value, shown in zip(cells.to_list(), read, strict=True):
        assert shown == (None if value is None else films_one_by_one(value))


@pytest.mark.parametrize("kind", [pl.Null, pl.String, pl.List(pl.String), pl.Struct(KINDS)])
def test_a_column_without_films_stays_one(kind):
    assert read_films(pl.Series("f", [None, None], kind), URL, SERVICES).to_list() == [None, None]


CELLS = st.text('ab1,\n ;\u00e4-"', max_size=5)
LINES = st.lists(st.lists(CELLS, min_size=2, max_size=4), max_size=6)


def read_both_ways(name, text, piece=4 << 20):
    """Rows, lines and faults of a table: read by columns, in pieces of some signs, and row by row."""
    read = numbered.csv_rows if name.endswith("csv") else numbered.json_lines
    found = []
    for slow in (False, True):
        with tempfile.TemporaryDirectory() as folder, pytest.MonkeyPatch.context() as patch:
            patch.setattr(plain_text, "_PIECE", piece)
            if slow:
                patch.setattr(numbered, "whole_rows", lambda _: iter(()))
                patch.setattr(numbered, "plain_records", lambda *_: None)
            (Path(folder) / name).write_text(text, "utf-8", newline="")
            pieces = list(read(Path(folder) / name))
        rows = [{name: value for name, value in row.items() if value is not None}
                for one, _, _ in pieces for row in one.to_dicts()]  # fmt: skip
        told = [(fault.code, fault.where) for _, _, faults in pieces for fault in faults]
        found.append((rows, [line for _, lines, _ in pieces for line in lines], told))
    return found


@given(LINES, st.sampled_from([",", "\t"]), st.sampled_from(["\n", "\r\n"]), st.booleans(), st.sampled_from([2, 9, 30, 4 << 20]),
       st.sampled_from(["", "# a remark\n", "sep={}\n"]))  # fmt: skip
@settings(max_examples=200)
def test_plain_rows_are_read_as_one_by_one(lines, separator, end, quoted, piece, before):
    rows = [["loc", "a b", "c"], *lines]
    if quoted and before:
        rows[0][1] = 'a "b"'
    if quoted:  # as it should be, else with whatever stands in the cells
        buffer = io.StringIO(newline="")
        csv.writer(buffer, delimiter=separator, lineterminator=end).writerows(rows)
        text = buffer.getvalue()
    else:
        text = "".join(separator.join(cells) + end for cells in rows)
    quick, slow = read_both_ways("t.csv", before.format(separator) + text, piece)
    assert quick == slow


VALUES = st.one_of(
    st.none(), st.integers(-9, 99), st.floats(allow_nan=False, allow_infinity=False, width=32), st.booleans(),
    st.text("ab\u00e4 ", max_size=3), st.lists(st.text("ab", max_size=2), max_size=2),
    st.recursive(st.sampled_from([None, 1.5, "ä\"", 10**17, 1e22, True]), lambda one: st.lists(one, max_size=2)
                 | st.dictionaries(st.sampled_from(["k", "ü"]), one, max_size=2), max_leaves=3),
)  # fmt: skip
RECORDS = st.one_of(st.dictionaries(st.sampled_from("xyz"), VALUES), st.integers())


@given(st.lists(RECORDS, max_size=5))
def test_plain_records_are_read_as_one_by_one(records):
    quick, slow = read_both_ways(
        "t.jsonl", "".join(f"{json.dumps(record)}\n" for record in records)
    )
    assert quick == slow


WORDS = st.sampled_from(["", "a", "null", "true", "7", "a, b", '","', "[x]", "{}", "ä b", '","b":', "\\", 'say "a"', "\u2028", "\x7f"])
NUMBERS = st.one_of(
    st.integers(-(10**16), 10**16), st.sampled_from([-0.0, 0.5, 1e-5, 1e22, 0.1 + 0.2, -52.5200066, 0.0001, 0.00012, 100.0, 5e-324]),
    st.floats(allow_nan=False, allow_infinity=False), st.integers(-9, 9),
)  # fmt: skip
ALIKE = st.sampled_from([
    WORDS, NUMBERS, st.integers(-9, 9), st.booleans(), st.lists(WORDS, max_size=3), st.none(),
    st.fixed_dictionaries({"k": NUMBERS, "ü x": st.one_of(WORDS, st.lists(WORDS, max_size=2), st.booleans(), st.none())}),
    st.fixed_dictionaries({"b": WORDS}), st.fixed_dictionaries({"k": st.fixed_dictionaries({"l": NUMBERS})}),
])  # fmt: skip


@given(st.data(), st.dictionaries(st.sampled_from(["a", "b", "c d", "e-ü", 'f"']), ALIKE, min_size=1, max_size=4),
       st.sampled_from([(",", ":"), (", ", ": "), (",", ": ")]), st.booleans(), st.sampled_from([0, 1, 4, 8]))  # fmt: skip
@settings(max_examples=300)
def test_lines_that_are_alike_are_read_as_one_by_one(data, kinds, separators, ascii_only, others):
    of_kinds = st.fixed_dictionaries({name: st.one_of(kind, kind, kind, st.none()) for name, kind in kinds.items()})
    alike = data.draw(st.lists(of_kinds, min_size=1, max_size=8))
    odd = data.draw(st.lists(st.one_of(of_kinds, RECORDS), max_size=2))
    written = [json.dumps(one, separators=separators, ensure_ascii=ascii_only) for one in (*alike, *odd)]
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(alike_lines, "_LOOKED_AT", len(alike))
        patch.setattr(alike_lines, "_OTHERS", others or 1)
        patch.setattr(alike_lines, "_LISTS", 0)  # those without any list too
        quick, slow = read_both_ways("t.jsonl", "".join(f"{line}\n" for line in written))
    assert repr(quick) == repr(slow)  # which tells -0.0 from 0


@pytest.mark.parametrize("many", [30, 60, 400])
def test_lines_with_very_many_values_are_read(monkeypatch, many):
    monkeypatch.setattr(alike_lines, "_MOST", 200)
    line = json.dumps({"a": {f"n{n}": n + 0.5 for n in range(many)}, "b": [1]}, separators=(",", ":"))
    quick, slow = read_both_ways("t.jsonl", f"{line}\n" * 9)
    assert quick == slow and len(quick[0]) == 9


@pytest.mark.parametrize("work", [lambda s: normal_addresses(s, URL), path_values, read_dates])
def test_a_column_of_nothing_stays_one(work):
    assert work(pl.Series("a", [None, None], pl.String)).to_list() == [None, None]
    assert work(pl.Series("a", [], pl.String)).to_list() == []


@given(
    st.lists(st.one_of(st.none(), st.datetimes(min_value=datetime(1, 1, 1))), max_size=8),
    st.sampled_from(["ms", "us"]),
    st.sampled_from([None, "UTC", "Europe/Berlin", "America/St_Johns"]),
)
@example([datetime(1989, 12, 31, 23, 59, 59, 999999), datetime(1990, 1, 1)], "us", None)
@example([datetime(2050, 12, 31, 23, 59, 59), datetime(2051, 1, 1), None], "ms", "UTC")
@example([None, None], "ms", "UTC")
def test_days_and_moments_are_written_as_one_by_one(values, unit, zone):
    column = pl.Series("a", values, pl.Datetime(unit)).dt.replace_time_zone(
        zone, ambiguous="earliest", non_existent="null"
    )
    moments = column.dt.convert_time_zone("UTC") if zone else column
    wanted = moments.dt.strftime("%Y-%m-%dT%H:%M:%SZ").to_list()
    assert written_moments(column).to_list() == wanted
    days = column.dt.date()
    assert written_days(days).to_list() == days.dt.strftime("%Y-%m-%d").to_list()


def test_numbers_stand_for_moments_or_days():
    given = [1_600_000_000, 1_600_000_000_500, 20260131, 20261331, 12, -5, None, 631_152_000]
    wanted = ["2020-09-13T12:26:40Z", "2020-09-13T12:26:40Z", "2026-01-31", None, None, None, None,
              "1990-01-01T00:00:00Z"]  # fmt: skip
    assert read_numbers(pl.Series(given)).to_list() == wanted
    floats = pl.Series([1_600_000_000.25, float("nan"), 1e300, 20260131.0])
    assert read_numbers(floats).to_list() == [wanted[0], None, None, None]


@given(st.lists(st.one_of(st.none(), st.lists(st.text("ab,\0", max_size=2), max_size=3)), max_size=6))
def test_lists_of_texts_are_a_column_with_the_same_lists_or_none(values):
    made = schema.lists_of_text("a", values)
    assert made is None or made.to_list() == values
    if not any("\0" in one for items in values for one in items or ()):
        assert made is not None
