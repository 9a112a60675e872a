"""The layers that decide about a page, weakest first, as conditions over the page table.

    built-in defaults → section → rules in order → what the page says of itself → facts

A later layer wins, field by field. Facts come last and only ever take a page out of
the sitemaps: an address that redirects, or that crawlers may not fetch, cannot be listed
whatever anyone decides.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import polars as pl

from jovial_atlas import patterns
from jovial_atlas.addresses import escape
from jovial_atlas.pages import schema
from jovial_atlas.rules.crawling import disallowed, robots_of
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.model import RESERVED_SECTIONS, REST, Decision, Section

#: What layers decide, with the type of its column.
FIELDS: dict[str, Any] = {
    "listed": pl.Boolean,
    "index": pl.Boolean,
    "follow": pl.Boolean,
    "changefreq": pl.String,
    "priority": pl.Float64,
    "max_snippet": pl.Int64,
    "max_image_preview": pl.String,
    "max_video_preview": pl.Int64,
    "archive": pl.Boolean,
    "translate": pl.Boolean,
    "unavailable_after": pl.String,
}


@dataclass(frozen=True, slots=True)
class Layer:
    """One voice: its name, the pages it speaks of, what it sets and why.

    A `fact` speaks only of pages that are still listed, so that the owner's own reason
    is the one that is told.
    """

    name: str
    where: pl.Expr
    sets: dict[str, Any]
    reason: str
    fact: bool = False


@dataclass(frozen=True, slots=True)
class LayerSays:
    """What one layer said about one page; `won` holds the fields in which it had the last word."""

    name: str
    sets: dict[str, Any]
    reason: str
    won: tuple[str, ...] = field(default=())


def section_column(site: SiteFile) -> pl.Expr:
    """The section of each page: the one its source names, else the first that matches, `pages`
    where none does."""
    column = pl.lit(REST)
    for section in reversed(site.model.section):
        fits = matches(section.patterns)
        column = pl.when(fits).then(pl.lit(section.name)).otherwise(column)
    return pl.coalesce(_named_section(), column).alias("section")


def _named_section() -> pl.Expr:
    """The section that the source names, in the form that section names have; what cannot be
    one counts as not said."""
    plain = (
        pl.col("in_section")
        .str.to_lowercase()
        .str.replace_all("[^a-z0-9]+", "-")
        .str.strip_chars("-")
    )
    return pl.when((plain != "") & ~plain.is_in(sorted(RESERVED_SECTIONS))).then(plain)


def path_column(site: SiteFile) -> pl.Expr:
    """Path and query of each address; addresses in the page table are all of the site's hosts."""
    if site.model.host:
        return pl.col("loc").str.replace("^https?://[^/]+", "").alias("_path")
    return pl.col("loc").str.strip_prefix(site.model.site.url).alias("_path")


def matches(found: tuple[str, ...]) -> pl.Expr:
    """Whether `_path` is like one of the patterns. A whole folder, the usual case, is a plain
    comparison of beginnings; anything else is an expression."""
    folders = [
        one[:-2] for one in found if one.endswith("/**") and not set(one[:-2]) & set("*{}?%")
    ]
    others = [one for one in found if not (one.endswith("/**") and one[:-2] in folders)]
    tests = [pl.col("_path").str.starts_with(escape(folder)) for folder in folders]
    if others:
        tests.append(pl.col("_path").str.contains(patterns.any_of(others)))
    return pl.any_horizontal(tests)


def layers_of(site: SiteFile, table: pl.DataFrame | pl.LazyFrame | None = None) -> list[Layer]:
    """All layers of a site file, weakest first, for a page table (its `extra` fields differ
    from site to site).

    Raises SiteFileError where a rule's `when` is no condition over that table.
    """
    known = schema.empty().schema if table is None else table.collect_schema()
    return [
        *_defaults(),
        *_section_layers(site),
        *_rule_layers(site, known),
        *_page_layers(site),
        *_override_layers(site),
        *_facts(site),
    ]


_HIDDEN = {"listed": False, "index": False}
_KINDS = (
    ("draft", "drafts", _HIDDEN, "it is a draft"),
    ("future", "future pages", _HIDDEN, "it is dated in the future"),
    ("attachment", "attachments", {"listed": False}, "it is an attachment of another page"),
)


def _defaults() -> list[Layer]:
    return [
        Layer(
            "default",
            pl.lit(True),
            {"listed": True, "index": True, "follow": True},
            "pages are listed unless something says otherwise",
        ),
        Layer(
            "default for error pages",
            pl.col("kind") == "error",
            {"listed": False, "index": False},
            "it is an error page",
        ),
        *(
            Layer(f"default for {what}", pl.col("kind") == kind, sets, reason)
            for kind, what, sets, reason in _KINDS
        ),
    ]


def _given(said: Section | Decision) -> dict[str, Any]:
    values = {name: getattr(said, name) for name in FIELDS}
    return {name: value for name, value in values.items() if value is not None}


