"""Reading a site file: TOML, then the model, with every error at once and its line."""

from __future__ import annotations

import os
import tomllib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from jovial_atlas.errors import Problem, SiteFileError
from jovial_atlas.faults import nearest
from jovial_atlas.moves.move import Move
from jovial_atlas.place import STATE
from jovial_atlas.sitefile.bases import Joined, joined, origin_of
from jovial_atlas.sitefile.lines import line_map, line_of
from jovial_atlas.sitefile.link_table import TakenLink, read_link_table
from jovial_atlas.sitefile.model import Host, SiteModel
from jovial_atlas.sitefile.move_table import read_move_table
from jovial_atlas.sitefile.overrides import OverrideRows, read_overrides
from jovial_atlas.sitefile.parts import Mistake, changed, read_part
from jovial_atlas.sitefile.sources import HtmlSource
from jovial_atlas.sitefile.tables import Tables, table_text
from jovial_atlas.sitefile.videos import VideoOverride, read_video_overrides
from jovial_atlas.values import replace

#: The right form of keys that people get wrong, by key without indexes.
EXAMPLES = {
    "site": '[site]\n      url = "https://www.marrowfen.example"',
    "site.url": 'url = "https://www.marrowfen.example"',
    "site.name": 'name = "Marrowfen Wetland Reserve"',
    "site.language": 'language = "en-GB"',
    "site.stage": 'stage = "live"',
    "source": '[[source]]\n      kind = "html"\n      path = "public"',
    "source.kind": 'kind = "html"',
    "source.path": 'path = "public"',
    "source.package": 'package = "sightings"',
    "source.addresses": 'addresses = "folder"',
    "source.at": 'at = "/"',
    "section.name": 'name = "field-notes"',
    "section.match": 'match = "/field-notes/**"',
    "section.schema": 'schema = "Article"',
    "rule": '[[rule]]\n      match = "/privacy/"\n      set = { index = false }\n'
    '      reason = "No one should land here from a search"',
    "rule.match": 'match = "/tags/**"',
    "rule.when": 'when = "entries = 0"',
    "rule.set": "set = { listed = false }",
    "robots.groups": 'groups = [{ agents = ["*"], disallow = ["/search/"] }]',
    "robots.groups.agents": 'agents = ["*"]',
    "robots.groups.disallow": 'disallow = ["/search/"]',
    "robots.records": 'records = ["Crawl-delay: 10"]',
    "sitemap.compress": 'compress = "auto"',
    "sitemap.max_urls": "max_urls = 50000",
    "publisher.kind": 'kind = "organization"',
    "engine.channels": 'channels = [{ kind = "indexnow", endpoint = '
    '"http://127.0.0.1:8801/indexnow" }]',
    "engine.channels.package": 'package = "notice-board"',
    "engine.channels.kind": 'kind = "indexnow"',
}


