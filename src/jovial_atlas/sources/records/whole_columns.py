"""Dates, lists and pictures of records, whole columns at a time: what has a usual form is read by
expressions, and only what has none value by value, each distinct one once."""

from __future__ import annotations

from functools import partial

import polars as pl

from jovial_atlas import addresses, dates, foreign
from jovial_atlas.address_columns import OCTET, SPELLED, each_once, normal_addresses, put, replaced
from jovial_atlas.date_columns import written_days, written_moments
from jovial_atlas.pages import schema
from jovial_atlas.sources.records.records import item_text

#: A day that there is, whatever the year; a time of day.
_REAL_DAY = (
    "[12][0-9]{3}-(?:(?:0[1-9]|1[0-2])-(?:0[1-9]|1[0-9]|2[0-8])|(?:0[13-9]|1[0-2])-(?:29|30)"
    "|(?:0[13578]|1[02])-31)"
)
_REAL_TIME = "(?:[01][0-9]|2[0-3]):[0-5][0-9]:[0-5][0-9]"
#: Dates in the product's form; and moments of UTC in another, which differ in single signs.
_IN_FORM = rf"^{_REAL_DAY}(?:T{_REAL_TIME}Z)?$"
_OF_UTC = rf"^{_REAL_DAY}[T ]{_REAL_TIME}(?:[.,][0-9]+)? ?(?:Z|UTC|GMT|[+-]00(?::?00)?)?$"
_OF_A_ZONE = (
    rf"^{_REAL_DAY}[T ]{_REAL_TIME}(?:[.,][0-9]+)? ?[+-](?:0[0-9]|1[0-9]|2[0-3]):?[0-5][0-9]$"
)
_WHOLE_DAY = r"^\s*(\d{4}-\d\d-\d\d)\s*$"
_DAY, _TIME = r"(\d{4}-\d\d-\d\d)", r"(\d\d:\d\d)(:\d\d)?(?:[.,]\d+)?"
#: ISO 8601 with a time, as databases and spreadsheets write it: day, time, seconds, zone.
_ISO = rf"(?i)^\s*{_DAY}[T ]+{_TIME}\s*(Z|UTC|GMT|[+-](?:[01]\d|2[0-3])(?::?\d\d)?)?\s*$"
#: RFC 5322 §3.3, in its modern form.
_RFC = r"^(?:\w{3}, )?(\d\d?) (\w{3}) (\d{4}) (\d\d:\d\d:\d\d) (GMT|UTC|[+-]\d{4})$"
#: A path of the site in the one spelling, unless it has a dot segment (`/.`).
_PLAIN_REFERENCE = (
    rf"^/(?:[A-Za-z0-9:@!$&'()*+,=._~-]|{OCTET})(?:[A-Za-z0-9/:@!$&'()*+,=._~-]|{OCTET})*"
    rf"(?:\?(?:[A-Za-z0-9/:@!$&'()*+,=._~?-]|{OCTET})+)?$"
)
_USUAL_REFERENCE = r"^(?:https?://|/[^/])"


def read_dates(values: pl.Series) -> pl.Series:
    """Dates in the product's form; null where one is none."""
    odd = (~values.str.contains(_IN_FORM) & values.is_not_null()).fill_null(False)
    return replaced(values, odd, _read_dates) if odd.any() else values


def _read_dates(values: pl.Series) -> pl.Series:
    """Dates that are not in the product's form: in the usual ones by columns, form after form."""
    for read in _FORMS:
        dated = read(values)
        left = (dated.is_null() & values.is_not_null()).fill_null(False)
        if not left.any():
            return dated
        if not left.all():
            return put(dated, left, _read_dates(values.filter(left)))
    return each_once(values, lambda text: dates.read(text) if text else None)


def _moments_of_utc(values: pl.Series) -> pl.Series:
    """What only has to be written otherwise; null for all else."""
    text = pl.col("text")
    written = pl.concat_str(text.str.slice(0, 10), pl.lit("T"), text.str.slice(11, 8), pl.lit("Z"))
    table = pl.DataFrame({"text": values})
    return table.select(pl.when(text.str.contains(_OF_UTC)).then(written)).to_series()


