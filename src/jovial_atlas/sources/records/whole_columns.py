"""Dates, lists and pictures of records, whole columns at a time: what has a usual form is read by
expressions, and only what has none value by value, each distinct one once."""

from __future__ import annotations

from functools import partial

import polars as pl

from jovial_atlas import addresses, dates, foreign
from jovial_atlas.address_columns import SPELLED, each_once, normal_addresses, replaced
from jovial_atlas.pages import schema

#: Dates in the product's form that every month has.
_W3C = (
    r"^[12]\d{3}-(?:0[1-9]|1[0-2])-(?:0[1-9]|1\d|2[0-8])"
    r"(?:T(?:[01]\d|2[0-3]):[0-5]\d:[0-5]\dZ)?$"
)
_WHOLE_DAY = r"^\s*(\d{4}-\d\d-\d\d)\s*$"
_DAY, _TIME = r"(\d{4}-\d\d-\d\d)", r"(\d\d:\d\d)(:\d\d)?(?:[.,]\d+)?"
#: ISO 8601 with a time, as databases and spreadsheets write it: day, time, seconds, zone.
_ISO = rf"(?i)^\s*{_DAY}[T ]+{_TIME}\s*(Z|UTC|GMT|[+-]\d\d:?\d\d)?\s*$"
#: RFC 5322 §3.3, in its modern form.
_RFC = r"^(?:\w{3}, )?(\d\d?) (\w{3}) (\d{4}) (\d\d:\d\d:\d\d) (GMT|UTC|[+-]\d{4})$"
_ONE_SCHEME = r"^(?:https?://|/[^/])"


def read_dates(values: pl.Series) -> pl.Series:
    """Dates in the product's form; null where one is none."""
    odd = (~values.str.contains(_W3C) & values.is_not_null()).fill_null(False)
    return replaced(values, odd, _read_dates) if odd.any() else values


def _read_dates(values: pl.Series) -> pl.Series:
    text = pl.col("text")
    zone = pl.col("zone").str.to_uppercase().str.replace_all(":", "")
    plain = zone.is_null() | zone.is_in(["Z", "UTC", "GMT"])
    parts = pl.DataFrame({"text": values}).select(
        "text",
        day=pl.coalesce(text.str.extract(_ISO, 1), _rfc_day(text)),
        time=pl.coalesce(
            text.str.extract(_ISO, 2) + text.str.extract(_ISO, 3).fill_null(":00"),
            text.str.extract(_RFC, 4),
        ),
        zone=pl.coalesce(text.str.extract(_ISO, 4), text.str.extract(_RFC, 5)),
    )
    written = (
        pl.col("day") + "T" + pl.col("time") + pl.when(plain).then(pl.lit("+0000")).otherwise(zone)
    )
    moment = written.str.to_datetime("%Y-%m-%dT%H:%M:%S%z", time_unit="ms", strict=False)
    read = moment.dt.convert_time_zone("UTC").dt.strftime("%Y-%m-%dT%H:%M:%SZ")
    day = text.str.extract(_WHOLE_DAY).str.to_date("%Y-%m-%d", strict=False)
    dated = parts.select(pl.coalesce(read, day.dt.strftime("%Y-%m-%d"))).to_series()
    left = dated.is_null() & values.is_not_null()
    if not left.any():
        return dated
    return replaced(dated, left, lambda _: each_once(values.filter(left), _one_date))


def _one_date(text: str) -> str | None:
    return dates.read(text) if text else None


def _rfc_day(text: pl.Expr) -> pl.Expr:
    """The day of a date of RFC 5322."""
    day, month, year = (text.str.extract(_RFC, number) for number in (1, 2, 3))
    written = day.str.zfill(2) + " " + month + " " + year
    return written.str.to_date("%d %b %Y", strict=False).dt.strftime("%Y-%m-%d")


def read_lists(values: pl.Series, separator: str) -> pl.Series:
    """Cells as lists of texts: JSON, or items between separators; null where there is nothing."""
    kind = pl.List(pl.String)
    item = pl.element().str.strip_chars()
    cell = pl.col("cell")
    split = cell.str.split(separator).list.eval(item.filter(item != ""))
    table = pl.DataFrame({"cell": values}).select(pl.when(cell != "").then(split).cast(kind))
    lists = table.to_series().alias(values.name)
    written = values.str.starts_with("[").fill_null(False)
    if not written.any():
        return lists
    read = [_json_list(value, separator) for value in values.filter(written).to_list()]
    whole = lists.to_frame("l").with_columns(pl.Series("w", written)).with_row_index("i")
    own = pl.DataFrame({"i": written.arg_true(), "j": pl.Series(read, dtype=kind)})
    joined = whole.join(own, on="i", how="left", maintain_order="left")
    return joined.select(pl.when("w").then("j").otherwise("l").alias(values.name)).to_series()


def _json_list(value: str, separator: str) -> list[str] | None:
    try:
        return [str(item) for item in foreign.read_json(value)]
    except ValueError:
        return [item.strip() for item in value.split(separator) if item.strip()]


def read_pictures(values: pl.Series, site: str) -> pl.Series:
    """Lists of addresses of pictures as the page table has them; what is no address is left out."""
    kind = schema.SCHEMA["images"]
    rows = pl.DataFrame({"i": pl.int_range(len(values), eager=True), "item": values})
    shown = rows.filter(pl.col("item").list.len() > 0).explode("item")
    loc = _resolved(shown["item"], site)
    struct = pl.struct(loc="loc", alt=pl.lit(None, pl.String))
    found = shown.select("i", loc=loc).filter(pl.col("loc").is_not_null())
    lists = found.select("i", p=struct).group_by("i", maintain_order=True).agg("p")
    joined = rows.join(lists, on="i", how="left", maintain_order="left")
    empty = pl.lit(pl.Series([[]], dtype=kind))
    whole = pl.when(pl.col("item").is_not_null()).then(pl.coalesce("p", empty))
    return joined.select(whole.cast(kind).alias(values.name)).to_series()


def _resolved(items: pl.Series, site: str) -> pl.Series:
    """Addresses to which references from the site's root lead; null where that is none."""
    # Empty parts (`?` at the end, `;`) are joined without them.
    usual = (items.str.contains(_ONE_SCHEME) & ~items.str.contains(r";|\?(?:#|\s*$)")).fill_null(
        False
    )
    made = normal_addresses(items, site) if usual.all() else replaced(
        items, usual, partial(normal_addresses, site=site)
    )  # fmt: skip
    odd = (~made.str.contains(SPELLED) | ~usual).fill_null(True) & items.is_not_null()
    if not odd.any():
        return made
    left = items.filter(odd)
    base = f"{site}/"
    return replaced(made, odd, lambda _: each_once(left, lambda one: addresses.resolve(base, one)))
