"""`check`: findings about the build, or any file, folder or address."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import partial
from typing import TYPE_CHECKING, Any

import click

from jovial_atlas.cli.common import TABLE_FORMATS, Work, atlas_command, bundled
from jovial_atlas.cli.findings import SEVERITIES, FindingsShown, fail_on_option, give_findings
from jovial_atlas.cli.names import FINDING_CODE
from jovial_atlas.values import asdict

if TYPE_CHECKING:
    from jovial_atlas.checks.live import Estimate
    from jovial_atlas.rounds.proving.check import Checked
    from jovial_atlas.rounds.proving.live import Live
    from jovial_atlas.web import Client


@atlas_command(
    "check",
    many=True,
    fails="findings at or above --fail-on",
    state="reads",
    formats=(*TABLE_FORMATS, "sarif", "junit"),
    examples=(
        "check sitemap.xml --as https://www.marrowfen.example/sitemap.xml",
        "check --fail-on warning --format sarif",
    ),
)
@click.argument("targets", nargs=-1, metavar="[TARGET]...")
@click.option("--as", "served_as", metavar="URL", help="Address under which TARGET is served.")
@fail_on_option
@click.option(
    "--live",
    is_flag=True,
    help="Ask the server for every listed address and picture as well.",
)
@click.option(
    "--server",
    metavar="ORIGIN",
    help="With --live: server that answers for the site, while it is not at its address yet.",
)
@click.option(
    "--sample",
    type=click.IntRange(1),
    metavar="N",
    help="With --live: ask for N addresses chosen at random, and estimate the rest.",
)
@click.option(
    "--per-second",
    type=click.FloatRange(0.01, 1000),
    default=20.0,
    show_default=True,
    help="With --live: requests a second, at most.",
)
@click.option(
    "--resume", is_flag=True, help="With --live: take up a run of the last 24 hours that broke off."
)
@click.option(
    "--variants",
    is_flag=True,
    help="With --live: ask for other spellings of addresses too; each must lead on in one hop.",
)
@click.option("--only", "codes", type=FINDING_CODE, multiple=True,
              help="Only findings of this code; may be given more than once.")  # fmt: skip
@click.option("--all", "show_all", is_flag=True, help="Show every place, not the first few.")
@click.option("--brief", is_flag=True, help="Show each kind of finding on a line, and how many.")
@click.option(
    "--timeout", type=click.FloatRange(0.1, 600), default=10.0, show_default=True,
    help="Seconds to wait for a server.",
)  # fmt: skip
@bundled("asked", ("server", "sample", "per_second", "resume", "variants"))
def command(
    work: Work,
    targets: tuple[str, ...],
    served_as: str | None,
    fail_on: str,
    live: bool,
    asked: dict[str, Any],
    codes: tuple[str, ...],
    show_all: bool,
    brief: bool,
    timeout: float,
) -> int:
    """Check the build of the site against the protocols and against itself; or check any
    sitemap, robots.txt, folder or address."""
    from jovial_atlas.findings.finding import at_or_above
    from jovial_atlas.rounds.proving.live import Live
    from jovial_atlas.web import new_client

    if served_as and len(targets) != 1:
        raise click.UsageError("--as says where one TARGET is served; give exactly one.")
    if brief and show_all:
        raise click.UsageError("--brief shows no places, --all shows every one; give one of them.")
    server, sample, resume = asked["server"], asked["sample"], asked["resume"]
    wants = server or sample or resume or asked["variants"]
    origin = _origin(server, live=live or not wants)
    _known_codes(codes)
    out = work.output
    doing = "asking the server" if live else "checking"
    with new_client(timeout) as client, out.progress(doing) as progress:
        pace, variants = asked["per_second"], asked["variants"]
        how = Live(client, origin, sample, resume, pace, progress=progress, variants=variants)
        checked = _checked(work, targets, served_as, how if live else None, client)
    findings = [one for one in checked.findings if not codes or one.code in codes]
    findings.sort(key=lambda finding: SEVERITIES.index(finding.severity))
    also: dict[str, Any] = {"live": asdict(checked.live)} if checked.live else {}
    if checked.pages:
        also["pages"] = [{"target": name, "says": told} for name, told in checked.pages.items()]
    for name, told in checked.pages.items() if out.is_table else ():
        out.say(name, style="bold")
        for line in told:
            key, _, text = line.partition(": ")
            out.indented(f"{key:<10}", text)
        out.say()
    shown = FindingsShown(fail_on, show_all, brief)
    give_findings(out, findings, checked.looked_at, shown, also)
    if checked.live and out.is_table:
        out.say(_estimated(checked.live))
    return 1 if at_or_above(findings, fail_on) else 0


def _checked(
    work: Work, targets: Sequence[str], served_as: str | None, live: Live | None, client: Client
) -> Checked:
    """What was found in the build, or in the targets."""
    from jovial_atlas.rounds.proving.check import Checked, check_site, check_target

    if not targets:
        return check_site(work.site(), work.now(), live, partial(work.apart, alone=True))
    site = work.site_if_any()
    all_of_them = [
        check_target(one, work.now(), client, served_as=served_as, site=site, live=live)
        for one in targets
    ]
    seen = [one.live for one in all_of_them if one.live]
    return Checked(
        [name for one in all_of_them for name in one.looked_at],
        [finding for one in all_of_them for finding in one.findings],
        seen[-1] if seen else None,
        {name: told for one in all_of_them for name, told in one.pages.items()},
    )


def _origin(server: str | None, *, live: bool) -> str | None:
    """The server that is asked in place of the site's own, None for that one."""
    if not live:
        raise click.UsageError("--server, --sample, --resume and --variants belong to --live.")
    if server and not server.startswith(("http://", "https://")):
        raise click.UsageError("--server is the beginning of an address: http://127.0.0.1:8800")
    return server.rstrip("/") if server else None


def _known_codes(codes: tuple[str, ...]) -> None:
    """Refuse a code that no check has, with the nearest that one has."""
    from jovial_atlas.faults import nearest
    from jovial_atlas.findings.registry import CHECKS, all_checks

    for code in codes:
        if code not in CHECKS and code not in all_checks():
            best = nearest(code, all_checks(), 50)
            meant = f" Did you mean {best!r}?" if best else ""
            raise click.UsageError(f"--only: there is no check {code!r}.{meant}")


def _estimated(seen: Estimate) -> str:
    """What a look at some addresses says of all of them."""
    share = seen.faulty / seen.asked if seen.asked else 0.0
    if seen.asked >= seen.of:
        return f"Asked for all {seen.of:,} addresses and pictures: {seen.faulty:,} with a fault."
    low, high = seen.low * seen.of, seen.high * seen.of
    return (
        f"Asked for {seen.asked:,} of {seen.of:,} addresses and pictures: {seen.faulty:,} with a "
        f"fault ({share:.1%}). Of all of them that is {seen.low:.1%} to {seen.high:.1%} with 95 % "
        f"confidence, or {math.floor(low):,} to {math.ceil(high):,}."
    )
