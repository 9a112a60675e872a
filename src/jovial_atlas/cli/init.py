"""`init`: a first site file, from questions or from options alone; a part of it done again."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from jovial_atlas.cli.common import Work, atlas_command, bundled
from jovial_atlas.cli.init_written import SetUp, first_sitting, read_content, tell, text_of, write
from jovial_atlas.cli.names import AddressStyle
from jovial_atlas.errors import AtlasError

if TYPE_CHECKING:
    from jovial_atlas.rounds.reading.content_records import RowsAsked

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
    "sitemap, a feed, a table, or a database.",
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
@click.option("--addresses", "style", type=AddressStyle(),
              help="How files become addresses: folder, file or plain; or how rows do, as in "
              "/species/{slug}/. Default: read off the content.")  # fmt: skip
@click.option("--table", default="", metavar="NAME",
              help="Which table of a database, or list of a JSON file, has the pages.")  # fmt: skip
@click.option("--smallest-section", type=click.IntRange(min=2),
              help="Pages that a folder needs to be a section; others stay together. "
              "Default: 2.")  # fmt: skip
@click.option("--yes", is_flag=True, help="Ask nothing; take what is given and what is found.")
@click.option("--replace", is_flag=True, help="Write over a site file; the old one is kept.")
@click.option("--only", type=click.Choice(_PARTS),
              help="Ask for one part again, for the site file that there is.")  # fmt: skip
@click.option("--from", "from_", multiple=True, metavar="PLACE",
              help="Bring over what is published: a folder, a live address, a robots.txt, a "
              "sitemap, redirects, a table of texts. May stand several times.")  # fmt: skip
@bundled("said", tuple(_ANSWERS))
@bundled("shape", ("style", "output", "table"))
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
    from_: tuple[str, ...],
) -> int:
    """Write a site file: read the content once, infer name, language, addresses, kinds of page,
    sections and who stands behind the site, and ask about the rest. Answers can be gone back from
    with `<`; a sitting that is left is taken up by the next `init`. A robots.txt that is there is
    taken over."""
    path = work.given or Path("atlas.toml")
    if only:
        from jovial_atlas.cli.init_again import one_part

        return one_part(work, path, only)
    if from_ and path.exists() and not replace:
        from jovial_atlas.cli.init_from import bring_over

        return bring_over(work, path, from_, yes=yes)
    if path.exists() and not replace:
        raise AtlasError(
            f"{path} exists already and is left as it is. Ask for a part of it again with --only, "
            "change it by hand, or run `jovial-atlas init --replace` to write a new one (the old "
            "one is kept beside it)."
        )
    given = {_ANSWERS[name]: str(value) for name, value in said.items() if value}
    _check(given)
    setup = _set_up(url, content, html, given, shape, replace=replace)
    if yes:
        code = _without_questions(work, path, setup)
        return _then(work, path, from_, code, yes=True)
    from jovial_atlas.cli.init_sitting import with_questions

    if not sys.stdin.isatty():
        more = "--yes as well" if content or html else "--yes with --content"
        raise click.UsageError(f"There is no terminal to ask questions on. Give {more}.")
    code = with_questions(work, path, setup)
    return _then(work, path, from_, code, yes=False)


def _set_up(
    url: str | None, content: str | None, html: str | None, given: dict[str, str],
    shape: dict[str, Any], *, replace: bool,
) -> SetUp:  # fmt: skip
    """What options say of a set-up. Raises UsageError, AtlasError."""
    if content and html:
        raise click.UsageError("Give --content or --html, not both.")
    url = _given_address(url) if url else None
    rows = _rows_asked(shape)
    if html and any(rows):
        raise click.UsageError(
            "A folder of HTML has no columns: --addresses is folder, file or plain there, and "
            "--table stands with --content."
        )
    return SetUp(url, content or html, bool(html), given, shape, rows, replace)


def _rows_asked(shape: dict[str, Any]) -> RowsAsked:
    """What options say of records; a style of addresses stays in the shape."""
    from jovial_atlas.rounds.reading.content_records import RowsAsked

    template = shape["style"] if "{" in (shape["style"] or "") else ""
    if template:
        shape["style"] = None
    return RowsAsked(template, shape.pop("table"))


def _then(work: Work, path: Path, places: tuple[str, ...], code: int, *, yes: bool) -> int:
    """After a set-up, bring over what is published."""
    if code or not places or not path.exists():
        return code
    from jovial_atlas.cli.init_from import bring_over

    return bring_over(work, path, places, yes=yes)


def _without_questions(work: Work, path: Path, setup: SetUp) -> int:
    """Take what is given and what is found."""
    from jovial_atlas.rounds.reading.content_place import html_folder, named_origin, recognise
    from jovial_atlas.web import new_client

    url, content = setup.url, setup.content
    if not content:
        raise click.UsageError("--content (or --html) must be given with --yes.")
    with new_client() as client:
        place = html_folder(content) if setup.is_folder else recognise(content, client, setup.rows)
        url = url or place.origin or named_origin(place)
        if not url:
            raise click.UsageError(
                f"The content ({place.what}) does not name the address of the public site. Give it "
                "with --url."
            )
        proposal = read_content(work, url, place, client)
    # Whoever is not asked keeps the titles that there are.
    sitting = first_sitting(proposal, {"head.sign": "none", **setup.given}, setup.shape)
    sitting.take_defaults()
    text = text_of(proposal, path, sitting, setup.shape)
    write(work, path, text, proposal, replace=setup.replace)
    tell(work.output, proposal, sitting, setup.shape, path)
    return 0


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
