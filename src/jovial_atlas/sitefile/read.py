"""Reading a site file: TOML, then the model, with every error at once and its line."""

from __future__ import annotations

import tomllib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, get_args

from pydantic import BaseModel, ValidationError

from jovial_atlas.errors import Problem, SiteFileError
from jovial_atlas.faults import nearest
from jovial_atlas.place import STATE
from jovial_atlas.sitefile.lines import line_map, line_of
from jovial_atlas.sitefile.model import Host, SiteModel
from jovial_atlas.sitefile.overrides import Override, read_overrides
from jovial_atlas.sitefile.videos import VideoOverride, read_video_overrides

#: Values of `kind`, which pydantic puts into locations of errors.
_TAGS = frozenset(
    ["indexnow", "call", "html", "markdown", "table", "sql", "feed", "list", "site", "json"]
)

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
    "engine.channels.kind": 'kind = "indexnow"',
}


@dataclass(frozen=True, slots=True)
class SiteFile:
    """A site file that was read: where it is, what it says, and where its keys stand."""

    path: Path
    model: SiteModel
    lines: dict[tuple[str | int, ...], int] = field(repr=False)
    #: Where this is the part of another host than the main one: the host's name.
    host: str = ""
    overrides: tuple[Override, ...] = ()
    video_overrides: tuple[VideoOverride, ...] = ()
    #: Address → texts of its head, from the overrides file.
    texts: dict[str, dict[str, str]] = field(default_factory=dict, repr=False)

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
        return self.folder / STATE

    @property
    def hosts(self) -> list[SiteFile]:
        """The site as each of its hosts sees it, the main one first. Each has its own address,
        language, output folder and state; all else is shared."""
        return [self, *(self._at(host) for host in self.model.host)]

    def _at(self, host: Host) -> SiteFile:
        model = self.model
        what = {"url": host.url, "language": host.language or model.site.language}
        inner = model.model_copy(
            update={
                "site": model.site.model_copy(update=what),
                "output": model.output.model_copy(update={"folder": host.folder}),
            }
        )
        return replace(self, model=inner, host=host.url.partition("://")[2].replace(":", "-"))

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


def parse_site_file(text: str, path: Path) -> SiteFile:
    """Check the text of a site file that is, or will be, at `path`. Raises SiteFileError with
    every problem found."""
    try:
        values = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise SiteFileError(str(path), [_syntax_problem(text, str(error))]) from None
    lines = line_map(text)
    problems: list[Problem] = []
    model = None
    try:
        model = SiteModel.model_validate({**_absent(), **_tuples(values)})
    except ValidationError as error:
        found = error.errors()
        # A list whose items are wrong is also told as too short: one problem, not two.
        inner = [one["loc"] for one in found]
        problems = [
            _problem(dict(one), lines)
            for one in found
            if one["type"] != "too_short"
            or not any(
                len(loc) > len(one["loc"]) and loc[: len(one["loc"])] == one["loc"] for loc in inner
            )
        ]
    if model:
        problems = list(_cross_problems(model, lines))
    if problems or model is None:
        raise SiteFileError(str(path), sorted(problems, key=lambda p: (p.line or 0, p.key)))
    named = model.overrides.file
    overrides = read_overrides(path.parent / named, model) if named else ()
    films = model.videos.file
    said = read_video_overrides(path.parent / films, model.site.url) if films else ()
    texts = {one.loc: one.texts for one in overrides if one.texts}
    return SiteFile(path, model, lines, "", overrides, said, texts)


def _absent() -> dict[str, dict[str, Any]]:
    """Tables that a site file may leave out, as empty ones: so their defaults come from the one
    validator of the whole file, and none is built for each of them."""
    fields = SiteModel.model_fields.items()
    return {name: {} for name, field in fields if field.default_factory is field.annotation}


def _tuples(value: Any) -> Any:
    if isinstance(value, dict):
        return {key: _tuples(inner) for key, inner in value.items()}
    return tuple(_tuples(inner) for inner in value) if isinstance(value, list) else value


def _syntax_problem(text: str, message: str) -> Problem:
    """tomllib says `… (at line 3, column 5)` or `… (at end of document)`."""
    said, _, place = message.rpartition(" (at ")
    words = place.rstrip(")").replace(",", "").split()
    line = int(words[1]) if words[:1] == ["line"] else len(text.splitlines())
    shown = text.splitlines()[line - 1].strip() if 0 < line <= len(text.splitlines()) else ""
    near = f", near {shown[:60]!r}" if shown else ""
    return Problem(line, "", f"this is not TOML: {said}{near}.")