@dataclass(frozen=True, slots=True)
class SiteFile:
    """A site file that was read: where it is, what it says, and where its keys stand."""

    path: Path
    model: SiteModel
    lines: dict[tuple[str | int, ...], int] = field(repr=False)
    #: Where this is the part of another host than the main one: the host's name, and the main one.
    host: str = ""
    main: str = ""
    overrides: OverrideRows = field(default_factory=OverrideRows)
    video_overrides: tuple[VideoOverride, ...] = ()
    #: Address → texts of its head, from the overrides file.
    texts: Mapping[str, Mapping[str, str]] = field(default_factory=dict, repr=False)
    #: Links between pages that the owner took from proposals.
    taken_links: tuple[TakenLink, ...] = ()
    #: The base files that it names, the nearest first, as paths from its folder; of each rule that
    #: comes from them the file and its number there; and policies that they choose, with the name
    #: of the file.
    bases: tuple[str, ...] = ()
    rules_of_bases: tuple[tuple[str, int], ...] = ()
    base_policies: dict[str, str] = field(default_factory=dict, repr=False)
    #: What reads the tables beside it.
    tables: Tables = field(default=table_text, repr=False, compare=False)
    #: Where the state folder is, if it is not beside the site file.
    kept_in: Path | None = None

    @property
    def base_rules(self) -> int:
        """How many rules come from base files."""
        return len(self.rules_of_bases)

    @property
    def folder(self) -> Path:
        """The folder that paths in the site file are relative to."""
        return self.path.parent

    @property
    def state(self) -> Path:
        """The state folder beside the site file; another host has one of its own within."""
        return self.shared_state / "hosts" / self.host if self.host else self.shared_state

    @property
    def shared_state(self) -> Path:
        """The state folder that all hosts share: the survey is of all of them."""
        return self.kept_in or self.folder / STATE

    @property
    def traffic_folder(self) -> Path:
        """The folder within which what people clicked and visited is kept."""
        said = self.model.traffic.folder
        return self.folder / said if said else self.shared_state

    @property
    def hosts(self) -> list[SiteFile]:
        """The site as each of its hosts sees it, the main one first. Each has its own address,
        language, output folder and state; all else is shared."""
        return [self, *(self._at(host) for host in self.model.host)]

    def _at(self, host: Host) -> SiteFile:
        model = self.model
        what = {"url": host.url, "language": host.language or model.site.language}
        inner = changed(
            model,
            site=changed(model.site, **what),
            output=changed(model.output, folder=host.folder),
        )
        name = host.url.partition("://")[2].replace(":", "-")
        return replace(self, model=inner, host=name, main=model.site.url)

    @property
    def moves(self) -> tuple[Move, ...]:
        """The addresses that moved or went, of all hosts; read when first asked for, since there
        may be many. Raises SiteFileError."""
        said = self.model.moves
        if not said.file:
            return ()
        return read_move_table(self.folder / said.file, self.urls, said.query, self.tables)

    @property
    def urls(self) -> list[str]:
        """Scheme and host of each host of the site, the main one first."""
        return [self.main or self.model.site.url, *(host.url for host in self.model.host)]

    @property
    def crawlers(self) -> set[str]:
        """Product tokens of the crawlers of all engines, in lower case."""
        return {token.lower() for engine in self.model.engine for token in engine.crawlers}

    @property
    def output(self) -> Path:
        """The output folder."""
        return self.folder / self.model.output.folder

    def error(self, path: Sequence[str | int], message: str, example: str = "") -> SiteFileError:
        """An error about one key, with its line, for rooms that understand the value better."""
        problem = Problem(line_of(self.lines, path), _shown(path), message, example)
        return SiteFileError(str(self.path), [problem])


def read_site_file(path: Path) -> SiteFile:
    """Read and check a site file. Raises SiteFileError with every problem found."""
    try:
        text = path.read_bytes().decode("utf-8-sig")
    except FileNotFoundError:
        message = "The file does not exist. Run `jovial-atlas init` to write one."
        raise SiteFileError(str(path), [Problem(None, "", message)]) from None
    except OSError as error:
        message = f"The file cannot be read ({error.strerror})."
        raise SiteFileError(str(path), [Problem(None, "", message)]) from error
    except UnicodeDecodeError as error:
        message = f"The file is not UTF-8 (byte {error.start}). Save it as UTF-8."
        raise SiteFileError(str(path), [Problem(None, "", message)]) from error
    return parse_site_file(text, path)


def parse_site_file(text: str, path: Path, tables: Tables = table_text) -> SiteFile:
    """Check the text of a site file that is, or will be, at `path`, with the tables beside it that
    are, or will be, there. Raises SiteFileError with every problem found."""
    try:
        values = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise SiteFileError(str(path), [_syntax_problem(text, str(error))]) from None
    except (ValueError, RecursionError) as error:
        # A number of thousands of digits, or tables in tables without end.
        why = "it is nested too deep" if isinstance(error, RecursionError) else str(error)
        raise SiteFileError(
            str(path), [Problem(None, "", f"this cannot be read: {why}.")]
        ) from None
    lines = line_map(text)
    found = joined(values, path)
    model, mistakes = read_part(SiteModel, found.values)
    problems = [_problem(one, lines, found) for one in mistakes]
    if model:
        problems = list(_cross_problems(model, lines))
    if problems or model is None:
        raise SiteFileError(str(path), sorted(problems, key=lambda p: (p.line or 0, p.key)))
    named = model.overrides.file
    overrides = read_overrides(path.parent / named, model, tables) if named else OverrideRows()
    films = model.videos.file
    said = read_video_overrides(path.parent / films, model.site.url, tables) if films else ()
    urls = [model.site.url, *(host.url for host in model.host)]
    taken = model.links.file
    links = read_link_table(path.parent / taken, urls, tables) if taken else ()
    texts = {one.loc: one.texts for one in overrides.with_texts()}
    site = SiteFile(path, model, lines, "", "", overrides, said, texts, links, tables=tables)
    if not found.bases:
        return site
    chosen = {
        key: base.name for key in values_of_policies(model)
        if (base := origin_of(values, found, "policies", key))
    }  # fmt: skip
    shown = {base: os.path.relpath(base, path.absolute().parent) for base in found.bases}
    rules = tuple((shown[base], number) for base, number in found.rules)
    bases = tuple(shown.values())
    return replace(site, bases=bases, rules_of_bases=rules, base_policies=chosen)


