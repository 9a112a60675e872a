"""Checks: faults become findings with a severity and a remedy; contradictions are looked for."""

from jovial_atlas.checks.findings import SEVERITIES, Finding, counts, findings_of

__all__ = ["SEVERITIES", "Finding", "counts", "findings_of"]