def _problem(error: dict[str, Any], lines: dict[tuple[str | int, ...], int]) -> Problem:
    path = _without_tags(error["loc"])
    key = ".".join(part for part in path if isinstance(part, str))
    kind, context = error["type"], error.get("ctx", {})
    if kind == "missing":
        message = "is missing."
    elif kind == "extra_forbidden":
        message = "is no key of the site file." + _meant(
            path, {str(part) for part in error["loc"]} & _TAGS
        )
    elif kind == "value_error":
        message = f"{context['error']}."
    elif kind in ("literal_error", "union_tag_invalid"):
        expected = context.get("expected") or context.get("expected_tags", "")
        given = error["input"] if kind == "literal_error" else context.get("tag")
        message = f"is {given!r}; it must be {expected.replace(chr(39), chr(34))}."
        if kind == "union_tag_invalid":
            path, key = (*path, "kind"), f"{key}.kind"
    elif kind == "union_tag_not_found":
        message = "has no kind."
    else:
        wanted = {
            "string_type": "text in quotes", "bool_type": "true or false",
            "int_type": "a whole number", "tuple_type": "a list in [ ]",
            "model_type": "a table", "dict_type": "a table", "too_short": "at least one",
            "string_too_short": "text that is not empty",
        }.get(kind)  # fmt: skip
        given = f"is {error['input']!r}; " if "short" not in kind else ""
        message = f"{given}it must be {wanted}." if wanted else f"{error['msg']}."
    return Problem(line_of(lines, path), _shown(path), message, EXAMPLES.get(key, ""))


def _without_tags(loc: tuple[str | int, ...]) -> tuple[str | int, ...]:
    """A pydantic location without union tags and type names, which are no keys."""
    kept: list[str | int] = []
    for part in loc:
        tag = isinstance(part, str) and (
            part in ("str", "tuple[str, ...]")
            or (part in _TAGS and kept and isinstance(kept[-1], int))
        )
        if not tag:
            kept.append(part)
    return tuple(kept)


def _shown(path: Sequence[str | int]) -> str:
    """`source[2].path`: people count from one."""
    shown = ""
    for part in path:
        shown += f"[{part + 1}]" if isinstance(part, int) else f"{'.' if shown else ''}{part}"
    return shown


def _meant(path: tuple[str | int, ...], kinds: set[str]) -> str:
    known = _known_keys(path[:-1], kinds)
    if best := nearest(str(path[-1]), known):
        return f" Did you mean {best!r}?"
    return f" Known here: {', '.join(sorted(known))}." if known else ""


def _known_keys(path: Sequence[str | int], kinds: set[str]) -> list[str]:
    """Keys that the model knows in the table at `path`, for the kind of it that was named."""
    models: list[type[BaseModel]] = [SiteModel]
    for part in path:
        if isinstance(part, str):
            models = [
                inner
                for model in models
                for name, found in model.model_fields.items()
                if (found.alias or name) == part
                for inner in _models_in(found.annotation)
            ]
    if kinds:
        models = [
            model
            for model in models
            if "kind" not in model.model_fields
            or kinds & set(get_args(model.model_fields["kind"].annotation))
        ]
    return sorted({f.alias or n for model in models for n, f in model.model_fields.items()})


def _models_in(annotation: Any) -> Iterator[type[BaseModel]]:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        yield annotation
    for inner in get_args(annotation):
        yield from _models_in(inner)


def _cross_problems(model: SiteModel, lines: dict[tuple[str | int, ...], int]) -> Iterator[Problem]:
    """What only shows when several keys are seen together."""
    named = {
        "section": [section.name for section in model.section],
        "engine": [engine.name for engine in model.engine],
    }
    for kind, names in named.items():
        for number, name in enumerate(names):
            if name in names[:number]:
                path = (kind, number, "name")
                message = f"{name!r} stands twice; every {kind} has a name of its own."
                yield Problem(line_of(lines, path), _shown(path), message)
    yield from _host_problems(model, lines)
    sections = [section.name for section in model.section]
    for number, rule in enumerate(model.rule):
        if rule.section and rule.section not in {*sections, "pages"}:
            path = ("rule", number, "section")
            best = nearest(rule.section, sections)
            meant = f" Did you mean {best!r}?" if best else ""
            message = f"{rule.section!r} is no section of this file.{meant}"
            yield Problem(line_of(lines, path), _shown(path), message)


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
