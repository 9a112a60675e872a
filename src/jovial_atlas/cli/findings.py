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
    out: Output, findings: list[Finding], looked_at: list[str], show_all: bool
) -> None:
    """Findings for a person: worst first, each kind once with its first places, and the count."""
    from jovial_atlas.faults import plural
    from jovial_atlas.findings.finding import counts
    from jovial_atlas.findings.registry import check_of

    for code, group in groupby(findings, key=lambda one: one.code):
        same_code = list(group)
        check = check_of(code)
        times = f" ({len(same_code):,})" if len(same_code) > 1 else ""
        out.severity(check.severity, f"{check.what}{times}", code)
        shown = same_code if show_all else same_code[:_SHOWN]
        out.indented("", check.why, text_style="dim")
        for one in shown:
            _place(out, one)
        if len(same_code) > len(shown):
            out.indented("", f"… and {len(same_code) - len(shown):,} more; --all shows them")
        out.indented("do:", check.fix, style="green")
        out.say()
    total = counts(findings)
    totals = ", ".join(
        plural(total[s], s, "advice" if s == "advice" else None) for s in SEVERITIES if total[s]
    )
    looked = ", ".join(looked_at[:4]) + (
        f" and {len(looked_at) - 4} more" if len(looked_at) > 4 else ""
    )
    out.say(f"Checked {looked}: {totals or 'nothing found'}.", style="bold")
