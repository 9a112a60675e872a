"""Rounds that nobody watched, as the report shows them: what each came to, and what needs
somebody."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from jovial_atlas.records import OpenNotice, TendedRound
from jovial_atlas.report.values import Table

#: Rounds that are shown.
SHOWN_ROUNDS = 30


def round_tables(
    rounds: Sequence[TendedRound], notices: Sequence[OpenNotice]
) -> Iterator[Table]:
    """What needs a person now, and the latest rounds; nothing for a site that nobody tends."""
    if notices:
        yield Table(
            "What needs somebody", "Found by rounds that nobody watched; the oldest first.",
            ("Since (UTC)", "Severity", "What it is"),
            [(_when(one.at), one.severity, one.message) for one in notices],
        )  # fmt: skip
    if rounds:
        yield Table(
            "The latest rounds",
            "The command jovial-atlas tend log N shows one of them step by step.",
            ("Round", "When (UTC)", "How it ended", "What changed", "Announced", "Seconds",
             "Longest step"),
            [_row(one) for one in rounds],
            (4, 5),
        )  # fmt: skip


def _row(one: TendedRound) -> tuple[str, ...]:
    longest = max(one.steps, key=lambda step: step.seconds, default=None)
    return (
        str(one.number), _when(one.at), one.state, one.in_short, f"{one.announced:,}",
        f"{one.seconds:.1f}", f"{longest.name}, {longest.seconds:.1f} s" if longest else "–",
    )  # fmt: skip


def _when(at: str) -> str:
    return at[:16].replace("T", " ")
