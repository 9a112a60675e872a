"""Bringing over what is published by other means, so that the first build changes as little as
possible: what is constant becomes settings, what is not stays with its page.

Nothing is saved here; what files would hold is given back, with what was taken and what was not.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace
from datetime import datetime
from pathlib import Path
from typing import Any

import tomlkit

from jovial_atlas import addresses
from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import plural
from jovial_atlas.head.compose import head_data
from jovial_atlas.head.head import Head
from jovial_atlas.pages.page import Page, pages_of
from jovial_atlas.robots import parse_robots
from jovial_atlas.rounds.deciding.history import Contents, contents_of, settled, tables_named
from jovial_atlas.rounds.deciding.moves_import import import_moves
from jovial_atlas.rounds.reading.first_site_file import robots_table
from jovial_atlas.rounds.reading.published import OldSite
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.blocks import blocks_of
from jovial_atlas.sitefile.deciding import Decision
from jovial_atlas.sitefile.edit import add_rule, set_key, set_part
from jovial_atlas.sitefile.move_table import move_table_text
from jovial_atlas.sitefile.overrides import OVERRIDE_COLUMNS, Override, overrides_text, parse_rows
from jovial_atlas.sitefile.tables import given_tables, header_of
from jovial_atlas.sitemaps.said import said_of_entries

_OVERRIDES = "overrides.csv"
_REASON = "As it was published before"
#: The title of a page in a pattern, as a set-up writes it.
_BASE = "{{ page.title or page.heading }}"
#: Fewer titles than that say nothing of a pattern.
_LEAST_ALIKE = 3
#: Texts of a head that a page may say itself.
_TEXTS = ("title", "description", "share_title", "share_description")


@dataclass(frozen=True, slots=True)
class Took:
    """One thing that was looked at: what it is, what of it was taken, and what was not."""

    what: str
    taken: str
    left: str = ""


@dataclass(slots=True)
class CarriedOver:
    """What files would hold, and what was taken and what was not, thing by thing."""

    before: Contents
    after: Contents
    took: list[Took] = field(default_factory=list)


def carry_over(survey: LastSurvey, published: OldSite, now: datetime) -> CarriedOver:
    """Bring over what was found. Raises AtlasError for files that are wrong."""
    site = survey.site
    before = contents_of(site.path)
    carried = CarriedOver(before, dict(before))
    if not site.model.overrides.file:
        _edit(carried, site, lambda text: set_key(text, "overrides", "file", _OVERRIDES))
        site = _settled(carried, site)
    if published.robots is not None:
        _take_robots(published.robots, site, carried)
    rows = {one.loc: one for one in site.overrides}
    if published.pages is not None:
        _take_title_pattern(published, survey, carried)
        site = _settled(carried, site)
        _take_heads(published, replace(survey, site=site), rows, carried)
    if published.sitemaps:
        _take_sitemaps(published, survey, rows, carried)
    for path in published.texts:
        _take_texts(path, survey, rows, carried)
    site = _settled(carried, site)
    if published.redirects:
        _take_redirects(published, site, now, carried)
    name = tables_named(carried.after[site.path.name] or b"")["overrides"]
    carried.before.setdefault(name, None)
    if rows or before.get(name) is not None:
        carried.after[name] = overrides_text(rows.values()).encode()
    carried.took += [Took("note", "", note) for note in published.notes]
    return carried


def _text(carried: CarriedOver, site: SiteFile) -> str:
    return (carried.after[site.path.name] or b"").decode("utf-8-sig")


def _edit(carried: CarriedOver, site: SiteFile, change: Any) -> None:
    carried.after[site.path.name] = change(_text(carried, site)).encode()


def _settled(carried: CarriedOver, site: SiteFile) -> SiteFile:
    found = settled(site.path.absolute(), carried.after)
    assert found is not None
    return found


def _take_robots(data: bytes, site: SiteFile, carried: CarriedOver) -> None:
    robots = parse_robots(data)
    what = plural(len(robots.groups), "group")
    if any(block.name == "robots" for block in blocks_of(_text(carried, site))):
        carried.took.append(Took("robots.txt", "", f"{what}: [robots] of the site file says "
                                 "something already"))  # fmt: skip
        return
    document = tomlkit.document()
    document["robots"] = robots_table(robots)
    text = tomlkit.dumps(document)
    _edit(carried, site, lambda old: set_part(old, "robots", text))
    delays = sum(one.field.lower() == "crawl-delay" for one in robots.others)
    also = f", {plural(delays, 'Crawl-delay')}" if delays else ""
    carried.took.append(Took("robots.txt", f"{what}{also}"))


def _pairs(published: OldSite, survey: LastSurvey) -> Iterator[tuple[Page, Page]]:
    """Each page as it is published, and as the content has it."""
    assert published.pages is not None
    there = {page.loc: page for page in pages_of(published.pages)}
    for page in pages_of(survey.decided):
        if page.loc in there:
            yield there[page.loc], page


def _take_title_pattern(published: OldSite, survey: LastSurvey, carried: CarriedOver) -> None:
    """What most titles have that the content has not becomes the pattern."""
    said = survey.site.model.head.title
    if said and not said.startswith(_BASE):
        return
    ends: Counter[tuple[str, str]] = Counter()
    many = 0
    for old, new in _pairs(published, survey):
        base = new.title or new.heading
        if not (old.title and base):
            continue
        many += 1
        start, found, end = old.title.partition(base)
        if found:
            ends[start, end] += 1
    if not ends:
        return
    (start, end), count = ends.most_common(1)[0]
    if (start, end) == ("", "") or count < max(_LEAST_ALIKE, many / 2):
        return
    pattern = f"{_literal(start)}{_BASE}{_literal(end)}"
    _edit(carried, survey.site, lambda text: set_key(text, "head", "title", pattern))
    carried.took.append(Took("titles", f"{count:,} of {many:,} follow one pattern: {start}…{end}"))


def _literal(text: str) -> str:
    """A text in a pattern, as itself."""
    return text.replace("{", "{{ '{' }}")


def _take_heads(
    published: OldSite, survey: LastSurvey, rows: dict[str, Override], carried: CarriedOver
) -> None:
    """What of a page's head would be another one stays with the page."""
    counts: Counter[str] = Counter()
    same = many = 0
    for old, new in _pairs(published, survey):
        many += 1
        films = survey.films.get(new.loc, ())
        head = head_data(new, survey.heads, films, survey.head_context)
        texts = {n: _literal(text) for n, text in _other_texts(old, head)}
        sets = dict(_other_decisions(old, head))
        if not (texts or sets):
            same += 1
            continue
        counts.update([*texts, *sets])
        had = rows.get(new.loc, Override(new.loc, {}))
        rows[new.loc] = replace(
            had, sets={**sets, **had.sets}, texts={**texts, **had.texts},
            reason=had.reason or _REASON,
        )  # fmt: skip
    said = ", ".join(f"{count:,} {name}" for name, count in counts.most_common())
    assert published.pages is not None
    gone = published.pages.height - many
    left = f"{plural(gone, 'published page is', 'published pages are')} not in the content"
    carried.took.append(
        Took("heads of pages", f"{same:,} of {many:,} as they were; kept with pages: "
             f"{said or 'nothing'}", left if gone else "")
    )  # fmt: skip


