"""What of a site is layout: what stands on most of its pages and says nothing of any of them."""

from __future__ import annotations

import msgspec


class Layout(msgspec.Struct, frozen=True):
    """Pictures by their addresses, headings, first sentences and whole lists of tags (as one text
    each, with a bar between) that repeat over the pages of a site. It is remembered, since a survey
    reads only what changed."""

    images: tuple[str, ...] = ()
    headings: tuple[str, ...] = ()
    excerpts: tuple[str, ...] = ()
    tags: tuple[str, ...] = ()

    def __bool__(self) -> bool:
        return bool(self.images or self.headings or self.excerpts or self.tags)

    def joined(self, other: Layout) -> Layout:
        """What is layout by one of both."""
        return Layout(
            tuple(sorted({*self.images, *other.images})),
            tuple(sorted({*self.headings, *other.headings})),
            tuple(sorted({*self.excerpts, *other.excerpts})),
            tuple(sorted({*self.tags, *other.tags})),
        )
