"""One element of a sitemap, as it was read."""

from __future__ import annotations

import msgspec


class XmlNode(msgspec.Struct, frozen=True):
    """One element as read: namespace, local name, stripped text, attributes, children."""

    space: str
    name: str
    text: str
    line: int
    attributes: dict[str, str]
    children: tuple[XmlNode, ...]

    def first(self, space: str, name: str) -> XmlNode | None:
        """The first child of that name."""
        return next((c for c in self.children if c.space == space and c.name == name), None)