def values_of_policies(model: SiteModel) -> Sequence[str]:
    """The keys of [policies]."""
    return model.policies.__struct_fields__


def _syntax_problem(text: str, message: str) -> Problem:
    """tomllib says `… (at line 3, column 5)` or `… (at end of document)`."""
    reason, _, path = message.rpartition(" (at ")
    words = path.rstrip(")").replace(",", "").split()
    line = int(words[1]) if words[:1] == ["line"] else len(text.splitlines())
    shown = text.splitlines()[line - 1].strip() if 0 < line <= len(text.splitlines()) else ""
    near = f", near {shown[:60]!r}" if shown else ""
    return Problem(line, "", f"this is not TOML: {reason}{near}.")


def _problem(
    mistake: Mistake, lines: dict[tuple[str | int, ...], int], found: Joined
) -> Problem:
    path, message = mistake.path, mistake.message
    if mistake.known:
        message = "is no key of the site file." + _meant(str(path[-1]), mistake.known)
    key = ".".join(part for part in path if isinstance(part, str))
    # How to write a table says nothing of what is wrong between its keys.
    whole = path and isinstance(path[-1], int) and message != "has no kind."
    example = "" if whole else EXAMPLES.get(key, "")
    line = line_of(lines, path)
    if found.bases and tuple(path) not in lines:
        message += f" (It may be the base file {found.bases[0].name} that says it.)"
        line = None
    return Problem(line, _shown(path), message, example)


def _shown(path: Sequence[str | int]) -> str:
    """`source[2].path`: people count from one."""
    shown = ""
    for part in path:
        shown += f"[{part + 1}]" if isinstance(part, int) else f"{'.' if shown else ''}{part}"
    return shown


def _meant(name: str, known: Sequence[str]) -> str:
    best = nearest(name, known)
    return f" Did you mean {best!r}?" if best else f" Known here: {', '.join(known)}."


def _cross_problems(model: SiteModel, lines: dict[tuple[str | int, ...], int]) -> Iterator[Problem]:
    """What only shows when several keys are seen together."""
    named = {
        "section": [section.name for section in model.section],
        "engine": [engine.name for engine in model.engine],
        "trial": [trial.name for trial in model.trial],
    }
    for kind, names in named.items():
        for number, name in enumerate(names):
            if name in names[:number]:
                path = (kind, number, "name")
                message = f"{name!r} stands twice; every {kind} has a name of its own."
                yield Problem(line_of(lines, path), _shown(path), message)
    yield from _host_problems(model, lines)
    sections = [section.name for section in model.section]
    sections += [source.section for source in model.source if source.section]
    for place, name in _named_sections(model):
        if name not in {*sections, "pages"}:
            best = nearest(name, sections)
            meant = f" Did you mean {best!r}?" if best else ""
            message = f"{name!r} is no section of this file.{meant}"
            yield Problem(line_of(lines, place), _shown(place), message)


def _named_sections(model: SiteModel) -> Iterator[tuple[tuple[str | int, ...], str]]:
    """Where sections are named, and which."""
    for number, rule in enumerate(model.rule):
        if rule.section:
            yield ("rule", number, "section"), rule.section
    for number, trial in enumerate(model.trial):
        yield ("trial", number, "section"), trial.section
    # Sources of records may name sections of their own, row by row.
    if all(isinstance(source, HtmlSource) for source in model.source):
        for number, some in enumerate(model.inject.for_some):
            for name in some.sections:
                yield ("inject", "for", number, "sections"), name
        for name in model.visitors.sections:
            yield ("visitors", "sections"), name
    for number, choices in enumerate(model.review.for_sections):
        for name in choices.sections:
            yield ("review", "for", number, "sections"), name


def _host_problems(model: SiteModel, lines: dict[tuple[str | int, ...], int]) -> Iterator[Problem]:
    urls = [model.site.url, *(host.url for host in model.host)]
    folders = [model.output.folder, *(host.folder for host in model.host)]
    for number, host in enumerate(model.host):
        for key, value, earlier in (("url", host.url, urls), ("folder", host.folder, folders)):
            if value in earlier[: number + 1]:
                path = ("host", number, key)
                message = f"{value!r} stands twice; every host has a {key} of its own."
                yield Problem(line_of(lines, path), _shown(path), message)
    for number, source in enumerate(model.source):
        if source.host and source.host not in urls:
            path = ("source", number, "host")
            message = f"{source.host!r} is no [[host]] of this file."
            yield Problem(line_of(lines, path), _shown(path), message)
