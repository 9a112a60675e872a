"""What an extension of the sitemap protocol is: one class of its own, with all about it."""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import ClassVar

import msgspec
import polars as pl

from jovial_atlas.sitemaps.node import XmlNode
from jovial_atlas.sitemaps.notes import EntryNotes


class SheetColumn(msgspec.Struct, frozen=True):
    """How the style sheet shows an extension to people: the name of its variable, which counts
    the elements; the words beside that number, if it is told; the head of the column, whether it
    is sorted as numbers; and the cell of an entry, as XSLT 1.0 whose names have the extension's
    prefix. `attributes` are those of the cell."""

    variable: str
    words: str
    head: str
    cell: str
    numeric: bool = False
    attributes: str = ""


class Extension(ABC):
    """An extension: an element of a namespace of its own that stands in `<url>`.

    `column` is that of the writer's table, `type` its type: a list with an item an element, or a
    struct where there is one at most. `most` is how many of them an address may have.
    """

    column: ClassVar[str]
    type: ClassVar[pl.DataType]
    namespace: ClassVar[str]
    prefix: ClassVar[str]
    name: ClassVar[str]
    most: ClassVar[int | None] = None
    #: Whether its entries repeat pages that other files list.
    companion: ClassVar[bool] = False
    shown: ClassVar[SheetColumn]

    @abstractmethod
    def rendered(self, item: pl.Expr) -> pl.Expr:
        """One element, an item of `column` or the value of it, as the lines of a file."""

    @abstractmethod
    def check(self, node: XmlNode, entry: EntryNotes) -> None:
        """Note what is wrong with an element that was read."""

    def is_used(self, table: pl.DataFrame) -> bool:
        """Whether a table has anything for it."""
        return self.count(table) > 0

    def count(self, table: pl.DataFrame) -> int:
        """How many elements a table has of it."""
        if self.column not in table.columns:
            return 0
        if isinstance(self.type, pl.List):
            return int(table[self.column].list.len().sum())
        return table[self.column].len() - table[self.column].null_count()

    def texts(self, table: pl.DataFrame) -> pl.Series:
        """The lines of each row's elements, joined; `""` where it has none."""
        column = pl.col(self.column)
        if not isinstance(self.type, pl.List):
            return table.select(
                pl.when(column.is_not_null()).then(self.rendered(column)).otherwise(pl.lit(""))
            ).to_series()
        items = column if self.most is None else column.list.head(self.most)
        lines = items.list.eval(self.rendered(pl.element())).list.join("")
        return table.select(lines.fill_null("")).to_series()
