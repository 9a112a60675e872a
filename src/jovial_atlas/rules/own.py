"""What pages say of themselves, and what is said of single pages: the layers of overrides.

A page speaks by its robots directives, its canonical and its dates, and by fields of its front
matter or row that are called like what can be decided. Guards say whose words count.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import polars as pl
from polars.datatypes import DataTypeClass

from jovial_atlas import addresses
from jovial_atlas.pages import schema
from jovial_atlas.robots.words import has, value_of
from jovial_atlas.rules.fields import FIELDS, FROM_PAGE, Layer
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.deciding import Decided
from jovial_atlas.sitefile.overrides import OverrideRows
from jovial_atlas.sitefile.parts import options_of

#: Columns of the page's own values of fields that are decided, where others decide them too.
OWN = {name: f"own_{name}" for name in FROM_PAGE}
_TRUE, _FALSE = ("true", "yes", "1"), ("false", "no", "0")
#: From 0.1 for the page with the least weight, or the fewest clicks, to 1.0 for the one with the
#: most.
PRIORITY_BY = {
    name: (0.1 + 0.9 * pl.col(f"{name}_rank")).round(1) for name in ("weight", "clicks")
}
#: Dates that say when the content changed, not when a file was written.
_MEANT = ("field", "meta", "json-ld", "time", "published")


def page_says(word: str, column: str = "directives") -> pl.Expr:
    """Whether a page's own directives say `noindex` or `nofollow`."""
    return pl.col(column).fill_null("").str.contains(has(word, "none"))


def said_by_directives(column: str = "directives") -> dict[str, pl.Expr]:
    """Field → what robots directives in a column say of it, null where they say nothing."""
    words = pl.col(column)

    def word(name: str) -> pl.Expr:
        return words.str.contains(has(name))

    def number(name: str) -> pl.Expr:
        return words.str.extract(value_of(name, r"-?\d+")).cast(pl.Int64)

    none = pl.when(word("nosnippet")).then(pl.lit(0, pl.Int64))
    return {
        "index": pl.when(page_says("noindex", column)).then(pl.lit(False)),
        "follow": pl.when(page_says("nofollow", column)).then(pl.lit(False)),
        "max_snippet": pl.coalesce(none, number("max-snippet")),
        "max_image_preview": words.str.extract(
            value_of("max-image-preview", "none|standard|large")
        ),
        "max_video_preview": number("max-video-preview"),
        "archive": pl.when(word("noarchive")).then(pl.lit(False)),
        "translate": pl.when(word("notranslate")).then(pl.lit(False)),
        "image_index": pl.when(word("noimageindex")).then(pl.lit(False)),
        "embedded_index": pl.when(word("indexifembedded")).then(pl.lit(True)),
        "unavailable_after": words.str.extract(value_of("unavailable_after")),
    }


def said_by_fields(known: Mapping[str, pl.DataType]) -> dict[str, pl.Expr]:
    """Field → what a page's own field of that name says (`extra.index`), null where it says
    nothing that the field could be."""
    extra = known.get(schema.EXTRA)
    there = {one.name: one.dtype for one in extra.fields} if isinstance(extra, pl.Struct) else {}
    return {
        name: _as_field(pl.col(schema.EXTRA).struct.field(name), there[name], name)
        for name in FIELDS
        if name in there and name not in FROM_PAGE
    }


def _as_field(value: pl.Expr, given: pl.DataType | DataTypeClass, name: str) -> pl.Expr:
    wanted = FIELDS[name]
    if wanted == pl.Boolean:
        if given == pl.Boolean:
            return value
        text = value.cast(pl.String, strict=False).str.to_lowercase()
        return pl.when(text.is_in(_TRUE)).then(True).when(text.is_in(_FALSE)).then(False)
    cast = value.cast(wanted, strict=False)
    if name == "priority":
        return pl.when(cast.is_between(0, 1)).then(cast)
    if wanted == pl.Int64:
        return pl.when(cast >= -1).then(cast)
    if words := _choices(name):
        return pl.when(cast.is_in(words)).then(cast)
    if name == "unavailable_after":
        return pl.when(cast.str.contains(r"^\d{4}-\d\d-\d\d")).then(cast)
    return pl.when(cast.str.contains("^(/|https?://|parent$|file$)")).then(cast)


def _choices(name: str) -> list[str]:
    """The words that a field may be, where it is one of a few."""
    return [word for word in options_of(Decided, name) if isinstance(word, str)]


