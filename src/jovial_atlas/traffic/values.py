"""Values of tables of performance, whole columns of texts at a time: counts with any sign between
their thousands, places with either sign before their fraction, addresses in the one spelling.
Days are left as they are written until all of a file is known: whether 3/4 is in March or April
is told by the others."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date

import polars as pl

from jovial_atlas.address_columns import normal_addresses, whole_addresses
from jovial_atlas.engines.exports import day_first, read_date
from jovial_atlas.traffic.columns import ROW_MEASURES, TABLE_PARTS
from jovial_atlas.traffic.reading import TextRows

#: What stands between thousands in some language.
_GAPS = r"[\s\u{a0}\u{202f}\u{2009}'’_]"
_WHOLE = r"^(?:\d{1,3}(?:[.,]\d{3})+|\d+(?:[.,]0+)?)$"
_NONE = ("", "-", "–", "—", "n/a", "N/A", "null", "None")
#: Columns in which any text may stand for itself.
_TEXTS = ("date", "loc", "query", "country", "device", "results")
#: No place is farther down: positions are kept in thousandths, in 32 bits.
_LAST_PLACE = 4_000_000.0
#: How values are said to be too small to tell, as in `<10`.
_HIDDEN = r"^\s*[<≤]"


@dataclass(slots=True)
class Unread:
    """TextRows that were left out: how many could not be read and why the first, how many are about
    other sites, and how many have a count that the engine hides."""

    rows: int = 0
    first: str = ""
    elsewhere: int = 0
    hidden: int = 0


@dataclass(slots=True)
class Days:
    """The days of a file, as they are written: what they are is known at the end."""

    written: dict[str, None] = field(default_factory=dict)

    def note(self, texts: pl.Series) -> None:
        """Note what stands in a column."""
        self.written.update(dict.fromkeys(texts.unique(maintain_order=True).drop_nulls().to_list()))

    def read(self) -> dict[str, date | None]:
        """Each text with its day, None for what is no day."""
        texts = list(self.written)
        first = day_first(texts)
        return {text: _day(text, first) for text in texts}


def _day(text: str, first: bool) -> date | None:
    found = read_date(text.strip(), first)
    try:
        return date.fromisoformat(found[:10]) if found else None
    except ValueError:
        return None


def typed(
    rows: TextRows, columns: Mapping[str, str], hosts: Sequence[str], days: Days, unread: Unread
) -> pl.DataFrame:
    """Rows with columns of our names: `date`, or `written` (the day as it is written, where that is
    not in the one form), `raw` (a digest of the address as it is written, where it is not in the
    one spelling), those of `TABLE_PARTS` but the day, and `ROW_MEASURES` where they are given;
    counts without a value are 0, a position without one null. `hosts` are those of the site,
    `https://www.marrowfen.example` each. What cannot be used is left out, and noted."""
    given = {ours: rows.table[theirs] for ours, theirs in columns.items()}
    table = pl.DataFrame(
        {
            ours: one.replace("", None) if ours in _TEXTS and one.dtype == pl.String else one
            for ours, one in given.items()
        }
    )
    fine, told = pl.repeat(True, table.height, eager=True), {}
    for name in (one for one in ROW_MEASURES if one in table.columns):
        value, wrong = _number(table[name], is_place=name == "position")
        if wrong is not None:
            hidden = wrong & table[name].str.contains(_HIDDEN)
            unread.hidden += int(hidden.sum())
            told[name] = wrong & ~hidden
            fine &= ~told[name]
        table = table.with_columns(value.alias(name))
    if "date" in table.columns:
        told["date"] = table["date"].is_null()
        fine &= ~told["date"]
    if "loc" in table.columns:
        said = table["loc"]
        locs, wrong, elsewhere = _locs(said, hosts)
        told["loc"] = wrong
        fine &= ~wrong
        unread.elsewhere += int((elsewhere & fine).sum())
        fine &= ~elsewhere
        if locs is not said:
            odd = (locs != said).fill_null(False)
            raw = said.hash(1).set(~odd, None)
            table = table.with_columns(locs.alias("loc"), raw.alias("raw"))
    _note(unread, told, given, rows.lines)
    table = table if fine.all() else table.filter(fine)
    table = _with_days(table, days)
    texts = [name for name in TABLE_PARTS if name in table.columns and name not in ("date", "loc")]
    counts = [pl.col(name).fill_null(0) for name in ("clicks", "impressions")
              if name in table.columns]  # fmt: skip
    return table.with_columns(*(pl.col(name).str.strip_chars() for name in texts), *counts)


def _with_days(table: pl.DataFrame, days: Days) -> pl.DataFrame:
    """The table with its days, or with how they are written where they are in no one form."""
    if "date" not in table.columns or table["date"].dtype == pl.Date:
        return table
    plain = table["date"].str.to_date("%Y-%m-%d", strict=False)
    if not plain.null_count():
        return table.with_columns(plain.alias("date"))
    days.note(table["date"])
    return table.rename({"date": "written"})


def _number(texts: pl.Series, *, is_place: bool) -> tuple[pl.Series, pl.Series | None]:
    """Numbers of texts, null where there is none, and where one is wrong, if anywhere."""
    read = _place if is_place else _count
    if texts.dtype == pl.UInt32:
        return texts, None
    plain = texts.cast(pl.Float64 if is_place else pl.UInt32, strict=False)
    wrong = None
    if plain.null_count() > texts.null_count():
        said = texts.set(texts.is_in(_NONE).fill_null(False), None)
        plain = read(said)
        wrong = plain.is_null() & said.is_not_null()
    if is_place:
        # A 0 stands for none; what is farther down than any place is no place.
        odd = ((plain < 0) | (plain >= _LAST_PLACE)).fill_null(False)
        wrong = odd if wrong is None else wrong | odd
        plain = plain.set(plain <= 0, None) if plain.min() in (0, 0.0) else plain
    return plain, wrong if wrong is not None and wrong.any() else None


def _count(texts: pl.Series) -> pl.Series:
    bare = texts.str.replace_all(_GAPS, "")
    whole = bare.str.replace(r"[.,]0{1,2}$", "").str.replace_all(r"[.,]", "")
    found = whole.cast(pl.UInt32, strict=False)
    return found.set(~bare.str.contains(_WHOLE).fill_null(False), None)


def _place(texts: pl.Series) -> pl.Series:
    bare = texts.str.replace_all(_GAPS, "").str.replace_all("٫", ".", literal=True)
    # Of two signs the later is that of the fraction; a single one is that in any case.
    bare = bare.str.replace_all(r"[.,](\d+[.,])", "$1").str.replace_all(",", ".", literal=True)
    return bare.cast(pl.Float64, strict=False)


def _locs(texts: pl.Series, hosts: Sequence[str]) -> tuple[pl.Series, pl.Series, pl.Series]:
    """Addresses in the one spelling, which are none, and which are of other sites. What differs
    from a host of the site by http or https alone is its own."""
    once = texts.unique()
    spelled = normal_addresses(once, hosts[0])
    known = whole_addresses(spelled)
    for host in hosts:
        other = "http" + host.removeprefix("https") if host.startswith("https") else (
            "https" + host.removeprefix("http"))  # fmt: skip
        mine = known.str.starts_with(f"{other}/").fill_null(False)
        if mine.any():
            known = known.zip_with(~mine, host + known.str.slice(len(other)))
    ours = pl.repeat(False, known.len(), eager=True)
    for host in hosts:
        ours |= known.str.starts_with(f"{host}/").fill_null(False)
    if ours.all() and bool((known == once).all()):
        # Most tables have all addresses in the one spelling.
        none = pl.repeat(False, texts.len(), eager=True)
        return texts, none, none
    table = pl.DataFrame({"text": once, "loc": known, "ours": ours})
    found = texts.rename("text").to_frame().join(
        table, on="text", how="left", maintain_order="left", nulls_equal=True
    )  # fmt: skip
    wrong = found["loc"].is_null()
    return found["loc"], wrong, ~wrong & ~found["ours"]


_SAID = {"date": "no day", "loc": "no address", "position": "no position"}


def _note(
    unread: Unread, told: Mapping[str, pl.Series], given: Mapping[str, pl.Series],
    lines: Sequence[int],
) -> None:  # fmt: skip
    """Note what could not be read, and the first such value with its line."""
    either = None
    for name, wrong in told.items():
        if wrong.any():
            either = wrong if either is None else either | wrong
            if not unread.first:
                at = int(wrong.arg_true()[0])
                value = given[name][at]
                unread.first = f"line {lines[at]}: {value!r} is {_SAID.get(name, 'no count')}"
    if either is not None:
        unread.rows += int(either.sum())
