"""What a round is run with: all that it needs of the machine is handed in, so that a year of rounds
can be tried in seconds."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path

from jovial_atlas.files import Locks
from jovial_atlas.running import RunCommand, run_command
from jovial_atlas.web import Client


def _go_on() -> bool:
    return False


@dataclass(frozen=True, slots=True)
class Around:
    """The site file; what the environment holds; the client, clock and pause; how commands of the
    owner are run; the locks of the state folder; the name of this machine; and whether the round
    is to end after the step in which it is."""

    path: Path
    environment: Mapping[str, str]
    client: Client
    locks: Locks
    now: Callable[[], datetime]
    pause: Callable[[float], None]
    machine: str
    run: RunCommand = run_command
    ends: Callable[[], bool] = _go_on
    #: What is told of each step as it ends.
    told: Callable[[str, str, str], None] = field(default=lambda _name, _state, _detail: None)