def _section_layers(site: SiteFile) -> list[Layer]:
    layers = []
    for section in site.model.section:
        if sets := _given(section):
            name = f"section {section.name}"
            reason = section.reason or f"the section {section.name} is set so"
            layers.append(Layer(name, pl.col("section") == section.name, sets, reason))
    return layers


def _rule_layers(site: SiteFile, known: pl.Schema) -> list[Layer]:
    layers = []
    for number, rule in enumerate(site.model.rule):
        conditions = []
        if rule.patterns:
            conditions.append(matches(rule.patterns))
        if rule.section:
            conditions.append(pl.col("section") == rule.section)
        if rule.when:
            conditions.append(_condition(site, number, rule.when, known))
        sets = _given(rule.set)
        name = f"rule {number + 1}"
        shown = rule.match or rule.section or rule.when
        shown = shown if isinstance(shown, str) else ", ".join(shown)
        reason = rule.reason or f"rule {number + 1} ({shown}) says so"
        layers.append(Layer(name, pl.all_horizontal(conditions), sets, reason))
    return layers


def _condition(site: SiteFile, number: int, text: str, known: pl.Schema) -> pl.Expr:
    """An SQL condition over the page table's columns, tried on an empty table."""
    example = 'when = "entries = 0"'
    try:
        expression = pl.sql_expr(text)
        empty = pl.DataFrame(schema={**known, "section": pl.String})
        tried = empty.select(tried=expression)
    except (pl.exceptions.ColumnNotFoundError, pl.exceptions.StructFieldNotFoundError):
        extra = known.get(schema.EXTRA)
        named = (
            [f"extra.{one.name}" for one in extra.fields] if isinstance(extra, pl.Struct) else []
        )
        columns = ", ".join([*schema.SCHEMA, "section", *named])
        message = f"{text!r} names a column that the page table does not have. It has: {columns}."
        raise site.error(("rule", number, "when"), message, example) from None
    except pl.exceptions.PolarsError as error:
        message = f"{text!r} is no SQL condition ({str(error).splitlines()[0]})."
        raise site.error(("rule", number, "when"), message, example) from None
    if tried.schema["tried"] != pl.Boolean:
        message = f"{text!r} is no condition: it gives a value, not true or false."
        raise site.error(("rule", number, "when"), message, example)
    return expression.fill_null(False)


def page_says(word: str) -> pl.Expr:
    """Whether a page's own directives say `noindex` or `nofollow`."""
    return pl.col("directives").fill_null("").str.contains(rf"(^|, )({word}|none)(,|$)")


def _page_layers(site: SiteFile) -> list[Layer]:
    return [
        Layer(
            "page",
            page_says(f"no{name}") & ~refused(site, name, pl.col("author")),
            {name: False},
            f"the page says no{name}",
        )
        for name in ("index", "follow")
    ]


def refused(site: SiteFile, name: str, author: pl.Expr) -> pl.Expr:
    """Whether a guard keeps this author from overriding a field."""
    no = pl.lit(False)
    for guard in site.model.guard:
        if name in guard.fields:
            here = pl.col("section").is_in(list(guard.sections)) if guard.sections else pl.lit(True)
            no = no | (here & ~author.is_in(list(guard.authors)).fill_null(False))
    return no


def guards(site: SiteFile, name: str, section: str, by: str) -> bool:
    """Whether a guard refuses one override, as `refused` does for whole columns."""
    return any(
        name in guard.fields
        and (not guard.sections or section in guard.sections)
        and by not in guard.authors
        for guard in site.model.guard
    )


def _override_layers(site: SiteFile) -> list[Layer]:
    """The rows of the overrides file; those that say the same for the same reason are one."""
    groups: dict[tuple[Any, ...], list[str]] = {}
    for one in site.overrides:
        for name, value in one.sets.items():
            groups.setdefault((name, value, one.reason, one.by), []).append(one.loc)
    return [
        Layer(
            "overrides file",
            pl.col("loc").is_in(locs) & ~refused(site, name, pl.lit(by)),
            {name: value},
            reason or "the overrides file says so",
        )
        for (name, value, reason, by), locs in groups.items()
    ]


def _facts(site: SiteFile) -> list[Layer]:
    never = {"listed": False}
    robots = robots_of(site.model)
    facts = [
        ("status", pl.col("status") != 200, "it does not answer with status 200"),
        ("redirect", pl.col("redirect").is_not_null(), "it sends visitors on to another address"),
        (
            "canonical",
            pl.col("canonical").is_not_null() & (pl.col("canonical") != pl.col("loc")),
            "its canonical is another address",
        ),
        ("robots.txt", disallowed(robots, pl.col("_path")), "robots.txt bars crawlers from it"),
    ]
    if site.model.site.stage == "draft":
        # Said first, since a draft bars everything by robots.txt as well.
        facts.insert(0, ("stage", pl.lit(True), "the site is a draft"))
    return [Layer(name, where, never, reason, fact=True) for name, where, reason in facts]
