"""`preview`: how pages read as search results and as shared cards."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from jovial_atlas.cli.common import FORMATS, Work, atlas_command
from jovial_atlas.cli.names import PAGE_NAME, SECTION
from jovial_atlas.values import asdict

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.head.preview import Preview


@atlas_command("preview", state="reads", formats=FORMATS,
               examples=("preview / --to home.png", "preview /events/owl-walk/"))  # fmt: skip
@click.argument("urls", type=PAGE_NAME, nargs=-1, metavar="[URL]…")
@click.option("--section", type=SECTION, help="Pages of this section.")
@click.option("--match", metavar="PATTERN", help="Addresses like this: /events/**")
@click.option("--limit", type=click.IntRange(1), default=10, show_default=True,
              help="At most this many.")  # fmt: skip
@click.option("--to", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE",
              help="Draw them, as a picture (.png) or a page (.html).")  # fmt: skip
def command(
    work: Work,
    urls: tuple[str, ...],
    section: str | None,
    match: str | None,
    limit: int,
    to: Path | None,
) -> int:
    """Show how pages read as search results, on wide and narrow screens, and as shared cards: what
    is cut, how long each text is, and where it comes from. Give addresses, or paths from '/'
    on; without any, the pages that --section and --match choose."""
    from jovial_atlas.faults import plural
    from jovial_atlas.rounds.deciding.pages import Filters, select_pages
    from jovial_atlas.rounds.publishing.preview import chosen, draw, previews
    from jovial_atlas.rounds.state.last_survey import last_survey

    site, out = work.site(), work.output
    survey = last_survey(site, work.now())
    if urls:
        pages = chosen(urls, survey)
    else:
        shown = survey.table.filter("index")
        some = select_pages(shown, site, Filters(section, match=match)).head(limit)
        pages = some.collect(engine="streaming")
    if to:
        count = draw(pages, survey, to)
        out.note(f"{plural(count, 'page')} drawn on {to}.")
        return 0
    previewed = list(previews(pages, survey))
    if out.format == "json":
        out.json({"previews": [asdict(one) for one in previewed]})
    else:
        for one in previewed:
            _show(out, one)
        out.say(f"{plural(len(previewed), 'page')}.")
    return 0


def _show(out: Output, shown_page: Preview) -> None:
    from jovial_atlas.rounds.publishing.preview import notes_of

    results, shared = notes_of(shown_page)
    out.say(shown_page.loc, style="bold")
    if shown_page.hidden:
        out.say(f"It may not be found: {shown_page.hidden}.", style="bold yellow")
    for name, result, width in (
        ("As a result, wide screen", shown_page.wide, 92),
        ("As a result, narrow screen", shown_page.narrow, 52),
    ):
        lines = [
            (result.trail, "dim"), (result.title.shown or "no title", "bold cyan"),
            (result.description.shown or "no description", ""),
        ]  # fmt: skip
        out.framed(name, lines, width)
    for note in results:
        out.indented("", note.text, text_style="yellow" if note.warn else "dim")
    lines = [
        (shown_page.host, "dim"),
        (shown_page.card_title, "bold"),
        (shown_page.card_text or "no text", ""),
    ]
    out.framed("Shared as a card", lines, 72)
    for note in shared:
        out.indented("", note.text, text_style="yellow" if note.warn else "dim")
    out.say()
