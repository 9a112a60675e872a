"""Lists and pictures of records, whole columns at a time: what has a usual form is read by
expressions, and only what has none value by value, each distinct one once."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

import polars as pl

from jovial_atlas import addresses, foreign
from jovial_atlas.address_columns import OCTET, SPELLED, each_once, normal_addresses, put, replaced
from jovial_atlas.pages import schema
from jovial_atlas.sources.records.records import ADDRESSED, CALLED, item_text

#: A path of the site in the one spelling, unless it has a dot segment (`/.`).
_PLAIN_REFERENCE = (
    rf"^/(?:[A-Za-z0-9:@!$&'()*+,=._~-]|{OCTET})(?:[A-Za-z0-9/:@!$&'()*+,=._~-]|{OCTET})*"
    rf"(?:\?(?:[A-Za-z0-9/:@!$&'()*+,=._~?-]|{OCTET})+)?$"
)
_USUAL_REFERENCE = r"^(?:https?://|/[^/])"


def read_lists(values: pl.Series, separator: str, *, addresses: bool = False) -> pl.Series:
    """Cells as lists of texts (of objects what they are called, or their addresses): JSON, or
    items between separators; null where there is nothing."""
    split = partial(_split, separator=separator)
    read = partial(_json_lists, separator=separator, addresses=addresses)
    return parted(values, values.str.contains(r"^\s*[\[{]"), split, read).alias(values.name)


def parted(
    values: pl.Series,
    odd: pl.Series,
    plain: Callable[[pl.Series], pl.Series],
    other: Callable[[pl.Series], pl.Series],
) -> pl.Series:
    """What `other` makes of odd values, and `plain` of the rest, null among them, in their order;
    it may be of any type."""
    mine = odd.fill_null(False)
    if not mine.any():
        return plain(values)
    if mine.all():
        return other(values)
    order = pl.concat([(~mine).arg_true(), mine.arg_true()]).arg_sort()
    return pl.concat([plain(values.filter(~mine)), other(values.filter(mine))])[order]


def _split(values: pl.Series, separator: str) -> pl.Series:
    item, cell = pl.element().str.strip_chars(), pl.col("cell")
    split = cell.str.split(separator).list.eval(item.filter(item != ""))
    table = pl.DataFrame({"cell": values}).select(pl.when(cell != "").then(split).cast(_TEXTS))
    return table.to_series()


_TEXTS = pl.List(pl.String)
#: A list of JSON with nothing in it but texts.
_TEXT = r'"(?:[^"\\\x00-\x1f]|\\(?:["\\/bfnrt]|u[0-9A-Fa-f]{4}))*"'
_GAP = r"[ \t\r\n]*"
_OF_TEXTS = rf"^{_GAP}\[{_GAP}(?:{_TEXT}(?:{_GAP},{_GAP}{_TEXT})*)?{_GAP}\]{_GAP}$"
_OF_OBJECTS = rf"(?s)^{_GAP}\[{_GAP}\{{.*\}}{_GAP}\]{_GAP}$"
#: What Python takes off both ends of a text.
_SPACE = "".join(filter(str.isspace, map(chr, range(0x3001))))


def _json_lists(values: pl.Series, separator: str, *, addresses: bool) -> pl.Series:
    alone = partial(_one_by_one, separator=separator, addresses=addresses)
    of_texts = partial(_decoded, kind=_TEXTS, item=pl.element(), alone=alone)
    of_objects = partial(_of_objects, names=ADDRESSED if addresses else CALLED, alone=alone)
    return parted(values, ~values.str.contains(_OF_TEXTS), of_texts, of_objects)


def _of_objects(
    values: pl.Series, names: Sequence[str], alone: Callable[[pl.Series], pl.Series]
) -> pl.Series:
    """What objects in lists are called; by columns, where that is a text in all of them, and none
    is called by its `id` alone, which is mostly a number."""
    usual = [name for name in names if name != "id"]
    no_text = rf'"(?:{"|".join(usual)})"{_GAP}:{_GAP}[^" \t\r\n]'
    plain = values.str.contains(_OF_OBJECTS) & ~values.str.contains(no_text)
    kind = pl.List(pl.Struct(dict.fromkeys(usual, pl.String)))
    called = pl.coalesce(pl.element().struct.field(*usual))
    work = partial(_decoded, kind=kind, item=called, alone=alone)
    return parted(values, ~plain, work, alone)


def _decoded(
    values: pl.Series, kind: pl.DataType, item: pl.Expr, alone: Callable[[pl.Series], pl.Series]
) -> pl.Series:
    try:
        found = values.str.json_decode(kind)
    except (pl.exceptions.PolarsError, pl.exceptions.PanicException):
        return alone(values)  # an item of another kind, or half of a pair of surrogates
    lacks = found.list.eval(item.is_null()).list.any()
    bare = item.str.strip_chars(_SPACE)
    return parted(
        found,
        lacks,
        lambda some: some.list.eval(bare.filter(bare != "")),
        lambda _: alone(values.filter(lacks)),
    )


def _one_by_one(values: pl.Series, separator: str, *, addresses: bool) -> pl.Series:
    read = [_json_list(value, separator, addresses=addresses) for value in values.to_list()]
    return pl.Series(values.name, read, _TEXTS)


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