def _other_texts(old: Page, head: Head) -> Iterator[tuple[str, str]]:
    for name in _TEXTS:
        text = getattr(old, name)
        if text and text != getattr(head, name):
            yield name, text


def _other_decisions(old: Page, head: Head) -> Iterator[tuple[str, Any]]:
    """What a page said to crawlers that is not decided so."""
    said = {one.strip().lower() for one in (old.directives or "").split(",")}
    ours = {one.strip() for one in head.directives.split(",")}
    for name, word in (("index", "noindex"), ("follow", "nofollow")):
        was, comes = bool({word, "none"} & said), bool({word, "none"} & ours)
        if was != comes:
            yield name, not was
    canonical = old.canonical or ""
    if canonical not in ("", old.loc, head.canonical) and _is_address(canonical):
        yield "canonical", canonical


def _is_address(text: str) -> bool:
    try:
        return bool(addresses.normalise(text))
    except ValueError:
        return False


def _take_sitemaps(
    published: OldSite, survey: LastSurvey, rows: dict[str, Override], carried: CarriedOver
) -> None:
    """Priorities and frequencies: those that a whole section shares become a rule."""
    said = {_normal(loc): one for data in published.sitemaps for loc, one in said_of_entries(data)}
    sections = dict(survey.decided.select("loc", "section").iter_rows())
    by_section: dict[str, list[str]] = {}
    for loc in said:
        if loc in sections:
            by_section.setdefault(sections[loc], []).append(loc)
    rules = pages = 0
    for section, locs in by_section.items():
        for name, kind in (("priority", float), ("changefreq", str)):
            values = {loc: kind(said[loc][name]) for loc in locs if name in said[loc]}
            if len(set(values.values())) == 1 and len(values) == len(locs) > 1:
                rules += 1
                _add_rule(section, {name: next(iter(values.values()))}, survey.site, carried)
                continue
            for loc, value in values.items():
                had = rows.get(loc, Override(loc, {}))
                rows[loc] = replace(had, sets={name: value, **had.sets},
                                    reason=had.reason or _REASON)  # fmt: skip
                pages += 1
    if news := next((one["news"] for one in said.values() if "news" in one), ""):
        if not survey.site.model.sitemap.news_name:
            _edit(carried, survey.site, lambda t: set_key(t, "sitemap", "news_name", news))
        carried.took.append(Took("news", f"name of the publication: {news}", "say in a [[section]] "
                                 "which pages are news: news = true"))  # fmt: skip
    extra = sorted(loc for loc in said if loc and loc not in sections)
    left = f"{plural(len(extra), 'address is', 'addresses are')} no page of the content, as "
    carried.took.append(
        Took("sitemaps", f"{plural(len(said), 'address', 'addresses')}; {plural(rules, 'rule')} "
             f"for sections, {plural(pages, 'value')} of single pages",
             f"{left}{extra[0]}: `jovial-atlas moves import SITEMAP` finds where they could lead"
             if extra else "")
    )  # fmt: skip


