"""What an extension of the sitemap protocol is: one class of its own, with all about it."""

from __future__ import annotations

from abc import ABC, abstractmethod
from dataclasses import dataclass
from typing import ClassVar

import polars as pl

from jovial_atlas.sitemaps.node import XmlNode
from jovial_atlas.sitemaps.notes import EntryNotes


@dataclass(frozen=True, slots=True)
class SheetColumn:
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
    def rendered(self) -> pl.Expr:
        """One element as the lines of a file, over `column` with one item a row."""

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
        if not isinstance(self.type, pl.List):
            there = pl.col(self.column).is_not_null()
            return table.select(
                pl.when(there).then(self.rendered()).otherwise(pl.lit(""))
            ).to_series()
        items = table.select(pl.col(self.column)).with_row_index("_row")
        if self.most is not None:
            items = items.with_columns(pl.col(self.column).list.head(self.most))
        texts = (
            items.filter(pl.col(self.column).list.len() > 0)
            .explode(self.column)
            .select("_row", self.rendered().alias("_text"))
            .group_by("_row", maintain_order=True)
            .agg(pl.col("_text").str.join())
        )
        joined = items.select("_row").join(texts, on="_row", how="left", maintain_order="left")
        return joined.get_column("_text").fill_null("")
