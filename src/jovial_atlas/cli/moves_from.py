"""`moves import` and `moves missing`: moves from the server's configuration, tables and sitemaps;
and from what is asked for in vain."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from jovial_atlas.cli.common import FORMATS, TABLE_FORMATS, Work, atlas_command
from jovial_atlas.cli.moves_shown import give_change, short_old, show_missing
from jovial_atlas.values import replace

if TYPE_CHECKING:
    from collections.abc import Sequence

    from jovial_atlas.cli.output import Output
    from jovial_atlas.rounds.deciding.moves_import import ImportedMoves
    from jovial_atlas.rounds.state.last_survey import LastSurvey
    from jovial_atlas.rounds.telling.moves_missing import MissingAddress, MissingRead

_files = click.argument(
    "files", nargs=-1, required=True, metavar="FILE…",
    type=click.Path(path_type=Path, dir_okay=False, exists=True, allow_dash=True),
)  # fmt: skip
_yes = click.option("--yes", is_flag=True, help="Save without asking.")
#: Lines that are not taken, which are shown unless all are asked for.
_MOST_UNREAD = 20


@atlas_command(
    "import",
    state="edits",
    formats=FORMATS,
    examples=(
        "moves import /etc/nginx/conf.d/redirects.conf",
        "moves import old-addresses.csv",
    ),
)
@_files
@click.option("--as", "form", type=click.Choice(("nginx", "apache", "table", "sitemap")),
              help="What the files are. Default: as they look.")  # fmt: skip
@click.option("--all", "show_all", is_flag=True, help="Show every line that is not taken.")
@_yes
def import_(
    work: Work, files: tuple[Path, ...], form: str | None, show_all: bool, yes: bool
) -> int:
    """Take over the moves that a site has: from the configuration of nginx or Apache, as far as its
    meaning is certain, from a table (old, new, status), or from an old sitemap, for whose addresses
    moves are then proposed. Every line that is not taken is named."""
    from jovial_atlas.rounds.deciding.moves_import import import_moves, keep_addresses

    site, out = work.site(), work.output
    read = import_moves(site, files, form, work.now())
    if out.is_table:
        _show_unread(out, read, show_all=show_all)
    if read.went:
        went = keep_addresses(site, read.went, work.now())
        out.note(f"{len(read.went):,} addresses of sitemaps, of which {went:,} have no page now; "
                 "`jovial-atlas moves` proposes where they lead.")  # fmt: skip
        if not read.moves and out.is_table:
            return 0
    also = {
        "known": read.known,
        "not_taken": [{"file": name, "line": one.line, "text": one.text, "why": one.why}
                      for name, one in read.unread],
    }  # fmt: skip
    return give_change(work, site, read.moves, yes or None, also)


def _show_unread(out: Output, read: ImportedMoves, *, show_all: bool) -> None:
    from jovial_atlas.faults import plural

    if read.unread:
        out.say(f"{plural(len(read.unread), 'line')} not taken:", style="bold")
    shown = read.unread if show_all else read.unread[:_MOST_UNREAD]
    for name, one in shown:
        out.indented("-", f"{name}:{one.line}: {one.text}", style="yellow")
        out.indented("", one.why, indent=4)
    if len(shown) < len(read.unread):
        out.indented("", f"… and {len(read.unread) - len(shown):,} more; --all shows them")
    if read.known:
        what = plural(read.known, "move is", "moves are")
        out.say(f"{what} in the table already.")


@atlas_command(
    "missing",
    state="edits",
    formats=TABLE_FORMATS,
    examples=(
        "moves missing --log /var/log/nginx/access.log",
        "moves missing --log access.log --take 0.9",
    ),
)
@click.argument("more", nargs=-1, metavar="[FILE]…",
                type=click.Path(path_type=Path, dir_okay=False, exists=True))  # fmt: skip
@click.option("--log", "files", multiple=True, required=True, metavar="FILE",
              type=click.Path(path_type=Path, dir_okay=False, exists=True, allow_dash=True),
              help="A server's log, plain or gzipped, or - ; more may follow.")  # fmt: skip
@click.option("--take", "which", multiple=True, metavar="NUMBER|all",
              help="Take these into the table of moves, as in --take 1 --take 4-9.")  # fmt: skip
@click.option("--sure", type=click.FloatRange(0, 1), metavar="P",
              help="With --take: only those that are at least so sure.")  # fmt: skip
@click.option("--all", "show_all", is_flag=True, help="Show every address, not the first twenty.")
@click.option(
    "--dry-run", is_flag=True, help="Do not note in the table which moves were asked for."
)
@_yes
def missing(
    work: Work,
    more: tuple[Path, ...],
    files: tuple[Path, ...],
    which: tuple[str, ...],
    sure: float | None,
    show_all: bool,
    dry_run: bool,
    yes: bool,
) -> int:
    """Read server logs for addresses that were asked for in vain, by people and by crawlers, with
    the page that was likely meant. What strangers try on every server is set apart. How often the
    moves of the table were asked for is noted in it."""
    from jovial_atlas.rounds.state.last_survey import last_survey
    from jovial_atlas.rounds.telling.moves_missing import read_missing

    survey = last_survey(work.site(), work.now())
    read = read_missing(survey, [*files, *more])
    for sentence in read.odd:
        work.output.warn(sentence)
    if read.asked and not dry_run:
        _note_asked(survey, read)
    if which:
        return _take(work, survey, read, which, sure, yes)
    out = work.output
    if out.format == "json":
        out.json({"missing": [_as_json(one) for one in read.missing], "probes": read.probes,
                  "by_themselves": read.by_themselves, "decided": read.decided,
                  "asked": [{"from": short_old(one.old, survey.site.urls[0]), "hits": one.hits,
                             "last_hit": one.last_hit} for one in read.asked]})  # fmt: skip
    elif out.format == "csv":
        fields = ("number", "path", "hits", "people", "crawlers", "first", "last", "from",
                  "target", "sure", "why")  # fmt: skip
        rows = [(one.number, one.path, one.hits, one.people, one.crawlers, one.first, one.last,
                 " ".join(one.referers), one.target, one.sure, one.why)
                for one in read.missing]  # fmt: skip
        out.csv(fields, rows)
    else:
        show_missing(out, read, survey.site.urls[0], show_all=show_all)
    return 0


def _as_json(one: MissingAddress) -> dict[str, object]:
    return {
        "number": one.number, "path": one.path, "hits": one.hits, "people": one.people,
        "crawlers": one.crawlers, "first": one.first, "last": one.last,
        "from": list(one.referers), "target": one.target or None, "sure": one.sure,
        "why": one.why,
    }  # fmt: skip


def _note_asked(survey: LastSurvey, read: MissingRead) -> None:
    from jovial_atlas.rounds.deciding.moves import write_moves

    asked = {one.old: one for one in read.asked}
    write_moves(survey.site, [asked.get(one.old, one) for one in survey.site.moves])


def _take(
    work: Work,
    survey: LastSurvey,
    read: MissingRead,
    which: Sequence[str],
    sure: float | None,
    yes: bool,
) -> int:
    from jovial_atlas import dates
    from jovial_atlas.rounds.deciding.moves import chosen_numbers, move_by_hand
    from jovial_atlas.sitefile import read_site_file

    chosen = read.missing if "all" in which else chosen_numbers(read.missing, which)
    site = read_site_file(survey.site.path)  # what was noted stands in it now
    today = dates.write(work.now())[:10]
    moves = [
        replace(
            move_by_hand(site, one.path, one.target, 301, "", one.why, today), taken_from="logs"
        )
        for one in chosen
        if one.target and (sure is None or one.sure >= sure)
    ]
    if len(moves) < len(chosen) and work.output.is_table:
        left = len(chosen) - len(moves)
        work.output.note(f"{left:,} of them have no page that is sure enough to lead to.")
    return give_change(work, site, moves, yes or None, {})
