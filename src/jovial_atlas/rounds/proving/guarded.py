"""What a change of a site does to fields that guards keep: where, from what to what, and by whom.

The guards of the state before count, so that a change cannot let itself through, and with them
those that the change adds. Pages may speak for themselves (their head, front matter or row), rows
of the overrides file for them, and the site file for many; and a change may touch a guard itself.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import PurePosixPath

import polars as pl

from jovial_atlas.faults import Fault, in_words, plural
from jovial_atlas.revisions import Author
from jovial_atlas.rounds.proving.two_states import SiteState, TwoStates
from jovial_atlas.rules.decide import deciders, own_words
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.deciding import Guard
from jovial_atlas.sitefile.parts import changed
from jovial_atlas.sources.settings import name_of
from jovial_atlas.values import replace

#: Layers that speak of single pages; all others stand in the site file.
_SINGLE = ("page", "overrides file")


@dataclass(frozen=True, slots=True)
class GuardedChange:
    """One change: what speaks (page, overrides file, site file, guard), the field, from what to
    what, of how many pages and the first of them, in which file and line (0 for none), who changed
    it, who is said to (`by`), the guard, and whether that lets them."""

    speaks: str
    field: str
    before: object
    after: object
    pages: int
    loc: str
    file: str
    line: int
    who: Author | None
    by: str
    guard: str
    allowed: bool

    @property
    def where(self) -> str:
        """The file with the line, or the page."""
        return f"{self.file}:{self.line}" if self.line else self.file or self.loc


@dataclass(frozen=True, slots=True)
class _Touch:
    """A change before it is known who made it."""

    speaks: str
    field: str
    before: object
    after: object
    pages: int
    loc: str
    section: str
    file: str
    lines: range = range(0)
    by: str = ""


def guarded_changes(states: TwoStates, now: datetime) -> list[GuardedChange]:
    """The changes between two states that touch what guards keep. Raises SiteFileError where a
    rule cannot be applied."""
    guards = _guards(states)
    before, after = (_with_guards(one, guards) for one in (states.before, states.after))
    found = list(_guard_changes(states))
    touches = [*_rows(before, after), *_own(before, after), *_decided(before, after, now)]
    for touch in touches:
        for guard in guards:
            here = not guard.sections or touch.section in guard.sections
            if here and touch.field in guard.fields:
                found.append(_judged(states, touch, guard))
                break
    return found


def _guards(states: TwoStates) -> list[Guard]:
    """Those of the state before, and those that are new."""
    was, now = (state.site.model.guard for state in (states.before, states.after))
    return [*was, *(one for one in now if one not in was)]


def _with_guards(state: SiteState, guards: list[Guard]) -> SiteState:
    """A state whose guards keep the same fields, but refuse nothing: so all that is said shows."""
    free = tuple(changed(one, sections=("",)) for one in guards)
    return replace(state, site=replace(state.site, model=changed(state.site.model, guard=free)))


def _guard_changes(states: TwoStates) -> Iterator[GuardedChange]:
    site = states.after.site
    kept = site.model.guard
    for number, guard in enumerate(states.before.site.model.guard, start=1):
        if guard in kept:
            continue
        lines = _lines(states.after, ("guard", number - 1))
        who = _author(states, site.path.name, lines, guard)
        name = _named(guard, number)
        yield GuardedChange(
            "guard", "", name, None, 0, "", site.path.name, _first(lines), who, "", name,
            who is not None and who.is_one_of(guard.authors),
        )  # fmt: skip


def _named(guard: Guard, number: int) -> str:
    where = f" in {', '.join(guard.sections)}" if guard.sections else ""
    return f"guard {number} of {', '.join(guard.fields)}{where}"


def _rows(before: SiteState, after: SiteState) -> Iterator[_Touch]:
    """Rows of the overrides file that say something else of a field."""
    said = [{(one.loc, n): (v, one) for one in state.site.overrides for n, v in one.sets.items()}
            for state in (before, after)]  # fmt: skip
    sections = dict(_sections(after).iter_rows()) | dict(_sections(before).iter_rows())
    for loc, name in dict.fromkeys([*said[0], *said[1]]):
        was, now = (one.get((loc, name)) for one in said)
        if (was and was[0]) == (now and now[0]) and bool(was) == bool(now):
            continue
        yield _Touch(
            "overrides file", name, was and was[0], now and now[0], 1, loc,
            sections.get(loc, ""), after.site.model.overrides.file,
            _only(now[1].line if now else 0), now[1].by if now else "",
        )  # fmt: skip


def _sections(state: SiteState) -> pl.DataFrame:
    return own_words(state.pages, state.site).select("loc", "section")


def _own(before: SiteState, after: SiteState) -> Iterator[_Touch]:
    """Pages that say something else of a field themselves; new ones that say anything."""
    was, now = (own_words(state.pages, state.site) for state in (before, after))
    for name in _fields(now):
        if name not in was.columns:
            was = was.with_columns(pl.lit(None, now.schema[name]).alias(name))
        both = now.join(was.select("loc", pl.col(name).alias("_was")), on="loc", how="left")
        differs = both.filter(pl.col(name).ne_missing(pl.col("_was")))
        columns = ("loc", "section", "author", "source", "path", name, "_was")
        for loc, section, author, source, path, value, old in differs.select(columns).iter_rows():
            file, line = _page_file(after.site, source, path, name)
            yield _Touch("page", name, old, value, 1, loc, section, file, _only(line), author or "")


def _fields(words: pl.DataFrame) -> list[str]:
    beside = ("loc", "section", "author", "source", "path")
    return [one for one in words.columns if one not in beside]


def _decided(before: SiteState, after: SiteState, now: datetime) -> Iterator[_Touch]:
    """What the site file turns: fields of pages that are in both states, that it decides in one of
    them at least, by what decides."""
    was, then = (deciders(one.pages, one.site, now) for one in (before, after))
    fields = [n for n in then.columns if f"{n}_by" in then.columns and f"{n}_by" in was.columns]
    both = then.join(was, on="loc", suffix="_was")
    for name in fields:
        by, by_was = pl.col(f"{name}_by"), pl.col(f"{name}_by_was")
        turned = both.filter(
            pl.col(name).ne_missing(pl.col(f"{name}_was")),
            ~(by.is_in(_SINGLE).fill_null(False) | by_was.is_in(_SINGLE).fill_null(False)),
        )
        groups = turned.group_by(
            "section", pl.col(name).alias("now"), pl.col(f"{name}_was").alias("was"),
            by.alias("by"), maintain_order=True,
        ).agg(pl.len(), pl.col("loc").first())  # fmt: skip
        for section, value, old, layer, count, loc in groups.iter_rows():
            lines = _lines(after, _place_of(layer, section, after.site))
            file = after.site.path.name
            yield _Touch("site file", name, old, value, count, loc, section, file, lines)


def _place_of(layer: str | None, section: str, site: SiteFile) -> tuple[str | int, ...]:
    """Where a layer stands in the site file."""
    words = (layer or "").split()
    if words[:1] == ["rule"] and len(words) == 2:
        return ("rule", int(words[1]) - 1)
    if words[:1] == ["section"]:
        names = [one.name for one in site.model.section]
        return ("section", names.index(section)) if section in names else ("section",)
    return ("defaults",) if words == ["site"] else ("",)


def _lines(state: SiteState, place: tuple[str | int, ...]) -> range:
    """The lines of a table of the site file; empty where it has none."""
    first = state.site.lines.get(place, 0)
    if not first:
        return range(0)
    text = state.site.path.read_text("utf-8-sig").splitlines()
    after = (n for n, one in enumerate(text[first:], first + 1) if one.lstrip().startswith("["))
    return range(first, next(after, len(text) + 1))


def _page_file(site: SiteFile, source: str, path: str | None, name: str) -> tuple[str, int]:
    """The file of a page beside the site file, and the line on which it speaks of a field."""
    folder = next((one for one in site.model.source if name_of(one) == source), None)
    below = getattr(folder, "path", "")
    if not path:
        return str(below), 0
    file = PurePosixPath(below, path)
    place = site.folder / file
    if not place.is_file():
        return str(PurePosixPath(below)), 0
    # What stands in front matter or in a robots tag; else the whole file counts.
    words = (f"{name}:", f"{name} =", "robots" if name != "canonical" else "canonical")
    text = place.read_text("utf-8", "replace").splitlines()
    line = next((n for n, one in enumerate(text, 1) if any(word in one for word in words)), 0)
    return str(file), line


def _judged(states: TwoStates, touch: _Touch, guard: Guard) -> GuardedChange:
    number = [*states.before.site.model.guard, guard].index(guard) + 1
    who = _author(states, touch.file, touch.lines, guard)
    # What a row or page says of its author counts where git cannot know better.
    by = touch.by in guard.authors and not states.before.revision
    allowed = who.is_one_of(guard.authors) if who else by
    return GuardedChange(
        touch.speaks, touch.field, touch.before, touch.after, touch.pages, touch.loc, touch.file,
        _first(touch.lines), who, touch.by, _named(guard, number), allowed,
    )  # fmt: skip


def _only(line: int) -> range:
    return range(line, line + 1) if line else range(0)


def _first(lines: range) -> int:
    return lines[0] if lines else 0


def _author(states: TwoStates, file: str, lines: range, guard: Guard) -> Author | None:
    """Who changed lines of a file beside the site file, where git can tell; of several the first
    whom the guard does not let."""
    before, after = states.before, states.after
    if states.tree is None or not before.revision:
        return None
    name = str(PurePosixPath(after.folder, file))
    found = states.tree.authors_of(name, lines, before.revision, after.revision)
    barred = [one for one in found if not one.is_one_of(guard.authors)]
    return next(iter([*barred, *found]), None)


def faults_of(changes: list[GuardedChange]) -> list[Fault]:
    """The changes as findings."""
    return [Fault(_code(one), one.where, message_of(one)) for one in changes]


def _code(one: GuardedChange) -> str:
    if one.speaks == "guard":
        return "guard-changed"
    return "guarded-allowed" if one.allowed else "guarded-changed"


def message_of(one: GuardedChange) -> str:
    """What changed, and by whom, in a sentence."""
    who = f", by {one.who}" if one.who else ""
    said = f" (it says: by {one.by})" if one.by and (not one.who or one.by != one.who.name) else ""
    if one.speaks == "guard":
        return f"{one.guard} is not as it was{who}."
    about = one.loc if one.pages == 1 else f"{plural(one.pages, 'page')}, as {one.loc}"
    was, now = (in_words(value) for value in (one.before, one.after))
    return f"{one.field} of {about}: {was} → {now}{who}{said}; {one.guard} keeps it."
