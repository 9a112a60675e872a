"""What a check is: one entry of the registry."""

from __future__ import annotations

from enum import StrEnum

import msgspec


class Severity(StrEnum):
    """How bad a finding is, the worst first."""

    BLOCKER = "blocker"
    ERROR = "error"
    WARNING = "warning"
    ADVICE = "advice"


class Check(msgspec.Struct, frozen=True):
    """One check. `what` is a heading for its findings, `fix` the next step."""

    code: str
    severity: Severity
    what: str
    why: str
    fix: str
