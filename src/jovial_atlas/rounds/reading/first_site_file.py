"""The first site file: what was proposed and answered, as TOML with a comment where one helps."""

from __future__ import annotations

import os
import re
import tomllib
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import tomlkit
from msgspec import structs
from tomlkit import TOMLDocument
from tomlkit.items import Item, Table

from jovial_atlas.faults import plural
from jovial_atlas.pages.doubt import Doubt
from jovial_atlas.robots import RobotsFile, RobotsRecord
from jovial_atlas.rounds.reading.content_records import moved_to
from jovial_atlas.rounds.reading.proposal import (
    SMALLEST_SECTION,
    FoundSection,
    Proposal,
    source_table,
)
from jovial_atlas.rounds.reading.sitting import title_pattern
from jovial_atlas.sitefile.edit import add_table, set_key
from jovial_atlas.sitefile.model import SiteModel
from jovial_atlas.sources.workers.folder import Style

_ABOVE = (
    "What search engines may find of this site. Written once by `jovial-atlas init`;",
    "it is yours to change. Keys and defaults: docs/reference/site-file.md",
)
_RULES = (
    "Rules decide about single pages and patterns, in order; a later one wins:",
    "[[rule]]",
    'match = "/privacy/"',
    "set = { index = false }",
    'reason = "No one should land here from a search"',
)
#: Key → what is said behind it.
_BESIDE = {
    "publisher.kind": 'or "person"',
    "site.stage": '"draft" hides everything and announces nothing',
    "site.authors": "so pages about authors repeat others, and are not listed",
    "output.folder": "the folder that is served at the root of the site",
    "source.addresses": '"folder": /a/index.html is /a/; "file": as named; "plain": no ending',
    "section.schema": "most of its pages are dated",
}


#: What of a publisher the home page may say and nobody is asked for.
_UNASKED = ("legal_name", "alternate_name", "email", "description", "address")


@dataclass(frozen=True, slots=True)
class Answers:
    """What the owner says himself: it wins over what was read off the content. Empty where he
    leaves it to the tool."""

    name: str = ""
    short_name: str = ""
    language: str = ""
    kind: str = "organization"
    stage: str = "live"
    style: Style | None = None
    output: str = ""
    smallest_section: int = SMALLEST_SECTION


def site_file_text(proposal: Proposal, path: Path, answers: Answers) -> str:
    """A short, commented site file."""
    place = proposal.place.path
    folder = _relative(place, path.parent) if place else ""
    output = folder if proposal.place.folder else ""
    if answers.output:
        output = _relative(Path(answers.output), path.parent)
    document = tomlkit.document()
    for line in _ABOVE:
        document.add(tomlkit.comment(line))
    document.add(tomlkit.nl())
    for name, values in _first_tables(proposal, answers, output):
        table = _table(name, values)
        table.add(tomlkit.nl())
        document.add(name, table)
    source = {**source_table(moved_to(proposal.source, folder) if place else proposal.source)}
    if proposal.place.folder:
        source["addresses"] = str(answers.style or proposal.addresses)
    last = _table("source", source)
    sources = tomlkit.aot()
    sources.append(last)
    document.add("source", sources)
    last.add(tomlkit.nl())
    if sections := proposal.sections_from(answers.smallest_section):
        last.add(
            tomlkit.comment("A page is in the first section that matches; each gets a sitemap.")
        )
        last = _add_sections(document, sections)
        last.add(tomlkit.nl())
    if proposal.languages or proposal.endings:
        last = _languages(proposal)
        document.add("languages", last)
    for line in (*_doubtful(proposal.doubts), *_RULES):
        last.add(tomlkit.comment(line))
    if proposal.robots:
        document.add("robots", robots_table(proposal.robots))
    return tomlkit.dumps(document).rstrip("\n") + "\n"


def _first_tables(
    proposal: Proposal, answers: Answers, output: str
) -> Iterator[tuple[str, dict[str, Any]]]:
    """What the site is, who stands behind it, and where it is served from."""
    found = proposal.home
    yield "site", {
        "url": proposal.url,
        "name": answers.name or proposal.usable_name,
        "short_name": answers.short_name,
        "language": answers.language or proposal.usable_language,
        "stage": answers.stage,
        "authors": "one" if proposal.authors == 1 else "",
        "search": found.site.get("search", ""),
    }
    unasked = {key: found.publisher[key] for key in _UNASKED if key in found.publisher}
    yield "publisher", {"kind": answers.kind, **unasked}
    yield "output", {"folder": output or "public"}
    if card := found.head.get("card_site"):
        yield "head", {"card_site": card}


def with_answers(text: str, values: Mapping[str, Any]) -> str:
    """The text of a site file with the answers of a sitting, by their names; None for what is left
    out. What is as by default, or follows from others, is not written."""
    values = dict(values)
    engine = {name.partition(".")[2]: values.pop(name) for name in [*values]
              if name.startswith("engine.")}  # fmt: skip
    written = tomllib.loads(text)
    matter = values.pop("publisher.matter", None)
    if matter and (telephone := values.get("publisher.telephone")):
        values["publisher.contacts"] = [{"kind": matter, "telephone": telephone}]
    if sign := values.pop("head.sign", None):
        values["head.title"] = title_pattern(sign) or None
    for name, value in values.items():
        table, _, key = name.partition(".")
        if _is_usual(table, key, value) and key not in written.get(table, {}):
            continue
        if name == "publisher.name" and value == written.get("site", {}).get("name"):
            value = None
        text = set_key(text, table, key, value)
    if engine.get("name"):
        text = add_table(text, "engine", _engine(engine))
    return text


