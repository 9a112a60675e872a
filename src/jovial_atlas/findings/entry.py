"""What a check is: one entry of the registry."""

from __future__ import annotations

from dataclasses import dataclass

#: Severities, the worst first.
LEVELS = ("blocker", "error", "warning", "advice")


@dataclass(frozen=True, slots=True)
class Check:
    """One check. `what` is a heading for its findings, `fix` the next step."""

    code: str
    severity: str
    what: str
    why: str
    fix: str
