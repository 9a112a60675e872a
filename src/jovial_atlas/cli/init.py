"""`init`: a first site file, from questions or from options alone."""

from __future__ import annotations

import dataclasses
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import click

from jovial_atlas.cli.common import Work, atlas_command, bundled
from jovial_atlas.errors import AtlasError

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.rounds.reading.content_place import ContentPlace
    from jovial_atlas.rounds.reading.first_site_file import Answers
    from jovial_atlas.rounds.reading.proposal import Proposal
    from jovial_atlas.web import Client

Value = TypeVar("Value")
#: With more sections than this, it is asked whether small ones shall go together.
_MANY_SECTIONS = 20


@atlas_command(
    "init",
    state="apart",
    examples=(
        "init --yes --url https://www.marrowfen.example --html public/",
        "init --content https://www.marrowfen.example/sitemap.xml",
    ),
)
@click.option("--url", help="Scheme and host of the public site. Default: read off the content.")
@click.option(
    "--content", metavar="PLACE",
    help="Where the content is: a folder of HTML or Markdown, the address of the live site, a "
    "sitemap, a feed or a table.",
)  # fmt: skip
@click.option("--html", metavar="DIR", help="The same, for a folder of built HTML pages.")
@click.option("--output", default="", metavar="DIR",
              help="Folder that is served at the root of the site. Default: that of the HTML, else "
              "public.")  # fmt: skip
@click.option("--name", default="", help="Name of the site. Default: read off the titles.")
@click.option("--short-name", default="", help="Shorter name, for the end of titles.")
@click.option("--language", default="", help="Main language. Default: read off the pages.")
@click.option("--kind", type=click.Choice(["organization", "person"]), default="organization",
              show_default=True, help="Who stands behind the site.")  # fmt: skip
@click.option("--stage", type=click.Choice(["live", "draft"]), default="live", show_default=True,
              help="A draft is hidden and never announced.")  # fmt: skip
@click.option("--addresses", "style", type=click.Choice(["folder", "file", "plain"]),
              help="How files become addresses. Default: read off the canonicals.")  # fmt: skip
@click.option("--smallest-section", type=click.IntRange(min=2), default=2, show_default=True,
              help="Pages that a folder needs to be a section; others stay together.")  # fmt: skip
@click.option("--yes", is_flag=True, help="Ask nothing; take what is given and what is found.")
@click.option("--replace", is_flag=True, help="Write over a site file; the old one is kept.")
@bundled("answered", ("name", "short_name", "language", "kind", "stage", "style", "output",
                      "smallest_section"))  # fmt: skip
def command(
    work: Work,
    url: str | None,
    content: str | None,
    html: str | None,
    yes: bool,
    replace: bool,
    answered: dict[str, Any],
) -> int:
    """Write a site file: read the content once, infer name, language, addresses, kinds of page and
    sections, and ask about the rest. A robots.txt that is there is taken over into it."""
    from jovial_atlas.rounds.reading.first_site_file import Answers, site_file_text
    from jovial_atlas.rounds.reading.proposal import propose, write_site_file
    from jovial_atlas.web import new_client

    out = work.output
    path = work.given or Path("atlas.toml")
    if path.exists() and not replace:
        raise AtlasError(
            f"{path} exists already and is left as it is. Change it by hand, or run "
            "`jovial-atlas init --replace` to write a new one (the old one is kept beside it)."
        )
    if content and html:
        raise click.UsageError("Give --content or --html, not both.")
    answers = Answers(**answered)
    _check(answers)
    url = _given_address(url) if url else None
    with new_client() as client:
        place = _where(content or html, client, asking=not yes, folder=bool(html))
        url = _public_address(url, place, asking=not yes)
        with out.progress("Reading pages") as progress:
            proposal = propose(url, place, work.now(), client, progress)
    if not yes:
        answers = _ask(out, proposal, answers)
    text = site_file_text(proposal, path, answers)
    locks = work.locks(path)
    with locks.writing(), locks.editing(), work.watching(path):
        write_site_file(path, text, proposal, replace=replace)
    _tell(out, proposal, answers, path)
    return 0


def _given_address(url: str) -> str:
    from jovial_atlas.rounds.reading.proposal import site_origin

    try:
        return site_origin(url)
    except AtlasError as error:
        raise AtlasError(f"--url: {error}") from None


def _check(answers: Answers) -> None:
    from jovial_atlas import languages

    if answers.language and (fault := languages.fault_of(answers.language)):
        raise click.UsageError(f"--language: {answers.language!r} {fault}.")


