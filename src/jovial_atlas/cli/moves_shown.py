"""How moves are shown."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING, Any

import click

from jovial_atlas.cli.stake import may_save, say_stake, stake_as_json
from jovial_atlas.values import asdict

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from jovial_atlas.cli.common import Work
    from jovial_atlas.cli.output import Output
    from jovial_atlas.findings import Finding
    from jovial_atlas.moves.move import Move
    from jovial_atlas.rounds.deciding.moves import NumberedMove, TableChange
    from jovial_atlas.rounds.publishing.moves import Followed
    from jovial_atlas.rounds.telling.moves_missing import MissingRead
    from jovial_atlas.sitefile import SiteFile

_FIELDS = (
    "number", "from", "to", "status", "state", "sure", "why", "covers", "hits", "last_hit",
)  # fmt: skip
#: So many of a kind are shown unless all are asked for.
_MOST_SINGLE, _MOST_GONE, _MOST_TAKEN = 12, 5, 10


def short_old(address: str, url: str) -> str:
    """An address as a path, where it is on the main host; the root of the site stays whole."""
    if address.startswith((f"{url}/", f"{url}^")):
        return address[len(url) :]
    return address


def as_json(moves: Sequence[NumberedMove], findings: Sequence[Finding], url: str) -> dict[str, Any]:
    """Moves and what is wrong with them, as JSON has them."""
    told = [dict(zip(_FIELDS, _row(one, url), strict=True)) for one in moves]
    return {"moves": told, "problems": [asdict(one) for one in findings]}


def csv_rows(
    moves: Sequence[NumberedMove], url: str
) -> tuple[tuple[str, ...], list[tuple[Any, ...]]]:
    """Header and rows."""
    return _FIELDS, [_row(one, url) for one in moves]


def _row(one: NumberedMove, url: str) -> tuple[Any, ...]:
    return (
        one.number, short_old(one.old, url), short_old(one.to, url) or None, one.status or None,
        one.state, one.sure, one.why, one.covers, one.hits, one.last_hit or None,
    )  # fmt: skip


def show_moves(
    out: Output,
    moves: Sequence[NumberedMove],
    findings: Sequence[Finding],
    url: str,
    *,
    sent: Sequence[NumberedMove],
    show_all: bool,
) -> None:
    """All moves for a person: what is proposed, what stands in the table, how many pages the site
    file sends on besides, what is wrong."""
    from jovial_atlas.cli.findings import show_findings
    from jovial_atlas.faults import plural

    proposed = [one for one in moves if one.state == "proposed"]
    table = [one for one in moves if one.state != "proposed"]
    if proposed:
        _show_proposed(out, proposed, url, show_all=show_all)
    if proposed and table:
        out.say()
    if table:
        _show_table(out, table, url, show_all=show_all)
    for one in sent if show_all else ():
        leads = f"{short_old(one.old, url)} → {short_old(one.to, url)}"
        out.indented(f"{one.number:>3}.", leads, style="cyan")
    if sent:
        what = plural(len(sent), "page is", "pages are")
        out.say(f"{what} sent on by rules and policies of the site file besides.")
    if findings:
        out.say()
        show_findings(out, list(findings), [plural(len(table), "move")], show_all)
    if not moves:
        out.say("No page went since the first survey, and nothing was moved by hand.")
    if proposed:
        first = proposed[0].number
        out.note(f"To take them: jovial-atlas moves take {first}, or take --sure 0.9; to leave one "
                 f"as it is: moves refuse {first}. Nobody is sent on before.")  # fmt: skip


def _show_proposed(
    out: Output, proposed: Sequence[NumberedMove], url: str, *, show_all: bool
) -> None:
    from jovial_atlas.faults import plural

    leading = [one for one in proposed if one.to]
    if leading:
        out.say("Proposed: these pages went, and nobody has decided where they lead.", style="bold")
    shown = leading if show_all else leading[:_MOST_SINGLE]
    for one in shown:
        many = f"{plural(one.covers, 'page')}, " if one.some else ""
        out.indented(f"{one.number:>3}.", f"{short_old(one.old, url)} → {short_old(one.to, url)}",
                     style="cyan", text_style="bold")  # fmt: skip
        out.indented("", f"{many}{one.sure:.0%} sure: {one.why}", indent=7)
        if one.some:
            some = ", ".join(short_old(old, url) for old in one.some)
            out.indented("", some, indent=7, text_style="dim")
    if len(shown) < len(leading):
        out.indented("", f"… and {len(leading) - len(shown):,} more; --all shows them", indent=7)
    gone = [one for one in proposed if not one.to]
    if not gone:
        return
    if leading:
        out.say()
    what = plural(len(gone), "page")
    out.say(f"Gone, it seems: {what}. Where that is taken, servers answer 410.",
            style="bold")  # fmt: skip
    for one in gone if show_all else gone[:_MOST_GONE]:
        hint = one.why.partition("; ")[2].replace(url, "")
        told = f"{short_old(one.old, url)} ({hint})" if hint else short_old(one.old, url)
        out.indented(f"{one.number:>3}.", told, style="cyan")
    if not show_all and len(gone) > _MOST_GONE:
        first, last = gone[_MOST_GONE].number, gone[-1].number
        more = f"… and {len(gone) - _MOST_GONE:,} more ({first}-{last}); --all shows them"
        out.indented("", more, indent=7)


def _show_table(out: Output, table: Sequence[NumberedMove], url: str, *, show_all: bool) -> None:
    from jovial_atlas.faults import plural

    refused = sum(one.state == "refused" for one in table)
    also = f", {refused:,} of them refused" if refused else ""
    out.say(f"In the table: {plural(len(table), 'row')}{also}.", style="bold")
    shown = table if show_all else table[-_MOST_TAKEN:]
    out.table(
        ["No.: right", "From: address", "To: address", "Status: right",
         "Asked: right 1", "Last: left 2"],
        [
            [one.number, short_old(one.old, url), short_old(one.to, url), one.status or "refused",
             one.hits or None, one.last_hit[:10]]
            for one in shown
        ],
    )  # fmt: skip
    if len(shown) < len(table):
        out.indented("", f"… and {len(table) - len(shown):,} before them; --all shows them")


def give_change(
    work: Work, site: SiteFile, added: Sequence[Move], save: bool | None, also: Mapping[str, Any],
    *, accepts: bool = True,
) -> int:  # fmt: skip
    """Show what is done to the table of moves, and do it where that is wanted (None: ask on a
    terminal); in JSON with what there is `also`. Where not all is accepted, it is asked about what
    is at stake."""
    from jovial_atlas.rounds.deciding.moves import change_of, write_change
    from jovial_atlas.rounds.state.stake import moved_at_stake

    out = work.output
    change = change_of(site, added)
    stake = moved_at_stake(site, change.added)
    if out.is_table:
        show_change(out, change, site)
        say_stake(out, stake, site.urls[0])
    how = "Nothing was saved." if save is False else "Nothing was saved; --yes saves it."
    if added and save is None and out.is_table and sys.stdin.isatty() and sys.stdout.isatty():
        save = click.confirm("Save this?", default=False)
    saved = bool(save and added)
    if saved and not accepts:
        # What went already loses nothing by being led on.
        saved = may_save(moved_at_stake(site, change.added, alive=True), site, accepts=False)
    if saved:
        write_change(site, change)
    if out.format == "json":
        told = [{"from": short_old(one.old, site.urls[0]), "to": one.to or None,
                 "status": one.status or None} for one in change.added]  # fmt: skip
        dropped = [short_old(one.old, site.urls[0]) for one in change.dropped]
        out.json({"moves": told, "dropped": dropped, "at_stake": stake_as_json(stake),
                  "saved": saved, **also})  # fmt: skip
    elif added:
        table = site.model.moves.file
        out.say(f"Saved in {table}; `jovial-atlas build` writes it for servers." if saved
                else how, style="bold")  # fmt: skip
    return 0


def show_change(out: Output, change: TableChange, site: SiteFile) -> None:
    """What is done to the table of moves."""
    from jovial_atlas.faults import plural

    url = site.urls[0]
    for one in change.added[:30]:
        leads = "stays not found" if one.is_refused else "is gone (410)"
        leads = f"→ {short_old(one.to, url)} ({one.status})" if one.to else leads
        out.indented("+", f"{short_old(one.old, url)} {leads}", style="green")
    if len(change.added) > 30:
        out.indented("", f"… and {len(change.added) - 30:,} more")
    for one in change.dropped[:30]:
        where = short_old(one.to, url) or "nowhere"
        out.indented("-", f"{short_old(one.old, url)} → {where}", style="red")
    if change.dropped:
        what = plural(len(change.dropped), "row")
        out.say(f"{what} of the table would contradict, or lead back, and goes.")
    if not change.added:
        out.say("There is nothing to take.")


def show_followed(out: Output, followed: Sequence[Followed], url: str) -> None:
    """Where addresses lead."""
    for one in followed:
        answer = (
            one.words if one.status is None else f"{one.status} {short_old(one.to, url)}".rstrip()
        )
        out.say(f"{short_old(one.address, url)} → {answer}", style="bold")
        for row in one.by:
            out.indented("by", row)


#: Addresses that are shown unless all are asked for.
_MOST_MISSING = 20


def show_missing(out: Output, read: MissingRead, url: str, *, show_all: bool) -> None:
    """What was asked for in vain."""
    from jovial_atlas.faults import plural

    shown = read.missing if show_all else read.missing[:_MOST_MISSING]
    for one in shown:
        leads = f" → {short_old(one.target, url)}" if one.target else ""
        out.indented(f"{one.number:>3}.", f"{one.path}{leads}", style="cyan", text_style="bold")
        sure = f"{one.sure:.0%} sure: {one.why}" if one.target else one.why
        out.indented("", f"{one.people:,} by people, {one.crawlers:,} by crawlers, last on "
                     f"{one.last[:10]}; {sure}", indent=7)  # fmt: skip
        if one.referers:
            out.indented("from", ", ".join(short_old(r, url) for r in one.referers), indent=7,
                         text_style="dim")  # fmt: skip
    if len(shown) < len(read.missing):
        out.indented("", f"… and {len(read.missing) - len(shown):,} more; --all shows them")
    if read.missing:
        out.say()
    count = plural(len(read.missing), "address", "addresses")
    out.say(f"{count} asked for in vain, in {plural(read.lines, 'line')}.", style="bold")
    _show_apart(out, read)
    if leading := [one for one in read.missing if one.target]:
        out.note(f"To take them: the same command with --take {leading[0].number}, or --take all "
                 "--sure 0.9")  # fmt: skip


def _show_apart(out: Output, read: MissingRead) -> None:
    """What was set apart, and what the table was asked for."""
    from jovial_atlas.faults import plural

    if read.probes:
        paths = plural(read.probes, "address", "addresses")
        out.say(f"Set apart: {paths} that strangers try on every server "
                f"({plural(read.probe_hits, 'request')}).")  # fmt: skip
    if read.by_themselves:
        names = plural(read.by_themselves, "name")
        out.say(f"Set apart: {names} that browsers ask for by themselves, as /favicon.ico.")
    if read.decided:
        out.say(f"{plural(read.decided, 'address', 'addresses')} of the table are gone or refused.")
    if read.unserved:
        what = plural(read.unserved, "address", "addresses")
        out.say(f"{what} with a move answered as not found: build, and give the server its files.")
    if read.asked:
        out.say(f"{plural(len(read.asked), 'row')} of the table asked for since the last count.")
    if read.forgotten:
        out.say(f"{plural(read.forgotten, 'request')} of too many addresses were not looked at.")
