"""Bringing over what is published by other means, so that the first build changes as little as
possible: what is constant becomes settings, what is not stays with its page.

Nothing is saved here; what files would hold is given back, with what was taken and what was not.
"""

from __future__ import annotations

import tomllib
from collections import Counter
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import polars as pl
import tomlkit

from jovial_atlas import addresses
from jovial_atlas.errors import AtlasError, SiteFileError
from jovial_atlas.faults import plural
from jovial_atlas.head.compose import head_data
from jovial_atlas.head.head import Head
from jovial_atlas.pages.page import Page, pages_of
from jovial_atlas.robots import parse_robots
from jovial_atlas.rounds.deciding.carried import AS_BEFORE, CarriedOver, Took
from jovial_atlas.rounds.deciding.carry_addresses import (
    PARTS_OF_TITLES,
    templates_as_published,
    with_templates,
)
from jovial_atlas.rounds.deciding.carry_sitemaps import take_sitemaps
from jovial_atlas.rounds.deciding.history import contents_of
from jovial_atlas.rounds.deciding.moves_import import import_moves
from jovial_atlas.rounds.reading.first_site_file import robots_table
from jovial_atlas.rounds.reading.home_head import HomeHead
from jovial_atlas.rounds.reading.published import OldSite
from jovial_atlas.rounds.reading.survey import run_survey
from jovial_atlas.rounds.state.last_survey import LastSurvey, last_survey
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.blocks import blocks_of
from jovial_atlas.sitefile.edit import set_key, set_part
from jovial_atlas.sitefile.move_table import move_table_text
from jovial_atlas.sitefile.overrides import OVERRIDE_COLUMNS, Override, parse_rows
from jovial_atlas.sitefile.tables import given_tables, header_of
from jovial_atlas.values import replace
from jovial_atlas.web import Client

_OVERRIDES = "overrides.csv"
#: The title of a page in a pattern, as a set-up writes it.
_BASE = "{{ page.title or page.heading }}"
#: Fewer titles than that say nothing of a pattern.
_LEAST_ALIKE = 3
#: Texts of a head that a page may say itself.
_TEXTS = ("title", "description", "share_title", "share_description")


def carry_over(
    survey: LastSurvey, published: OldSite, now: datetime, client: Client
) -> CarriedOver:
    """Bring over what was found. Raises AtlasError for files that are wrong."""
    before = contents_of(survey.site.path)
    carried = CarriedOver(survey.site.path.absolute(), before, dict(before))
    templates = templates_as_published(published, survey)
    if not templates:
        return _carried_over(carried, survey, published, now)
    # Pages are read again at their addresses of before, apart from the survey that is kept.
    carried.edit(lambda text: with_templates(text, templates))
    carried.took.append(Took("addresses", f"pages stood at {', '.join(templates.values())}"))
    with TemporaryDirectory() as folder:
        carried.kept_in = Path(folder)
        site = carried.settled()
        run_survey(site, now, client)
        return _carried_over(carried, last_survey(site, now), published, now)


def _carried_over(
    carried: CarriedOver, survey: LastSurvey, published: OldSite, now: datetime
) -> CarriedOver:
    site = survey.site
    if not site.model.overrides.file:
        carried.edit(lambda text: set_key(text, "overrides", "file", _OVERRIDES))
        site = carried.settled()
    if published.robots is not None:
        _take_robots(published.robots, carried)
    rows = {one.loc: one for one in site.overrides}
    if published.pages is not None:
        _take_name(published.pages, site, carried)
        _take_home(published.home, carried)
        _take_title_pattern(published, survey, carried)
        site = carried.settled()
        _take_heads(published, replace(survey, site=site), rows, carried)
    if published.sitemaps:
        take_sitemaps(published, replace(survey, site=site), rows, carried)
    for path in published.texts:
        _take_texts(path, survey, rows, carried)
    site = carried.settled()
    if published.redirects:
        _take_redirects(published, site, now, carried)
    carried.put_rows(rows)
    carried.took += [Took("note", "", note) for note in published.notes]
    return carried


def _take_robots(data: bytes, carried: CarriedOver) -> None:
    robots = parse_robots(data)
    what = plural(len(robots.groups), "group")
    document = tomlkit.document()
    document["robots"] = robots_table(robots)
    text = tomlkit.dumps(document)
    if tomllib.loads(carried.text).get("robots") == tomllib.loads(text)["robots"]:
        carried.took.append(Took("robots.txt", f"{what}, as the site file has them"))
        return
    if any(block.name == "robots" for block in blocks_of(carried.text)):
        carried.took.append(Took("robots.txt", "", f"{what}: [robots] of the site file says "
                                 "something already"))  # fmt: skip
        return
    carried.edit(lambda old: set_part(old, "robots", text))
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


def _take_name(pages: pl.DataFrame, site: SiteFile, carried: CarriedOver) -> None:
    """The name of the site, where only its host is known: what most titles end with, else the title
    of the home page, if it is a name alone."""
    url = site.model.site.url
    if site.model.site.name != url.partition("://")[2]:
        return
    titles = dict(pages.filter(pl.col("title").is_not_null()).select("loc", "title").iter_rows())
    parted = [PARTS_OF_TITLES.split(title) for title in titles.values()]
    ends = Counter(parts[-1] for parts in parted if len(parts) > 1).most_common(1)
    name, count = ends[0] if ends else ("", 0)
    if count < max(_LEAST_ALIKE, len(titles) / 2):
        name = titles.get(f"{url}/", "")
    if name and len(PARTS_OF_TITLES.split(name)) == 1:
        carried.edit(lambda text: set_key(text, "site", "name", name))
        carried.took.append(Took("name", name))


def _take_home(home: HomeHead, carried: CarriedOver) -> None:
    """What the home page said of the site, and who stands behind it: keys that the site file does
    not have."""
    said = tomllib.loads(carried.text)
    taken = []
    for table, values in (("publisher", home.publisher), ("head", home.head), ("site", home.site)):
        for key, value in values.items():
            if key not in said.get(table, {}) and _is_right(carried, table, key, value):
                taken.append(f"{table}.{key}")
    if taken:
        carried.took.append(Took("the home page", ", ".join(taken)))


def _is_right(carried: CarriedOver, table: str, key: str, value: Any) -> bool:
    """Set a key, where a site file with it could be read."""
    before = carried.text
    carried.edit(lambda text: set_key(text, table, key, value))
    try:
        carried.settled()
    except SiteFileError:
        carried.edit(lambda _text: before)
        return False
    return True


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
    carried.edit(lambda text: set_key(text, "head", "title", pattern))
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
        sets = dict(_other_decisions(old, new, head))
        if not (texts or sets):
            same += 1
            continue
        counts.update([*texts, *sets])
        had = rows.get(new.loc, Override(new.loc, {}))
        rows[new.loc] = replace(
            had, sets={**sets, **had.sets}, texts={**texts, **had.texts},
            reason=had.reason or AS_BEFORE,
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


#: Kinds of page that are not public, or are no page: what was published of them by mistake stays
#: as it is decided.
_NOT_PUBLIC = frozenset({"draft", "future", "error"})


def _other_decisions(old: Page, new: Page, head: Head) -> Iterator[tuple[str, Any]]:
    """What a page said to crawlers that is not decided so."""
    if {new.kind, new.role} & _NOT_PUBLIC:
        return
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