def _moments_of_zones(values: pl.Series) -> pl.Series:
    """Moments of ISO 8601 in full with their distance from UTC, by the places of their signs; null
    for all else."""
    text = pl.col("text")
    bare = pl.when(text.str.contains(_OF_A_ZONE)).then(text)
    here = pl.DataFrame({"text": values}).select(text=bare)
    if not here["text"].count():
        return here["text"]

    def number(start: int) -> pl.Expr:
        return text.str.slice(start, 2).cast(pl.Int64)

    colon = text.str.slice(-3, 1) == ":"
    hours = pl.when(colon).then(number(-5)).otherwise(number(-4)) * 60
    sign = pl.when(colon).then(text.str.slice(-6, 1)).otherwise(text.str.slice(-5, 1))
    zone = (hours + number(-2)) * pl.when(sign == "-").then(-1).otherwise(1)
    day = text.str.slice(0, 10).str.to_date("%Y-%m-%d", strict=False).to_physical().cast(pl.Int64)
    seconds = ((day * 24 + number(11)) * 60 + number(14) - zone) * 60 + number(17)
    moments = here.select((seconds * 1000).cast(pl.Datetime("ms")))
    return written_moments(moments.to_series())


_UTC = ("Z", "UTC", "GMT")


def _iso_moments(values: pl.Series) -> pl.Series:
    """Moments of ISO 8601; null for all else."""
    part = pl.col("text").str.extract_groups(_ISO).struct
    day, time, seconds = part[0], part[1], part[2].fill_null(":00")
    parts = pl.DataFrame({"text": values}).select(
        written=day + "T" + time + seconds, zone=part[3].str.to_uppercase().str.replace(":", "")
    )
    return _moments(parts, "%Y-%m-%dT%H:%M:%S")


def _rfc_moments(values: pl.Series) -> pl.Series:
    part = pl.col("text").str.extract_groups(_RFC).struct
    written = part[0].str.zfill(2) + " " + part[1] + " " + part[2] + " " + part[3]
    parts = pl.DataFrame({"text": values}).select(written=written, zone=part[4])
    return _moments(parts, "%d %b %Y %H:%M:%S")


def _moments(parts: pl.DataFrame, form: str) -> pl.Series:
    """Moments of texts `written` in a form, each in its `zone`, in the product's form."""
    zone = pl.col("zone")
    moment = pl.col("written").str.to_datetime(form, time_unit="ms", strict=False)
    sign = pl.when(zone.str.starts_with("-")).then(-1).otherwise(1)
    minutes = zone.str.slice(1, 2).cast(pl.Int64, strict=False) * 60
    minutes += zone.str.slice(3, 2).cast(pl.Int64, strict=False).fill_null(0)
    offset = pl.duration(minutes=sign * minutes, time_unit="ms")
    here = pl.when(zone.is_null() | zone.is_in(_UTC)).then(moment).otherwise(moment - offset)
    return written_moments(parts.select(here).to_series())


def _whole_days(values: pl.Series) -> pl.Series:
    day = pl.col("text").str.extract(_WHOLE_DAY).str.to_date("%Y-%m-%d", strict=False)
    return written_days(pl.DataFrame({"text": values}).select(day).to_series())


_DOTTED_DAY = r"^\s*([0-9]{1,2})\.([0-9]{1,2})\.([0-9]{4})\s*$"


def _dotted_days(values: pl.Series) -> pl.Series:
    part = pl.col("text").str.extract_groups(_DOTTED_DAY).struct
    whole = part[2] + "-" + part[1].str.zfill(2) + "-" + part[0].str.zfill(2)
    day = whole.str.to_date("%Y-%m-%d", strict=False)
    return written_days(pl.DataFrame({"text": values}).select(day).to_series())


#: What reads each usual form, and gives null for all else.
_FORMS = (
    _moments_of_utc, _moments_of_zones, _iso_moments, _rfc_moments, _whole_days, _dotted_days,
)  # fmt: skip

#: Seconds and milliseconds since 1970, from 1990 on; smaller numbers may be days, as 20260131.
_SECONDS, _MILLISECONDS = (631_152_000, 9_999_999_999), (631_152_000_000, 9_999_999_999_999)


