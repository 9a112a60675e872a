"""What is kept of a survey beside its page table, in the state folder."""

from __future__ import annotations

from pathlib import Path

import msgspec

from jovial_atlas.faults import Fault
from jovial_atlas.files import write_whole
from jovial_atlas.pages.doubt import Doubt
from jovial_atlas.rounds.state.layout import Layout
from jovial_atlas.rounds.state.names import SURVEY_RECORD


class Unchanged(msgspec.Struct, kw_only=True):
    """By what a later survey sees that nothing changed: the files and the folders (each with the
    endings that count) that were read, a mark of all of them, size and time of the page table; and
    what it then tells: the counts of sections, and what hides the site."""

    files: tuple[str, ...]
    folders: tuple[tuple[str, tuple[str, ...]], ...]
    mark: str
    table: tuple[int, int]
    sections: list[tuple[str, int, int, int, int]]
    hidden: str


class SurveyRecord(msgspec.Struct, kw_only=True):
    """A survey: when, how each source was read, which signs of kinds of page there are, how many
    pages of each section are listed, pages that have another address now, faults, what of the site
    is layout, which kinds of page are not sure, and a mark of what figures of links rest on."""

    unchanged: Unchanged | None = None
    at: str
    keys: dict[str, str]
    noted: list[str] | None = None
    listed: dict[str, int] = {}
    renamed: list[tuple[str, str]] = []
    told: list[tuple[str, str, str]]
    layout: Layout = Layout()
    doubts: list[Doubt] = []
    links: str = ""

    @property
    def faults(self) -> list[Fault]:
        """What was wrong with sources and pages."""
        return [Fault(*fault) for fault in self.told]

    def keep(self, state: Path) -> None:
        """Write it into a state folder. Raises OutputError."""
        write_whole(state / SURVEY_RECORD, msgspec.json.encode(self) + b"\n")


def read_survey_record(state: Path) -> SurveyRecord:
    """The record in a state folder. Raises OSError where there is none, ValueError where it is no
    such record."""
    return msgspec.json.decode((state / SURVEY_RECORD).read_bytes(), type=SurveyRecord)
