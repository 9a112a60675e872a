"""Findings as people read them, for every command that has some."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import groupby
from typing import TYPE_CHECKING, Any

import click
import msgspec

from jovial_atlas import __version__
from jovial_atlas.cli.output import short
from jovial_atlas.values import asdict

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


class FindingsShown(msgspec.Struct, frozen=True):
    """How findings are shown: the least severity that counts as failed, whether every place, or
    only how many there are of a kind; `about` is what pipelines call such a run."""

    fail_on: str
    show_all: bool = False
    brief: bool = False
    about: str = "check"


def give_findings(
    out: Output,
    findings: list[Finding],
    looked_at: list[str],
    shown: FindingsShown,
    also: Mapping[str, Any],
) -> None:
    """Findings in the format asked for; in JSON with what there is `also`."""
    from jovial_atlas.findings import exports
    from jovial_atlas.findings.finding import counts

    if out.format == "json":
        told = [asdict(one) for one in findings]
        out.json({"findings": told, "counts": counts(findings), **also})
    elif out.format == "sarif":
        out.json(exports.sarif(findings, __version__))
    elif out.format == "junit":
        out.exact(exports.junit(findings, looked_at, shown.fail_on, shown.about).decode())
    elif out.format == "csv":
        fields = ("severity", "code", "where", "message", "fix")
        out.csv(fields, [[getattr(one, name) for name in fields] for one in findings])
    else:
        show_findings(out, findings, looked_at, shown.show_all, brief=shown.brief)


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