def _add_rule(
    section: str, sets: dict[str, Any], site: SiteFile, carried: CarriedOver
) -> None:
    """Add a rule for a section, where it does not stand there already."""
    if any(one.section == section and one.set == Decision(**sets) for one in site.model.rule):
        return
    rule = {"section": section, "set": sets, "reason": _REASON}
    _edit(carried, site, lambda text: add_rule(text, rule))


def _normal(loc: str) -> str:
    try:
        return addresses.normalise(loc)
    except ValueError:
        return ""


def _take_texts(
    path: Path, survey: LastSurvey, rows: dict[str, Override], carried: CarriedOver
) -> None:
    """A table of texts: rows of pages that there are."""
    model = survey.site.model
    given = given_tables(path, language=model.site.language)
    there = set(survey.decided.get_column("loc"))
    taken = wrong = 0
    first = ""
    for sheet, text in given.tables:
        beside = [name for name in header_of(text) if name not in OVERRIDE_COLUMNS]
        found, problems = parse_rows(text, path, model, beside)
        wrong += len(problems)
        first = first or (str(problems[0]) if problems else "")
        for one, _ in found:
            if one.loc not in there:
                wrong += 1
                first = first or f"{sheet} {one.loc} is no page".strip()
                continue
            had = rows.get(one.loc, Override(one.loc, {}))
            rows[one.loc] = replace(had, sets={**had.sets, **one.sets},
                                    texts={**had.texts, **one.texts})  # fmt: skip
            taken += 1
    left = f"{plural(wrong, 'row')}, the first: {first}" if wrong else ""
    carried.took.append(Took(path.name, f"{plural(taken, 'row')} ({given.told})", left))


def _take_redirects(
    published: OldSite, site: SiteFile, now: datetime, carried: CarriedOver
) -> None:
    for path in published.redirects:
        try:
            read = import_moves(site, [path], None, now)
        except AtlasError as error:
            carried.took.append(Took(path.name, "", str(error)))
            continue
        left = ""
        if read.unread:
            first = read.unread[0][1]
            left = f"{plural(len(read.unread), 'line')}, first line {first.line}: {first.why}"
        carried.took.append(Took(path.name, plural(len(read.moves), "move"), left))
        name = site.model.moves.file
        if read.moves and name:
            moves = [*site.moves, *read.moves]
            carried.before.setdefault(name, None)
            carried.after[name] = move_table_text(moves, site.urls).encode()


def listed_in(sitemaps: Iterable[bytes]) -> set[str]:
    """The addresses that sitemaps list."""
    return {loc for data in sitemaps for one, _ in said_of_entries(data) if (loc := _normal(one))}