def read_numbers(values: pl.Series) -> pl.Series:
    """Numbers that stand for dates in the product's form: seconds or milliseconds since 1970, or
    days as they are written; null where one is none."""
    number = pl.col("n")
    seconds = (
        pl.when(number.is_between(*_SECONDS))
        .then(number)
        .when(number.is_between(*_MILLISECONDS))
        .then(number // 1000)
    )
    table = pl.DataFrame({"n": values.cast(pl.Int64, strict=False)}).with_columns(s=seconds)
    dated = written_moments(table.select(pl.from_epoch("s", time_unit="s")).to_series())
    other = (dated.is_null() & values.is_not_null()).fill_null(False)
    if not other.any():
        return dated
    return put(dated, other, read_dates(values.filter(other).cast(pl.String)))


def read_lists(values: pl.Series, separator: str, *, addresses: bool = False) -> pl.Series:
    """Cells as lists of texts (of objects what they are called, or their addresses): JSON, or
    items between separators; null where there is nothing."""
    kind = pl.List(pl.String)
    item = pl.element().str.strip_chars()
    cell = pl.col("cell")
    split = cell.str.split(separator).list.eval(item.filter(item != ""))
    table = pl.DataFrame({"cell": values}).select(pl.when(cell != "").then(split).cast(kind))
    lists = table.to_series().alias(values.name)
    written = values.str.contains(r"^\s*[\[{]").fill_null(False)
    if not written.any():
        return lists
    cells = values.filter(written).to_list()
    read = [_json_list(value, separator, addresses=addresses) for value in cells]
    whole = lists.to_frame("l").with_columns(pl.Series("w", written)).with_row_index("i")
    own = pl.DataFrame({"i": written.arg_true(), "j": pl.Series(read, dtype=kind)})
    joined = whole.join(own, on="i", how="left", maintain_order="left")
    return joined.select(pl.when("w").then("j").otherwise("l").alias(values.name)).to_series()


def _json_list(value: str, separator: str, *, addresses: bool) -> list[str] | None:
    try:
        found = foreign.read_json(value)
    except (ValueError, RecursionError):
        return [item.strip() for item in value.split(separator) if item.strip()]
    items = found if isinstance(found, list) else [found]
    return [said for item in items if (said := item_text(item, address=addresses))]


def read_pictures(values: pl.Series, site: str) -> pl.Series:
    """Lists of addresses of pictures as the page table has them; what is no address is left out."""
    kind = schema.SCHEMA["images"]
    rows = pl.DataFrame({"i": pl.int_range(len(values), eager=True), "item": values})
    shown = rows.filter(pl.col("item").list.len() > 0).explode("item")
    loc = resolved(shown["item"], site)
    struct = pl.struct(loc="loc", alt=pl.lit(None, pl.String))
    found = shown.select("i", loc=loc).filter(pl.col("loc").is_not_null())
    lists = found.select("i", p=struct).group_by("i", maintain_order=True).agg("p")
    joined = rows.join(lists, on="i", how="left", maintain_order="left")
    empty = pl.lit(pl.Series([[]], dtype=kind))
    whole = pl.when(pl.col("item").is_not_null()).then(pl.coalesce("p", empty))
    return joined.select(whole.cast(kind).alias(values.name)).to_series()


def resolved(items: pl.Series, site: str) -> pl.Series:
    """Addresses to which references from the site's root lead; null where that is none."""
    plain = (
        items.str.contains(_PLAIN_REFERENCE) & ~items.str.contains("/.", literal=True)
    ).fill_null(False)
    rooted = pl.select(pl.lit(site) + pl.lit(items)).to_series().alias(items.name)
    if plain.all():
        return rooted
    other = (~plain & items.is_not_null()).fill_null(False)
    return put(rooted, other, _resolved(items.filter(other), site)) if other.any() else rooted


def _resolved(items: pl.Series, site: str) -> pl.Series:
    """As `resolved`, of references that are not just paths in the one spelling."""
    # Empty parts (`?` at the end, `;`) are joined without them; some signs are read as slashes, or
    # not at all, so that what stands before them may be no path.
    usual = (
        items.str.contains(_USUAL_REFERENCE) & ~items.str.contains(r"[;\\\t\r\n]|\?(?:#|\s*$)")
    ).fill_null(False)
    made = replaced(items, usual, partial(normal_addresses, site=site))
    odd = (~made.str.contains(SPELLED) | ~usual).fill_null(True) & items.is_not_null()
    if not odd.any():
        return made
    return put(made, odd, each_once(items.filter(odd), partial(addresses.resolve, f"{site}/")))
