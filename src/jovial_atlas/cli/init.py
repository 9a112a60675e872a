"""`init`: a first site file, from questions or from options alone."""

from __future__ import annotations

import dataclasses
import sys
from pathlib import Path
from typing import TYPE_CHECKING, cast

import click

from jovial_atlas.cli.common import Work, atlas_command
from jovial_atlas.errors import AtlasError

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.rounds.reading.first_site_file import Answers
    from jovial_atlas.rounds.reading.proposal import Proposal
    from jovial_atlas.sources.workers.folder import Style


@atlas_command(
    "init",
    state="apart",
    epilog="Example: jovial-atlas init --yes --url https://www.marrowfen.example --html public/",
)
@click.option("--url", help="Scheme and host of the public site.")
@click.option(
    "--html", type=click.Path(path_type=Path), metavar="DIR", help="Folder of built HTML pages."
)
@click.option("--name", default="", help="Name of the site. Default: read off the titles.")
@click.option("--short-name", default="", help="Shorter name, for the end of titles.")
@click.option("--language", default="", help="Main language. Default: read off the pages.")
@click.option("--kind", type=click.Choice(["organization", "person"]), default="organization",
              show_default=True, help="Who stands behind the site.")  # fmt: skip
@click.option("--stage", type=click.Choice(["live", "draft"]), default="live", show_default=True,
              help="A draft is hidden and never announced.")  # fmt: skip
@click.option("--addresses", "style", type=click.Choice(["folder", "file", "plain"]),
              help="How files become addresses. Default: read off the canonicals.")  # fmt: skip
@click.option("--yes", is_flag=True, help="Ask nothing; take what is given and what is found.")
@click.option("--replace", is_flag=True, help="Write over a site file; the old one is kept.")
def command(
    work: Work,
    url: str | None,
    html: Path | None,
    name: str,
    short_name: str,
    language: str,
    kind: str,
    stage: str,
    style: str | None,
    yes: bool,
    replace: bool,
) -> int:
    """Write a site file: read the content once, infer name, language, addresses and sections,
    and ask about the rest. A robots.txt that is there is taken over into it."""
    from jovial_atlas.rounds.reading.first_site_file import Answers, site_file_text
    from jovial_atlas.rounds.reading.proposal import propose, write_site_file

    out = work.output
    path = work.given or Path("atlas.toml")
    if path.exists() and not replace:
        raise AtlasError(
            f"{path} exists already and is left as it is. Change it by hand, or run "
            "`jovial-atlas init --replace` to write a new one (the old one is kept beside it)."
        )
    asking = not yes
    url, html = _where(url, html, asking=asking)
    with out.progress("Reading pages") as progress:
        proposal = propose(url, html, work.now(), progress)
    answers = Answers(name, short_name, language, kind, stage, cast("Style | None", style))
    if asking:
        answers = _ask(proposal, answers)
    text = site_file_text(proposal, path, answers)
    locks = work.locks(path)
    with locks.writing(), locks.editing():
        write_site_file(path, text, proposal, replace=replace)
    _tell(out, proposal, html, path)
    return 0


def _tell(out: Output, proposal: Proposal, html: Path, path: Path) -> None:
    from jovial_atlas.faults import plural

    out.say(f"Read {plural(proposal.pages, 'page')} in {html} and wrote {path}.")
    for section in proposal.sections:
        out.say(f"  section {section.name:<20} {section.match:<28} {plural(section.pages, 'page')}")
    if proposal.robots:
        out.say(f"{html / 'robots.txt'} is taken over into [robots].")
    for note in proposal.notes:
        out.warn(note)
    out.say("Next: jovial-atlas survey")


def _where(url: str | None, html: Path | None, *, asking: bool) -> tuple[str, Path]:
    """The site's address and the folder of its pages, asked for where they are not given."""
    if asking and not sys.stdin.isatty():
        raise click.UsageError(
            "There is no terminal to ask questions on. Give --yes with --url and --html."
        )
    if asking:
        url = url or click.prompt(
            "Address of the public site", default="https://www.marrowfen.example"
        )
        html = html or Path(click.prompt("Folder of built HTML pages", default="public"))
    if not url or not html:
        missing = " and ".join(n for n, v in (("--url", url), ("--html", html)) if not v)
        raise click.UsageError(f"{missing} must be given with --yes.")
    return url, html


def _ask(proposal: Proposal, given: Answers) -> Answers:
    """Ask for what was not given; what was read off the content is the default."""
    name = click.prompt("Name of the site", default=given.name or proposal.name)
    short_name = click.prompt(
        "Shorter name, for the end of titles", default=given.short_name or name
    )
    language = click.prompt("Main language", default=given.language or proposal.language)
    kind = click.prompt(
        "Who stands behind it", type=click.Choice(["organization", "person"]), default=given.kind
    )
    stage = click.prompt(
        "Live, or still a draft that shall stay hidden",
        type=click.Choice(["live", "draft"]),
        default=given.stage,
    )
    return dataclasses.replace(
        given, name=name, short_name="" if short_name == name else short_name, language=language,
        kind=kind, stage=stage,
    )  # fmt: skip
