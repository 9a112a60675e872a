"""The patterns of a site file for texts of heads: a wrong one is an error of the site file, told
before anything is written; one that a page cannot fill in is a finding."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from jovial_atlas.errors import Problem, SiteFileError
from jovial_atlas.faults import Fault
from jovial_atlas.head.settings import head_settings
from jovial_atlas.head.texts import patterns_of, wrong_pattern
from jovial_atlas.pages.page import Page
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.deciding import TEXTS
from jovial_atlas.sitefile.lines import line_of
from jovial_atlas.sitefile.overrides import NO_PATTERNS


def check_patterns(site: SiteFile) -> None:
    """Raise SiteFileError for the first pattern that is no template or names no known field."""
    for path, key, pattern in given_patterns(site):
        if pattern and (wrong := wrong_pattern(pattern)):
            name = key.removeprefix("share_")
            example = f'{key} = "{{{{ page.{name} or page.heading }}}} – {{{{ site.short_name }}}}"'
            raise site.error(path, wrong, example)
    for number, said in enumerate(site.overrides.said):
        for key, pattern in said.texts.items():
            if key not in NO_PATTERNS and (wrong := wrong_pattern(pattern)):
                file = str(site.folder / site.model.overrides.file)
                raise SiteFileError(file, [Problem(site.overrides.first_line(number), key, wrong)])

    for key in ("attribution_before", "attribution"):
        said = getattr(site.model.feed, key)
        if said and (wrong := wrong_pattern(said)):
            example = f'{key} = "First published by {{{{ site.name }}}}"'
            raise site.error(("feed", key), wrong, example)


def given_patterns(site: SiteFile) -> Iterator[tuple[tuple[str | int, ...], str, str]]:
    """The patterns of the site file, empty ones too: path of the key, what it is for, pattern."""
    for key in TEXTS:
        yield ("head", key), key, getattr(site.model.head, key)
    for table in ("titles", "descriptions"):
        for kind, said in getattr(site.model.head, table).items():
            yield ("head", table, kind), table[:-1], said
    for number, section in enumerate(site.model.section):
        for key in TEXTS:
            yield ("section", number, key), key, getattr(section, key)
    for number, trial in enumerate(site.model.trial):
        for key in ("title", "description"):
            yield ("trial", number, key), key, getattr(trial, key)


def failing_patterns(pages: Iterable[Page], site: SiteFile) -> Iterator[Fault]:
    """Patterns that cannot be filled in for a page, with the line on which each stands."""
    from jovial_atlas.head.patterns import PatternError, filled_in

    settings = head_settings(site)
    lines = _lines_of_patterns(site)
    for page in pages:
        section = settings.section_of(page)
        for name in TEXTS:
            for _, pattern in patterns_of(name, page, settings, section):
                if not pattern:
                    continue
                try:
                    filled_in(pattern, page, site.model.site)
                except PatternError as error:
                    at = lines.get(pattern, "the overrides file")
                    message = f"{at}: the pattern {pattern!r} cannot be filled in here: {error}."
                    yield Fault("pattern-failed", page.loc, message)


def _lines_of_patterns(site: SiteFile) -> dict[str, str]:
    """Pattern → where it stands in the site file."""
    places = {}
    for path, _, pattern in given_patterns(site):
        if pattern:
            line = line_of(site.lines, path)
            places[pattern] = f"{site.path.name}, line {line}" if line else site.path.name
    return places


def has_patterns(site: SiteFile) -> bool:
    """Whether the site file, or the overrides file, has any pattern."""
    return bool(site.texts) or any(pattern for _, _, pattern in given_patterns(site))
