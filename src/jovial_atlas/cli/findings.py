"""Findings as people read them, for every command that has some."""

from __future__ import annotations

from itertools import groupby
from typing import TYPE_CHECKING

import click

from jovial_atlas.cli.output import short

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.findings import Finding

SEVERITIES = ("blocker", "error", "warning", "advice")
_SHOWN = 3

#: The option by which a script says what counts as failed.
fail_on_option = click.option(
    "--fail-on",
    type=click.Choice(SEVERITIES),
    default="error",
    show_default=True,
    help="Least severity for exit code 1.",
)


def _place(out: Output, one: Finding) -> None:
    """Where it is and what is the matter, on one line where that fits."""
    where, message = short(one.where), short(one.message, 600)
    if out.fits(f"  - {where}  {message}"):
        out.indented(f"- {where} ", message, style="")
    else:
        out.indented("-", where, style="")
        out.indented("", message, indent=6)


def show_findings(
    out: Output,
    findings: list[Finding],
    looked_at: list[str],
    show_all: bool,
    *,
    brief: bool = False,
) -> None:
    """Findings for a person: worst first, each kind once with its first places, or `brief` with
    how many there are of it; and the count."""
    from jovial_atlas.findings.registry import check_of

    for code, group in groupby(findings, key=lambda one: one.code):
        same_code = list(group)
        check = check_of(code)
        times = f" ({len(same_code):,})" if len(same_code) > 1 else ""
        out.severity(check.severity, f"{check.what}{times}", code)
        if not brief:
            _places(out, same_code, show_all)
            out.indented("do:", check.fix, style="green")
            out.say()
    looked = ", ".join(looked_at[:4]) + (
        f" and {len(looked_at) - 4} more" if len(looked_at) > 4 else ""
    )
    out.say(f"Checked {looked}: {_totals(findings) or 'nothing found'}.", style="bold")


def _places(out: Output, same_code: list[Finding], show_all: bool) -> None:
    from jovial_atlas.findings.registry import check_of

    shown = same_code if show_all else same_code[:_SHOWN]
    out.indented("", check_of(same_code[0].code).why, text_style="dim")
    for one in shown:
        _place(out, one)
    if len(same_code) > len(shown):
        out.indented("", f"… and {len(same_code) - len(shown):,} more; --all shows them")


def _totals(findings: list[Finding]) -> str:
    from jovial_atlas.faults import plural
    from jovial_atlas.findings.finding import counts

    total = counts(findings)
    return ", ".join(
        plural(total[s], s, "advice" if s == "advice" else None) for s in SEVERITIES if total[s]
    )