#: Answers that the first text has already.
IN_FIRST_TEXT = (
    "site.name", "site.short_name", "site.language", "site.stage", "publisher.kind",
    "sections.least",
)  # fmt: skip


def _is_usual(table: str, key: str, value: Any) -> bool:
    """Whether a value is what holds where nothing is written."""
    part = next((one.type for one in structs.fields(SiteModel) if one.encode_name == table), None)
    fields = structs.fields(part) if isinstance(part, type) else ()
    usual = next((one.default for one in fields if one.encode_name == key), None)
    return value in (None, "", [], {}) or value == usual


def _engine(said: Mapping[str, Any]) -> dict[str, Any]:
    channels = tomlkit.array()
    if endpoint := said.get("endpoint"):
        channel = tomlkit.inline_table()
        channel.update({"kind": "indexnow", "endpoint": endpoint})
        channels.append(channel)
    crawlers = {"crawlers": said["crawlers"]} if said.get("crawlers") else {}
    return {"name": said["name"], **crawlers, "channels": channels}


def _doubtful(doubts: Sequence[Doubt]) -> Iterator[str]:
    """What is not sure of kinds of page, ready to be settled."""
    if not doubts:
        return
    yield "Not sure what these pages are. Take the # away where they are what the key says;"
    yield "write [] behind it where no page is:"
    yield "[kinds]"
    for doubt in doubts:
        said = f"{plural(doubt.pages, 'page')} {doubt.why}; counted as {doubt.counts_as}"
        yield f'{doubt.key} = ["{doubt.pattern}"]  # {said}'
    yield ""


def _table(name: str, values: Mapping[str, Any]) -> Table:
    """A table of the values that are not empty."""
    table = tomlkit.table()
    for key, value in values.items():
        if not value:
            continue
        item: Item = tomlkit.item(value)
        if isinstance(value, Mapping):
            inline = tomlkit.inline_table()
            inline.update(value)
            item = inline
        if said := _BESIDE.get(f"{name}.{key}"):
            item.comment(said)
        table.add(key, item)
    return table


def _add_sections(document: TOMLDocument, found: Sequence[FoundSection]) -> Table:
    """Add the sections, and give back the last."""
    sections = tomlkit.aot()
    for section in found:
        table = _table(
            "section",
            {"name": section.name, "match": section.match, "schema": section.schema or ""},
        )
        table["match"].comment(plural(section.pages, "page"))
        sections.append(table)
    document.add("section", sections)
    return table


def _languages(proposal: Proposal) -> Table:
    table, places = tomlkit.table(), tomlkit.inline_table()
    places.update(proposal.languages or proposal.endings)
    if proposal.languages:
        table.comment("pages with the same path in two of them are versions of each other")
        table.add("folders", places)
    else:
        table.comment("pages whose paths are the same but for it are versions of each other")
        table.add("endings", places)
    table.add(tomlkit.nl())
    return table


def robots_table(robots: RobotsFile) -> Table:
    """What a robots.txt says, as the table of a site file."""
    table = tomlkit.table()
    table.comment("taken over from the robots.txt that was there")
    if robots.comment:
        table.add("comment", robots.comment)
    groups = tomlkit.array().multiline(True)
    for group in robots.groups:
        agents = [token for agent in group.agents if (token := _token(agent))]
        if not agents:
            continue
        rules = [rule for rule in group.rules if rule.pattern]
        values: dict[str, Any] = {
            "agents": agents,
            "allow": [rule.pattern for rule in rules if rule.allow],
            "disallow": [rule.pattern for rule in rules if not rule.allow],
            "comment": group.comment,
            "reasons": {rule.pattern: rule.reason for rule in rules if rule.reason},
            "records": _records(group.records),
        }
        inline = tomlkit.inline_table()
        inline.update({key: value for key, value in values.items() if value})
        groups.append(inline)
    table.add("groups", groups)
    within = {record.line for group in robots.groups for record in group.records}
    others = _records([record for record in robots.others if record.line not in within])
    if others:
        table.add("records", others)
    own = [r.value for r in robots.sitemaps if not r.value.endswith("/sitemap.xml")]
    if own:
        table.add("sitemaps", own)
    return table


def _records(records: Sequence[RobotsRecord]) -> list[str]:
    """Records as they are written; those that no crawler obeys stay out."""
    return [f"{one.field}: {one.value}" for one in records if one.field.lower() != "noindex"]


def _token(agent: str) -> str:
    match = re.match(r"\*|[A-Za-z_-]+", agent)
    return match[0] if match else ""


def _relative(path: Path, start: Path) -> str:
    return Path(os.path.relpath(path.resolve(), start.resolve())).as_posix()