def page_layers(
    site: SiteFile, known: Mapping[str, pl.DataType], dynamic: frozenset[str]
) -> list[Layer]:
    """What pages say of themselves, as far as guards allow. `dynamic` names the fields of the
    page table that anything else decides about too."""

    def allowed(values: dict[str, pl.Expr]) -> dict[str, pl.Expr]:
        return {
            name: pl.when(~refused(site, name, pl.col("author"))).then(value)
            if any(name in guard.fields for guard in site.model.guard)
            else value
            for name, value in values.items()
        }

    layers: list[Layer] = []
    if dynamic & {"canonical"}:
        own = allowed({"canonical": pl.col(OWN["canonical"])})
        layers.append(Layer("page", pl.lit(True), own, "the page names its canonical"))
    if dynamic & {"lastmod"}:
        told = pl.col("lastmod_from").is_in(_MEANT)
        own = allowed({"lastmod": pl.when(told).then(pl.col(OWN["lastmod"]))})
        layers.append(Layer("page", pl.lit(True), own, "the page says when it changed"))
    directives = allowed(said_by_directives())
    layers += [
        Layer("page", pl.lit(True), {name: directives.pop(name)}, f"the page says no{name}",
              needs=("directives",))
        for name in ("index", "follow")
    ]  # fmt: skip
    layers.append(
        Layer("page", pl.lit(True), directives, "the page's robots tag says so",
              needs=("directives",))
    )  # fmt: skip
    if fields := allowed(said_by_fields(known)):
        layers.append(Layer("page", pl.lit(True), fields, "the page's own field says so"))
    return layers


def crawler_layer(token: str) -> Layer:
    """What pages say to one crawler alone, by a robots tag with its name."""
    return Layer(
        "page",
        pl.lit(True),
        said_by_directives("_own_words"),
        f"the page's {token} tag says so",
        needs=("crawler_directives",),
        crawlers=(token,),
    )


def words_for(token: str) -> pl.Expr:
    """The directives that a page has for one crawler alone."""
    mine = pl.element().filter(pl.element().struct.field("crawler") == token)
    found = pl.col("crawler_directives").list.eval(mine.struct.field("words"))
    return found.list.join(", ")


def refused(site: SiteFile, name: str, author: pl.Expr) -> pl.Expr:
    """Whether a guard keeps this author from overriding a field."""
    no = pl.lit(False)
    for guard in site.model.guard:
        if name in guard.fields:
            here = pl.col("section").is_in(list(guard.sections)) if guard.sections else pl.lit(True)
            no = no | (here & ~author.is_in(list(guard.authors)).fill_null(False))
    return no


def guards(site: SiteFile, name: str, section: str, by: str) -> bool:
    """Whether a guard refuses one override."""
    if not site.model.guard:
        return False
    page = pl.DataFrame({"section": [section]})
    return bool(page.select(refused(site, name, pl.lit(by))).item())


def own_values(site: SiteFile, known: Mapping[str, pl.DataType]) -> dict[str, pl.Expr]:
    """Field → what pages say of it themselves, whether a guard refuses it or not, for the fields
    that guards keep."""
    own = OWN["canonical"] if OWN["canonical"] in known else "canonical"
    values = {**said_by_fields(known), "canonical": pl.col(own)}
    for name, value in said_by_directives().items():
        values[name] = pl.coalesce(value, values[name]) if name in values else value
    guarded = {name for guard in site.model.guard for name in guard.fields}
    return {name: value for name, value in values.items() if name in guarded}


def refused_fields(site: SiteFile, known: Mapping[str, pl.DataType]) -> dict[str, pl.Expr]:
    """Field → whether a page says something of it that a guard refuses."""
    return {
        name: value.is_not_null() & refused(site, name, pl.col("author"))
        for name, value in own_values(site, known).items()
    }


def given(said: Decided, site: SiteFile) -> dict[str, Any]:
    """The fields that a part of the site file sets, addresses in full."""
    values = {name: getattr(said, name) for name in FIELDS}
    return {name: resolved(name, value, site) for name, value in values.items()
            if value is not None}  # fmt: skip


def resolved(name: str, value: Any, site: SiteFile) -> Any:
    """A value as it is decided: a path becomes an address, "self" the page's own, "weight" and
    "clicks" what each page has of these."""
    if name == "priority" and isinstance(value, str):
        return PRIORITY_BY[value]
    if name == "canonical" and value == "self":
        return pl.col("loc")
    if name in ("canonical", "send_to") and value.startswith("/"):
        return addresses.normalise(site.model.site.url + value)
    return value


def override_layers(site: SiteFile) -> list[Layer]:
    """The rows of the overrides file; those that say the same for the same reason are one."""
    return [
        Layer(
            "overrides file",
            pl.col("loc").is_in(locs.implode()) & ~refused(site, name, pl.lit(by)),
            {name: resolved(name, value, site)},
            reason or "the overrides file says so",
        )
        for (name, value, reason, by), locs in _GROUPED.of(site.overrides)
    ]


class _Grouped:
    """The rows of the overrides file by what they say, made once for those asked for last."""

    def __init__(self) -> None:
        self._overrides = OverrideRows()
        self._groups: list[tuple[tuple[Any, ...], pl.Series]] = []

    def of(self, overrides: OverrideRows) -> list[tuple[tuple[Any, ...], pl.Series]]:
        """Field, value, reason and who says so, with the addresses."""
        if self._overrides is not overrides:
            self._groups = [(said, pl.Series(locs)) for said, locs in overrides.alike().items()]
            self._overrides = overrides
        return self._groups


_GROUPED = _Grouped()
