"""What a check of another package says of itself."""

from __future__ import annotations

from abc import ABC
from typing import ClassVar

from jovial_atlas.findings.entry import Check


class AddedFindings(ABC):
    """The codes of a check that another package adds, with what each means."""

    findings: ClassVar[tuple[Check, ...]]
