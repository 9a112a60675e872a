"""What is brought over from what is published: files as they would be, and what was taken."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from jovial_atlas import addresses
from jovial_atlas.rounds.deciding.history import Contents, settled, tables_named
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.overrides import Override, overrides_text
from jovial_atlas.values import replace

#: Why a rule or a row is there that was brought over.
AS_BEFORE = "As it was published before"


@dataclass(frozen=True, slots=True)
class Took:
    """One thing that was looked at: what it is, what of it was taken, and what was not."""

    what: str
    taken: str
    left: str = ""


@dataclass(slots=True)
class CarriedOver:
    """What files would hold, and what was taken and what was not, thing by thing."""

    path: Path
    before: Contents
    after: Contents
    took: list[Took] = field(default_factory=list)
    #: Where the pages are kept that it rests on, if not in the state folder.
    kept_in: Path | None = None

    @property
    def text(self) -> str:
        """The site file as it would be."""
        return (self.after[self.path.name] or b"").decode("utf-8-sig")

    def edit(self, change: Callable[[str], str]) -> None:
        """Change the site file."""
        self.after[self.path.name] = change(self.text).encode()

    def put(self, name: str, text: str) -> None:
        """Put a file beside the site file."""
        self.before.setdefault(name, None)
        self.after[name] = text.encode()

    def put_rows(self, rows: Mapping[str, Override]) -> None:
        """Put the overrides file, where there is one or is to be one."""
        name = tables_named(self.after[self.path.name] or b"")["overrides"]
        self.before.setdefault(name, None)
        if rows or self.before.get(name) is not None:
            self.after[name] = overrides_text(rows.values()).encode()

    def settled(self) -> SiteFile:
        """The site file as it would be, read. Raises SiteFileError."""
        found = settled(self.path, self.after)
        assert found is not None
        return replace(found, kept_in=self.kept_in)


def normal_address(loc: str) -> str:
    """An address in normal form, "" for what is none."""
    try:
        return addresses.normalise(loc)
    except ValueError:
        return ""
