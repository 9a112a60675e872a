"""Figures of rounds in the text format of Prometheus, for exporters that read a file."""

from __future__ import annotations

from pathlib import Path

from prometheus_client import CollectorRegistry, Gauge, generate_latest

from jovial_atlas import dates
from jovial_atlas.files import write_whole
from jovial_atlas.ledger import Ledger
from jovial_atlas.records import TendedRound
from jovial_atlas.rounds.tending.health import Health

_STATES = ("done", "nothing", "held", "failed")


def write_metrics(path: Path, ledger: Ledger, health: Health, done: TendedRound) -> None:
    """Write them, whole. Raises OutputError."""
    registry = CollectorRegistry()

    def gauge(name: str, about: str, *labels: str) -> Gauge:
        return Gauge(f"jovial_atlas_{name}", about, labels, registry=registry)

    gauge("well", "1 where the last round went well, else 0.").set(health.is_well)
    gauge("last_round_timestamp_seconds", "When the last round was.").set(_seconds(done.at))
    gauge("last_success_timestamp_seconds", "When a round last went well; 0 for never.").set(
        _seconds(health.last_success)
    )
    steps = gauge("step_seconds", "How long each step of the last round took.", "step")
    for step in done.steps:
        steps.labels(step.name).set(step.seconds)
    rounds = gauge("rounds", "Rounds that are in the record, by how they ended.", "state")
    counts = ledger.count_rounds()
    for state in _STATES:
        rounds.labels(state).set(counts.get(state, 0))
    changes = gauge("changes", "What changed in the last round.", "what")
    for name, count in done.changes.items():
        changes.labels(name).set(count)
    gauge("announced", "Addresses and files announced in the last round.").set(done.announced)
    notices = gauge("notices_open", "What needs a person now.", "severity")
    for severity in ("blocker", "error", "warning"):
        notices.labels(severity).set(sum(one.severity == severity for one in health.notices))
    gauge("messages_unsent", "Messages that could not be told yet.").set(health.unsent)
    write_whole(path, generate_latest(registry))


def _seconds(at: str) -> float:
    return dates.moment(at).timestamp() if at else 0.0
