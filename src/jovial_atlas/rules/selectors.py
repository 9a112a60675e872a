"""Which pages a section or a rule is about, as conditions over the page table."""

from __future__ import annotations

import re
from datetime import datetime, timedelta

import polars as pl

from jovial_atlas import dates, patterns
from jovial_atlas.addresses import escape
from jovial_atlas.pages import schema
from jovial_atlas.sitefile import Rule, SiteFile
from jovial_atlas.sitefile.deciding import RESERVED_SECTIONS, REST, days_of


def path_column(site: SiteFile) -> pl.Expr:
    """Path and query of each address; addresses in the page table are all of the site's hosts."""
    if site.model.host:
        return pl.col("loc").str.replace("^https?://[^/]+", "").alias("_path")
    return pl.col("loc").str.strip_prefix(site.model.site.url).alias("_path")


def section_column(site: SiteFile, *, named: bool = True) -> pl.Expr:
    """The section of each page: the one its source names (where any is `named`), else the first
    that matches, `pages` where none does."""
    column = pl.lit(REST)
    for section in reversed(site.model.section):
        fits = matches(section.patterns)
        column = pl.when(fits).then(pl.lit(section.name)).otherwise(column)
    return (pl.coalesce(_named_section(), column) if named else column).alias("section")


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


def matches(globs: tuple[str, ...]) -> pl.Expr:
    """Whether `_path` is like one of the patterns. A whole folder, the usual case, is a plain
    comparison of beginnings; anything else is an expression."""
    folders = [
        one[:-2] for one in globs if one.endswith("/**") and not set(one[:-2]) & set("*{}?%")
    ]
    others = [one for one in globs if not (one.endswith("/**") and one[:-2] in folders)]
    tests = [pl.col("_path").str.starts_with(escape(folder)) for folder in folders]
    if others:
        tests.append(pl.col("_path").str.contains(patterns.any_of(others)))
    return pl.any_horizontal(tests) if tests else pl.lit(False)


def of_rule(rule: Rule, number: int, site: SiteFile, known: pl.Schema, now: datetime) -> pl.Expr:
    """The pages that rule `number` (from 0) is about, of a page table with the columns `known`.

    Raises SiteFileError where its `when` or `regex` cannot be used.
    """
    conditions = []
    if rule.patterns:
        conditions.append(matches(rule.patterns))
    if rule.regex:
        conditions.append(_contains(rule.regex, number, site))
    if rule.section:
        conditions.append(pl.col("section") == rule.section)
    if rule.language:
        found = pl.col("language").fill_null(site.model.site.language)
        # Basic filtering of RFC 4647 §3.3.1: a range matches whole subtags from the start.
        within = f"(?i)^{re.escape(rule.language)}(-|$)"
        conditions.append(found.str.contains(within))
    if rule.source:
        conditions.append(pl.col("source") == rule.source)
    if rule.author:
        conditions.append(pl.col("author") == rule.author)
    if rule.tag:
        conditions.append(pl.col("tags").list.contains(rule.tag))
    for age, older in ((rule.older_than, True), (rule.newer_than, False)):
        if age:
            limit = dates.write(now - timedelta(days=days_of(age)))
            date = pl.col(rule.dated)
            conditions.append(date < limit if older else date >= limit)
    if rule.when:
        conditions.append(_condition(site, number, rule.when, known))
    return pl.all_horizontal(conditions).fill_null(False)


def _contains(expression: str, number: int, site: SiteFile) -> pl.Expr:
    hits = pl.col("_path").str.contains(expression)
    try:
        pl.DataFrame({"_path": [""]}).select(hits)
    except (pl.exceptions.PolarsError, pl.exceptions.PanicException) as error:
        said = str(error).strip().splitlines()[-1]
        message = f"{expression!r} is no regular expression ({said})."
        raise site.error(("rule", number, "regex"), message, "regex = '/[0-9]{4}/$'") from None
    return hits


def _condition(site: SiteFile, number: int, text: str, known: pl.Schema) -> pl.Expr:
    """An SQL condition over the page table's columns, tried on an empty table."""
    example = 'when = "entries = 0"'
    try:
        expression = pl.sql_expr(text)
        empty = pl.DataFrame(schema={**known, "section": pl.String, "role": pl.String})
        tried = empty.select(tried=expression)
    except (pl.exceptions.ColumnNotFoundError, pl.exceptions.StructFieldNotFoundError):
        extra = known.get(schema.EXTRA)
        named = (
            [f"extra.{one.name}" for one in extra.fields] if isinstance(extra, pl.Struct) else []
        )
        columns = ", ".join([*schema.SCHEMA, "section", "role", *named])
        message = f"{text!r} names a column that the page table does not have. It has: {columns}."
        raise site.error(("rule", number, "when"), message, example) from None
    except (pl.exceptions.PolarsError, pl.exceptions.PanicException) as error:
        message = f"{text!r} is no SQL condition ({str(error).splitlines()[0]})."
        raise site.error(("rule", number, "when"), message, example) from None
    if tried.schema["tried"] != pl.Boolean:
        message = f"{text!r} is no condition: it gives a value, not true or false."
        raise site.error(("rule", number, "when"), message, example)
    return expression
