"""What is told of pages whose kind is not sure. Loads nothing of tables."""

from __future__ import annotations

import msgspec


class Doubt(msgspec.Struct, frozen=True, kw_only=True):
    """Pages whose kind is not sure: the key of `[kinds]` that settles it, why they may be of that
    kind and why not, what they count as (`role` of one of them), how many there are, and the
    address of one."""

    key: str
    why: str
    counts_as: str
    pages: int
    example: str

    @property
    def pattern(self) -> str:
        """A pattern for `[kinds]` that the pages match, or the one page."""
        folder = self.example.rpartition("/")[0]
        return f"{folder}/**" if self.pages > 1 and folder else self.example