def _tell(out: Output, proposal: Proposal, answers: Answers, path: Path) -> None:
    from jovial_atlas.cli.survey import tell_doubts
    from jovial_atlas.faults import plural

    out.say(f"Read {plural(proposal.pages, 'page')} ({proposal.place.what}) and wrote {path}.")
    for section in proposal.sections_from(answers.smallest_section):
        out.say(f"  section {section.name:<20} {section.match:<28} {plural(section.pages, 'page')}")
    if len(proposal.kinds) > 1:
        kinds = proposal.kinds.items()
        counts = (f"{count:,} {'plain' if kind == 'page' else kind}" for kind, count in kinds)
        out.say(f"Kinds of page: {', '.join(counts)}.")
    if proposal.languages:
        out.say(f"Languages by folder: {', '.join(proposal.languages)}.")
    if proposal.robots:
        out.say("The robots.txt that is there is taken over into [robots].")
    tell_doubts(out, proposal.doubts)
    for note in (*proposal.notes, *proposal.unsure, *_assumed(proposal, answers)):
        out.warn(note)
    if not (proposal.place.folder or answers.output):
        out.say(
            "Sitemaps, robots.txt and the rest will be written to public/; if another folder is "
            "served at the root of the site, correct `folder` in [output]."
        )
    out.say("Next: jovial-atlas survey")


def _assumed(proposal: Proposal, answers: Answers) -> Iterator[str]:
    """What neither the content nor the owner says."""
    if not (answers.language or proposal.language):
        yield (
            f"The content does not say its language; {proposal.usable_language} is assumed: see "
            "`language` in [site]."
        )
    if not (answers.name or proposal.name):
        yield "The content does not say the site's name; its host is taken: see `name` in [site]."


def _where(given: str | None, client: Client, *, asking: bool, folder: bool) -> ContentPlace:
    """Where the content is; asked for, until it can be read, where it is not given."""
    from jovial_atlas.rounds.reading.content_place import built_folder, html_folder, recognise

    if asking and not sys.stdin.isatty():
        raise click.UsageError(
            "There is no terminal to ask questions on. Give --yes with --content."
        )
    if given:
        return html_folder(given) if folder else recognise(given, client)
    if not asking:
        raise click.UsageError("--content (or --html) must be given with --yes.")
    return _asked(
        "Where the content is: a folder, the address of the live site, a sitemap, feed or table",
        built_folder(),
        lambda text: recognise(text, client),
    )


def _public_address(url: str | None, place: ContentPlace, *, asking: bool) -> str:
    from jovial_atlas.rounds.reading.content_place import named_origin
    from jovial_atlas.rounds.reading.proposal import site_origin

    if url:
        return url
    origin = place.origin or named_origin(place)
    if asking:
        return _asked("Address of the public site", origin or None, site_origin)
    if not origin:
        raise click.UsageError(
            f"The content ({place.what}) does not name the address of the public site. Give it "
            "with --url."
        )
    return origin


def _asked(text: str, default: str | None, read: Callable[[str], Value]) -> Value:
    """An answer as it is read; asked again, with what is wrong, until it can be."""

    def checked(answer: str) -> Value:
        try:
            return read(answer.strip())
        except AtlasError as error:
            raise click.UsageError(str(error)) from None

    answer: Value = click.prompt(text, default=default, value_proc=checked)
    return answer


def _ask(out: Output, proposal: Proposal, given: Answers) -> Answers:
    """Ask for what was not given; what was read off the content is the default."""
    name = _asked("Name of the site", given.name or proposal.usable_name, _some_text)
    short_name = click.prompt(
        "Shorter name, for the end of titles", default=given.short_name or name
    )
    language = _asked("Main language", given.language or proposal.usable_language, _language)
    kind = click.prompt(
        "Who stands behind it", type=click.Choice(["organization", "person"]), default=given.kind
    )
    stage = click.prompt(
        "Live, or still a draft that shall stay hidden",
        type=click.Choice(["live", "draft"]),
        default=given.stage,
    )
    smallest = given.smallest_section
    if len(sections := proposal.sections_from(smallest)) > _MANY_SECTIONS:
        small = min(sections, key=lambda section: section.pages)
        out.say(
            f"{len(sections)} folders could be sections, each with a sitemap of its own; "
            f"the smallest is {small.match} with {small.pages} pages."
        )
        smallest = click.prompt(
            "Pages that a folder needs to be one; others stay together",
            type=click.IntRange(min=2),
            default=smallest,
        )
    output = given.output
    if not (output or proposal.place.folder):
        output = _asked("Folder that is served at the root of the site", "public", _some_text)
    return dataclasses.replace(
        given, name=name, short_name="" if short_name == name else short_name, language=language,
        kind=kind, stage=stage, smallest_section=smallest, output=output,
    )  # fmt: skip


def _some_text(answer: str) -> str:
    if not answer:
        raise AtlasError("It cannot be empty.")
    return answer


def _language(answer: str) -> str:
    from jovial_atlas import languages

    if fault := languages.fault_of(answer):
        raise AtlasError(f"{answer!r} {fault}.")
    return answer
