"""Findings: what may be wrong, each by a code with its severity, why it counts and what to do; and
findings as they are shown and exported. What looks for them stands elsewhere."""

from jovial_atlas.findings.finding import SEVERITIES, Finding, counts, findings_of
from jovial_atlas.findings.registry import check_of

__all__ = ["SEVERITIES", "Finding", "check_of", "counts", "findings_of"]
