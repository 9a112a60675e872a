"""Checks: contradictions and mistakes are looked for, and come out as faults."""
