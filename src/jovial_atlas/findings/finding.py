"""Findings: faults with the severity and the remedy that the registry knows."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import msgspec

from jovial_atlas.faults import Fault
from jovial_atlas.findings.entry import Severity
from jovial_atlas.findings.registry import CHECKS, all_checks, check_of

#: Worst first.
SEVERITIES = tuple(Severity)


class Finding(msgspec.Struct, frozen=True):
    """One result of a check, as it is shown and as JSON has it."""

    code: str
    severity: Severity
    where: str
    message: str
    fix: str


def findings_of(faults: Iterable[Fault]) -> list[Finding]:
    """Faults as findings, worst first, then by code, in the order met."""
    by_code: dict[str, list[Finding]] = {}
    for fault in dict.fromkeys(faults):
        check = check_of(fault.code)
        finding = Finding(fault.code, check.severity, fault.where, fault.message, check.fix)
        by_code.setdefault(fault.code, []).append(finding)
    known = CHECKS if by_code.keys() <= CHECKS.keys() else all_checks()
    codes = [code for code in known if code in by_code]
    codes.sort(key=lambda code: SEVERITIES.index(known[code].severity))
    return [finding for code in codes for finding in by_code[code]]


def counts(findings: Sequence[Finding]) -> dict[str, int]:
    """How many findings of each severity; every severity is there."""
    return {s: sum(finding.severity == s for finding in findings) for s in SEVERITIES}


def at_or_above(findings: Iterable[Finding], severity: str) -> bool:
    """Whether a finding is at least as grave as this word says."""
    limit = SEVERITIES.index(Severity(severity))
    return any(SEVERITIES.index(finding.severity) <= limit for finding in findings)
