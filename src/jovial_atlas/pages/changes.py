"""What happened to a site between two surveys."""

from __future__ import annotations

import msgspec

from jovial_atlas.faults import plural


class Changes(msgspec.Struct, frozen=True):
    """What happened since the survey before: counts, and the first addresses of each kind.

    `renamed` pairs (old, new) addresses with the same main content: candidates for a
    redirect. They are counted among added and removed as well.
    """

    added: int = 0
    changed: int = 0
    removed: int = 0
    shown: dict[str, list[str]] = msgspec.field(default_factory=dict)
    renamed: list[tuple[str, str]] = msgspec.field(default_factory=list)

    @property
    def moves(self) -> bool:
        """Whether any address came or went."""
        return bool(self.added or self.removed)


def describe(changes: Changes) -> str:
    """`3 pages added, 1 changed, 0 removed`."""
    moved = f", {len(changes.renamed):,} of them moved" if changes.renamed else ""
    return (
        f"{plural(changes.added, 'page')} added, "
        f"{changes.changed:,} changed, {changes.removed:,} removed{moved}"
    )
