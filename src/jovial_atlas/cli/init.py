"""`init`: a first site file, from questions or from options alone; a part of it done again."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from jovial_atlas.cli.common import Work, atlas_command, bundled
from jovial_atlas.errors import AtlasError

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.rounds.reading.content_place import ContentPlace
    from jovial_atlas.rounds.reading.proposal import Proposal
    from jovial_atlas.rounds.reading.sitting import Sitting
    from jovial_atlas.web import Client

#: Options that answer a question of the sitting.
_ANSWERS = {
    "name": "site.name", "short_name": "site.short_name", "language": "site.language",
    "kind": "publisher.kind", "stage": "site.stage", "smallest_section": "sections.least",
}  # fmt: skip
_PARTS = ("site", "publisher", "policies", "head", "sitemap", "visitors", "engine")


@atlas_command(
    "init",
    state="apart",
    examples=(
        "init --yes --url https://www.marrowfen.example --html public/",
        "init --only publisher",
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
@click.option("--name", help="Name of the site. Default: read off the titles.")
@click.option("--short-name", help="Shorter name, for the end of titles.")
@click.option("--language", help="Main language. Default: read off the pages.")
@click.option("--kind", type=click.Choice(["organization", "person"]),
              help="Who stands behind the site. Default: read off the home page.")  # fmt: skip
@click.option("--stage", type=click.Choice(["live", "draft"]),
              help="A draft is hidden and never announced. Default: live.")  # fmt: skip
@click.option("--addresses", "style", type=click.Choice(["folder", "file", "plain"]),
              help="How files become addresses. Default: read off the canonicals.")  # fmt: skip
@click.option("--smallest-section", type=click.IntRange(min=2),
              help="Pages that a folder needs to be a section; others stay together. "
              "Default: 2.")  # fmt: skip
@click.option("--yes", is_flag=True, help="Ask nothing; take what is given and what is found.")
@click.option("--replace", is_flag=True, help="Write over a site file; the old one is kept.")
@click.option("--only", type=click.Choice(_PARTS),
              help="Ask for one part again, for the site file that there is.")  # fmt: skip
@bundled("said", tuple(_ANSWERS))
@bundled("shape", ("style", "output"))
def command(
    work: Work,
    url: str | None,
    content: str | None,
    html: str | None,
    said: dict[str, Any],
    shape: dict[str, Any],
    yes: bool,
    replace: bool,
    only: str | None,
) -> int:
    """Write a site file: read the content once, infer name, language, addresses, kinds of page,
    sections and who stands behind the site, and ask about the rest. Answers can be gone back from
    with `<`; a sitting that is left is taken up by the next `init`. A robots.txt that is there is
    taken over."""
    path = work.given or Path("atlas.toml")
    if only:
        from jovial_atlas.cli.init_again import one_part

        return one_part(work, path, only)
    if path.exists() and not replace:
        raise AtlasError(
            f"{path} exists already and is left as it is. Ask for a part of it again with --only, "
            "change it by hand, or run `jovial-atlas init --replace` to write a new one (the old "
            "one is kept beside it)."
        )
    if content and html:
        raise click.UsageError("Give --content or --html, not both.")
    given = {_ANSWERS[name]: str(value) for name, value in said.items() if value}
    _check(given)
    url = _given_address(url) if url else None
    if yes:
        return _without_questions(work, path, (url, content or html, bool(html)), given, shape,
                                  replace=replace)  # fmt: skip
    from jovial_atlas.cli.init_sitting import with_questions

    if not sys.stdin.isatty():
        raise click.UsageError(
            "There is no terminal to ask questions on. Give --yes with --content."
        )
    place = (url, content or html, bool(html))
    return with_questions(work, path, place, given, shape, replace=replace)


def _without_questions(
    work: Work,
    path: Path,
    where: tuple[str | None, str | None, bool],
    given: dict[str, str],
    shape: dict[str, Any],
    *,
    replace: bool,
) -> int:
    """Take what is given and what is found."""
    from jovial_atlas.rounds.reading.content_place import html_folder, named_origin, recognise
    from jovial_atlas.web import new_client

    url, content, folder = where
    if not content:
        raise click.UsageError("--content (or --html) must be given with --yes.")
    with new_client() as client:
        place = html_folder(content) if folder else recognise(content, client)
        url = url or place.origin or named_origin(place)
        if not url:
            raise click.UsageError(
                f"The content ({place.what}) does not name the address of the public site. Give it "
                "with --url."
            )
        proposal = read_content(work, url, place, client)
    sitting = first_sitting(proposal, given, shape)
    sitting.take_defaults()
    text = text_of(proposal, path, sitting, shape)
    write(work, path, text, proposal, replace=replace)
    tell(work.output, proposal, sitting, shape, path)
    return 0


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


def _given_address(url: str) -> str:
    from jovial_atlas.rounds.reading.proposal import site_origin

    try:
        return site_origin(url)
    except AtlasError as error:
        raise AtlasError(f"--url: {error}") from None


def _check(given: dict[str, str]) -> None:
    from jovial_atlas import languages

    language = given.get("site.language")
    if language and (fault := languages.fault_of(language)):
        raise click.UsageError(f"--language: {language!r} {fault}.")


def tell(
    out: Output, proposal: Proposal, sitting: Sitting, shape: dict[str, Any], path: Path
) -> None:
    """What was read and written, and what comes next."""
    from jovial_atlas.cli.survey import tell_doubts
    from jovial_atlas.faults import plural

    out.say(f"Read {plural(proposal.pages, 'page')} ({proposal.place.what}) and wrote {path}.")
    least = sitting.values().get("sections.least") or 2
    for section in proposal.sections_from(least):
        out.say(f"  section {section.name:<20} {section.match:<28} {plural(section.pages, 'page')}")
    if len(proposal.kinds) > 1:
        kinds = proposal.kinds.items()
        counts = (f"{count:,} {'plain' if kind == 'page' else kind}" for kind, count in kinds)
        out.say(f"Kinds of page: {', '.join(counts)}.")
    if proposal.languages:
        out.say(f"Languages by folder: {', '.join(proposal.languages)}.")
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
