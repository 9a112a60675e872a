"""What is decided for a page, field by field, with the type of its column."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import msgspec
import polars as pl

from jovial_atlas.pages.schema import VERDICT_TYPES

#: What layers decide, with the type of its column.
FIELDS: dict[str, pl.DataType] = {
    name: VERDICT_TYPES[name]
    for name in (
        "listed", "index", "follow", "canonical", "send_to", "lastmod", "changefreq", "priority",
        "max_snippet", "max_image_preview", "max_video_preview", "archive", "translate",
        "image_index", "embedded_index", "unavailable_after", "important",
    )
}  # fmt: skip

#: Fields that are columns of the page table too: what the page says is taken over where no layer
#: speaks.
FROM_PAGE = ("canonical", "lastmod")

#: Fields that a robots directive says, for all crawlers or for single ones.
DIRECTIVES = (
    "index", "follow", "max_snippet", "max_image_preview", "max_video_preview", "archive",
    "translate", "image_index", "embedded_index", "unavailable_after",
)  # fmt: skip


class Layer(msgspec.Struct, frozen=True):
    """One voice: its name, the pages it speaks of, what it sets and why.

    What it sets may be a value or an expression over the page table; where the expression is
    null the layer does not speak of the field. `needs` names columns without which it speaks
    of no page at all. A `fact` speaks only of pages that are still listed, so that the owner's
    own reason is the one that is told. `crawlers` are those it is for, all if empty. `patterns`
    are there where `where` asks for nothing but that a path is like one of them.
    """

    name: str
    where: pl.Expr
    sets: dict[str, Any]
    reason: str
    fact: bool = False
    needs: tuple[str, ...] = ()
    crawlers: tuple[str, ...] = ()
    patterns: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class LayerSays:
    """What one layer said about one page; `won` holds the fields in which it had the last word."""

    name: str
    sets: dict[str, Any]
    reason: str
    won: tuple[str, ...] = field(default=())
    crawlers: tuple[str, ...] = ()
