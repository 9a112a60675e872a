"""What `init` does with questions and without: the sitting, the site file that it makes, and what
is told of it."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

if TYPE_CHECKING:
    from jovial_atlas.cli.common import Work
    from jovial_atlas.cli.output import Output
    from jovial_atlas.rounds.reading.content_records import ContentPlace, RowsAsked
    from jovial_atlas.rounds.reading.proposal import Proposal
    from jovial_atlas.rounds.reading.sitting import Sitting
    from jovial_atlas.web import Client


#: Of so many proposed sections each is told.
_SHOWN = 24


class SetUp(NamedTuple):
    """What options say of a set-up: where the site is public and where its content is (None where
    nobody says), whether that is a folder of HTML, answers by name, the shape of addresses and the
    output folder, what it is to know of records, and whether a site file is written over."""

    url: str | None
    content: str | None
    is_folder: bool
    given: dict[str, str]
    shape: dict[str, Any]
    rows: RowsAsked
    replace: bool


def read_content(work: Work, url: str, place: ContentPlace, client: Client) -> Proposal:
    """What the content proposes, with a bar of progress."""
    from jovial_atlas.rounds.reading.proposal import propose

    with work.output.progress("Reading pages") as progress:
        return propose(url, place, work.now(), client, progress)


def first_sitting(proposal: Proposal, given: dict[str, str], shape: dict[str, Any]) -> Sitting:
    """The sitting of a site that is set up anew."""
    from jovial_atlas.rounds.reading.sitting import Found, Sitting

    root = Path(shape["output"]) if shape["output"] else proposal.place.folder
    return Sitting(Found(proposal, proposal.home, root=root), given)


def text_of(proposal: Proposal, path: Path, sitting: Sitting, shape: dict[str, Any]) -> str:
    """The site file that the answers make."""
    from jovial_atlas.rounds.reading.first_site_file import (
        IN_FIRST_TEXT,
        Answers,
        site_file_text,
        with_answers,
    )

    values = sitting.values()
    name, short = values["site.name"], values["site.short_name"] or ""
    answers = Answers(
        name=name,
        short_name="" if short == name else short,
        language=values["site.language"],
        kind=values["publisher.kind"],
        stage=values["site.stage"],
        style=shape["style"],
        output=shape["output"],
        smallest_section=values.get("sections.least") or 2,
    )
    text = site_file_text(proposal, path, answers)
    return with_answers(text, {n: v for n, v in values.items() if n not in IN_FIRST_TEXT})


def write(work: Work, path: Path, text: str, proposal: Proposal, *, replace: bool) -> None:
    """Put the site file in place, once it is known to be right."""
    from jovial_atlas.rounds.reading.proposal import write_site_file
    from jovial_atlas.sitefile.read import parse_site_file

    parse_site_file(text, path)
    locks = work.locks(path)
    with locks.writing(), locks.editing(), work.watching(path):
        write_site_file(path, text, proposal, replace=replace)


def tell(
    out: Output, proposal: Proposal, sitting: Sitting, shape: dict[str, Any], path: Path
) -> None:
    """What was read and written, and what comes next."""
    from jovial_atlas.cli.survey import tell_doubts
    from jovial_atlas.faults import plural

    out.say(f"Read {plural(proposal.pages, 'page')} ({proposal.place.what}) and wrote {path}.")
    least = sitting.values().get("sections.least") or 2
    sections = proposal.sections_from(least)
    names = max([20, *(len(section.name) for section in sections)])
    places = max([28, *(len(section.match) for section in sections)])
    for section in sections[:_SHOWN]:
        named = f"{section.name:<{names}} {section.match:<{places}}"
        out.say(f"  section {named} {plural(section.pages, 'page')}")
    if len(sections) > _SHOWN:
        out.say(
            f"  and {len(sections) - _SHOWN} sections more; with `--smallest-section 50`, folders "
            "with fewer pages stay together."
        )
    if len(proposal.kinds) > 1:
        kinds = proposal.kinds.items()
        counts = (f"{count:,} {'plain' if kind == 'page' else kind}" for kind, count in kinds)
        out.say(f"Kinds of page: {', '.join(counts)}.")
    if proposal.languages:
        out.say(f"Languages by folder: {', '.join(proposal.languages)}.")
    if proposal.endings:
        ends = (f"{one} ({end})" for one, end in proposal.endings.items())
        out.say(f"Languages by the ends of names: {', '.join(ends)}.")
    if proposal.robots:
        out.say("The robots.txt that is there is taken over into [robots].")
    if found := ", ".join(proposal.home.publisher):
        out.say(f"Read off the home page of who stands behind the site: {found}.")
    tell_doubts(out, proposal.doubts)
    for note in (*proposal.notes, *proposal.unsure, *_assumed(proposal, sitting)):
        out.warn(note)
    if not (proposal.place.folder or shape["output"]):
        out.say(
            "Sitemaps, robots.txt and the rest will be written to public/; if another folder is "
            "served at the root of the site, correct `folder` in [output]."
        )
    out.say("Next: jovial-atlas survey")


def _assumed(proposal: Proposal, sitting: Sitting) -> Iterator[str]:
    """What neither the content nor the owner says."""
    values = sitting.values()
    if not proposal.language and values["site.language"] == proposal.usable_language:
        yield (
            f"The content does not say its language; {proposal.usable_language} is assumed: see "
            "`language` in [site]."
        )
    if not proposal.name and values["site.name"] == proposal.usable_name:
        yield "The content does not say the site's name; its host is taken: see `name` in [site]."
