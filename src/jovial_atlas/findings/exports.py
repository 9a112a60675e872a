"""Findings in the forms that build pipelines read: SARIF 2.1.0 (OASIS) and JUnit XML."""

from __future__ import annotations

import re
from collections.abc import Sequence
from typing import Any

from lxml import etree

from jovial_atlas.findings.entry import Check, Severity
from jovial_atlas.findings.finding import Finding, at_or_above
from jovial_atlas.findings.marks import MARKS
from jovial_atlas.findings.registry import check_of

#: SARIF 2.1.0 §3.27.10: levels.
_LEVELS = {"blocker": "error", "error": "error", "warning": "warning", "advice": "note"}
_PLACE = re.compile(r"(.+?):(\d+)$")
_FORBIDDEN = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff\ud800-\udfff]")


def sarif(findings: Sequence[Finding], version: str) -> dict[str, Any]:
    """A SARIF log with one run: a rule for each code that was found, a result each finding."""
    codes = list(dict.fromkeys(finding.code for finding in findings))
    rules = [
        {
            "id": code,
            "shortDescription": {"text": _about(code).what},
            "fullDescription": {"text": _about(code).why},
            "help": {"text": _about(code).fix},
            "defaultConfiguration": {"level": _LEVELS[_about(code).severity]},
            "properties": {"severity": _about(code).severity},
        }
        for code in codes
    ]
    results = [
        {
            "ruleId": finding.code,
            "ruleIndex": codes.index(finding.code),
            "level": _LEVELS[finding.severity],
            "message": {"text": f"{finding.message} {finding.fix}"},
            "locations": [{"physicalLocation": _location(finding.where)}],
        }
        for finding in findings
    ]
    driver = {"name": "Jovial Atlas", "version": version, "rules": rules}
    return {
        "$schema": "https://docs.oasis-open.org/sarif/sarif/v2.1.0/os/schemas/sarif-schema-2.1.0.json",
        "version": "2.1.0",
        "runs": [{"tool": {"driver": driver}, "results": results}],
    }


def _about(code: str) -> Check:
    """What a code means: a check, or a mark of a review."""
    mark = MARKS.get(code)
    if mark is None:
        return check_of(code)
    severity = Severity.ADVICE if mark.advice else Severity.WARNING
    return Check(code, severity, mark.what, mark.why, mark.fix)


def _location(where: str) -> dict[str, Any]:
    match = _PLACE.match(where)
    if match is None or re.fullmatch(r"https?://[^/]+", where):
        return {"artifactLocation": {"uri": where}}
    return {"artifactLocation": {"uri": match[1]}, "region": {"startLine": int(match[2])}}


def junit(
    findings: Sequence[Finding], looked_at: Sequence[str], fail_on: str, command: str = "check"
) -> bytes:
    """A JUnit report: a test case for each code that was found, failed where a finding is at
    or above `fail_on`, with the places in its text; one passed case where nothing was found."""
    by_code: dict[str, list[Finding]] = {}
    for finding in findings:
        by_code.setdefault(finding.code, []).append(finding)
    failed = {code for code, same_code in by_code.items() if at_or_above(same_code, fail_on)}
    name = _clean(", ".join(looked_at[:4]))
    counts = {"tests": str(max(len(by_code), 1)), "failures": str(len(failed)), "errors": "0"}
    root = etree.Element("testsuites", counts)
    title = f"jovial-atlas {command} {name}"
    suite = etree.SubElement(root, "testsuite", {"name": title, **counts})
    for code, same_code in by_code.items():
        check = _about(code)
        case = etree.SubElement(
            suite, "testcase", {"classname": f"{command}.{same_code[0].severity}", "name": code}
        )
        text = "\n".join(_clean(f"{one.where}: {one.message}") for one in same_code)
        if code in failed:
            told = {"message": f"{check.what} ({len(same_code)})", "type": same_code[0].severity}
            etree.SubElement(case, "failure", told).text = f"{text}\n{check.fix}"
        else:
            etree.SubElement(case, "system-out").text = text
    if not by_code:
        etree.SubElement(suite, "testcase", {"classname": command, "name": "nothing found"})
    etree.indent(root, " ")
    data: bytes = etree.tostring(root, xml_declaration=True, encoding="UTF-8")
    return data + b"\n"


def _clean(text: str) -> str:
    return _FORBIDDEN.sub("", text)
