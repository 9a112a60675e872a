"""`check`: findings about the build, or any file, folder or address."""

from __future__ import annotations

from dataclasses import asdict
from itertools import groupby
from typing import TYPE_CHECKING

import click

from jovial_atlas.cli.common import TABLE_FORMATS, Work, atlas_command
from jovial_atlas.cli.output import short

if TYPE_CHECKING:
    from jovial_atlas.checks import Finding
    from jovial_atlas.cli.output import Output

_SHOWN = 3
_SEVERITIES = ("blocker", "error", "warning", "advice")


@atlas_command(
    "check",
    formats=TABLE_FORMATS,
    epilog="Example: jovial-atlas check sitemap.xml --as https://www.marrowfen.example/sitemap.xml",
)
@click.argument("targets", nargs=-1, metavar="[TARGET]...")
@click.option("--as", "served_as", metavar="URL", help="Address under which TARGET is served.")
@click.option(
    "--fail-on",
    type=click.Choice(_SEVERITIES),
    default="error",
    show_default=True,
    help="Least severity for exit code 1.",
)
@click.option("--all", "show_all", is_flag=True, help="Show every place, not the first few.")
@click.option(
    "--timeout", type=click.FloatRange(0.1, 600), default=10.0, show_default=True,
    help="Seconds to wait for a server.",
)  # fmt: skip
def command(
    work: Work,
    targets: tuple[str, ...],
    served_as: str | None,
    fail_on: str,
    show_all: bool,
    timeout: float,
) -> int:
    """Check the build of the site against the protocols and against itself; or check any
    sitemap, robots.txt, folder or address."""
    from jovial_atlas.checks.findings import at_or_above, counts
    from jovial_atlas.errors import SiteFileError
    from jovial_atlas.rounds.check import check_site, check_target

    if served_as and len(targets) != 1:
        raise click.UsageError("--as says where one TARGET is served; give exactly one.")
    out = work.output
    findings: list[Finding] = []
    looked_at: list[str] = []
    if targets:
        from jovial_atlas.web import new_client

        site = None
        try:
            site = work.site()
        except SiteFileError:
            if work.given:
                raise
        with new_client(timeout) as client:
            for target in targets:
                checked = check_target(target, work.now(), client, served_as=served_as, site=site)
                findings += checked.findings
                looked_at += checked.looked_at
    else:
        checked = check_site(work.site(), work.now())
        findings, looked_at = checked.findings, checked.looked_at
    findings.sort(key=lambda finding: _SEVERITIES.index(finding.severity))
    if out.format == "json":
        out.json({"findings": [asdict(one) for one in findings], "counts": counts(findings)})
    elif out.format == "csv":
        fields = ("severity", "code", "where", "message", "fix")
        out.csv(fields, [[getattr(one, name) for name in fields] for one in findings])
    else:
        _show(out, findings, looked_at, show_all)
    return 1 if at_or_above(findings, fail_on) else 0


def _place(out: Output, one: Finding) -> None:
    """Where it is and what is the matter, on one line where that fits."""
    where, message = short(one.where), short(one.message, 600)
    if out.fits(f"  - {where}  {message}"):
        out.indented(f"- {where} ", message, style="")
    else:
        out.indented("-", where, style="")
        out.indented("", message, indent=6)


def _show(out: Output, findings: list[Finding], looked_at: list[str], show_all: bool) -> None:
    from jovial_atlas.checks.findings import counts
    from jovial_atlas.checks.registry import CHECKS
    from jovial_atlas.faults import plural

    for code, group in groupby(findings, key=lambda one: one.code):
        found = list(group)
        check = CHECKS[code]
        times = f" ({len(found):,})" if len(found) > 1 else ""
        out.severity(check.severity, f"{check.what}{times}", code)
        shown = found if show_all else found[:_SHOWN]
        out.indented("", check.why, text_style="dim")
        for one in shown:
            _place(out, one)
        if len(found) > len(shown):
            out.indented("", f"… and {len(found) - len(shown):,} more; --all shows them")
        out.indented("do:", check.fix, style="green")
        out.say()
    total = counts(findings)
    said = ", ".join(
        plural(total[s], s, "advice" if s == "advice" else None) for s in _SEVERITIES if total[s]
    )
    looked = ", ".join(looked_at[:4]) + (
        f" and {len(looked_at) - 4} more" if len(looked_at) > 4 else ""
    )
    out.say(f"Checked {looked}: {said or 'nothing found'}.", style="bold")
