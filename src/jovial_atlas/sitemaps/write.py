"""Writing sitemap files from a table: whole columns become XML, no row is touched in Python.

Input is a table with one row an address, in the order it shall be listed. Only `loc` must be
there; a null or an empty list writes nothing. Extensions have a column each, of their `type`:

| column     | type                           | meaning                                 |
|------------|--------------------------------|-----------------------------------------|
| loc        | String                         | normalised absolute address             |
| lastmod    | String                         | W3C Datetime                            |
| changefreq | String                         | one of `protocol.FREQUENCIES`           |
| priority   | Float64                        | 0.0 to 1.0, written with one decimal    |
| …          | `EXTENSIONS[…].type`           | the elements of an extension            |
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import IO, cast

import msgspec
import polars as pl

from jovial_atlas.signs import WRITTEN
from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.extensions import EXTENSIONS, NAMESPACES, Extension
from jovial_atlas.sitemaps.packing import Packing
from jovial_atlas.sitemaps.text import element, escaped

_HEAD = '<?xml version="1.0" encoding="UTF-8"?>\n'
# Of a normalised address or a date only these can need escaping; `<` is asked for all the same,
# since it alone could break the document.
_SPECIAL = ("&", "'", "<")


#: Rows that are rendered at once: few enough for their text to stay in the processor's cache.
_AT_ONCE = 3_125


class SitemapPart(msgspec.Struct, frozen=True):
    """One sitemap file: its bytes, whether they are gzipped, and what stands in it: so many
    addresses, and so many elements of each extension, by its column. `plain` says that nothing does
    but addresses with dates and hints."""

    data: bytes
    gzipped: bool
    urls: int
    counts: dict[str, int]
    lastmod: str | None
    plain: bool


def urlset_parts(
    table: pl.DataFrame,
    *,
    max_urls: int = protocol.MAX_ENTRIES,
    max_bytes: int = protocol.MAX_BYTES,
    stylesheet: str | None = None,
) -> Iterator[SitemapPart]:
    """The files of one kind, split by count and by bytes, one at a time.

    `stylesheet` is the address of an XSL style sheet for people who open a file in a browser.
    An entry that alone is over `max_bytes` raises ValueError: no file can hold it.
    """
    start = 0
    while start < table.height:
        part = urlset_file(table.slice(start, max_urls), max_bytes=max_bytes, stylesheet=stylesheet)
        yield part
        start += part.urls


def urlset_file(
    table: pl.DataFrame,
    *,
    max_bytes: int = protocol.MAX_BYTES,
    stylesheet: str | None = None,
    gzip_from: int | None = None,
) -> SitemapPart:
    """One file with the rows of a table, or with as many of the first as `max_bytes` allow:
    `SitemapPart.urls` tells how many stand in it. A file of `gzip_from` bytes or more is gzipped.
    Raises ValueError as `urlset_parts`."""
    used = [extension for extension in EXTENSIONS.values() if extension.is_used(table)]
    opening = _opening("urlset", [extension.namespace for extension in used], stylesheet)
    closing = b"</urlset>\n"
    room = max_bytes - len(opening) - len(closing)
    # Where there is nothing but addresses and dates, a sign to escape is seen fastest in the text
    # as a whole, and hardly any has one.
    special = _is_special(table["loc"], _SPECIAL if used else ("<",))
    while True:
        file = Packing(gzip_from)
        file.add(opening)
        lines = _Lines(file, room, watch=not used and not special)
        _write(table, used, special, lines)
        if not lines.odd:
            break
        special = True
    if lines.room < 0:
        fits = int(_sizes(table, used, special).cum_sum().search_sorted(room, side="right"))
        if not fits:
            raise ValueError(
                f"{table['loc'][0]} has an entry of more than {room:,} bytes; "
                "no sitemap file can hold it."
            )
        return urlset_file(
            table.head(fits), max_bytes=max_bytes, stylesheet=stylesheet, gzip_from=gzip_from
        )
    lines.end()
    file.add(closing)
    newest = table["lastmod"].max() if "lastmod" in table.columns else None
    return SitemapPart(
        data=file.bytes(),
        gzipped=file.gzipped,
        urls=table.height,
        counts={extension.column: extension.count(table) for extension in used},
        lastmod=str(newest) if newest is not None else None,
        plain=not used,
    )


#: What stands before each address.
_BEFORE = " <url>\n  <loc>"


class _Lines:
    """Takes entries as they are written, and puts them into a file: as long as there is `room` for
    them, and, where it is to `watch`, as long as none has a sign that is to be escaped."""

    def __init__(self, file: Packing, room: int, *, watch: bool = False) -> None:
        self.room, self.odd = room, False
        self._file, self._watch = file, watch
        # Every line ends with the beginning of another; that of the last is not written.
        self._held = _BEFORE.encode()

    def write(self, data: bytes) -> int:
        """Take some more bytes."""
        self.room -= len(data)
        self.odd = self.odd or (self._watch and (b"&" in data or b"'" in data))
        if self.room >= 0 and not self.odd:
            self._file.add(self._held)
            self._held = data
        return len(data)

    def flush(self) -> None:
        """Nothing waits here."""

    def end(self) -> None:
        """Put in what is left of the last line."""
        self._file.add(self._held[: -len(_BEFORE)])


def _write(table: pl.DataFrame, used: list[Extension], special: bool, lines: _Lines) -> None:
    """Write the entries of a table. As lines of delimited text, since no other way from columns
    to bytes is as fast: `<` parts the address from all that follows it, and the end of a line is
    all that stands between what differs of an entry and the address of the next."""
    frame, pieces = _entries(table, used, special)
    end = pieces.pop() if isinstance(pieces[-1], str) else ""
    columns = [_plain("loc", special).alias("loc")]
    if pieces:
        # The first is `</loc>`, whose sign parts the two.
        after = [str(pieces[0]).removeprefix("<"), *pieces[1:]]
        columns.append(pl.concat_str(_literals(after)).alias("after"))
    frame.select(columns).write_csv(
        cast(IO[bytes], lines), include_header=False, separator="<", quote_style="never",
        line_terminator=f"{end}{_BEFORE}", batch_size=_AT_ONCE,
    )  # fmt: skip


def _sizes(table: pl.DataFrame, used: list[Extension], special: bool) -> pl.Series:
    """The bytes that each entry takes."""
    frame, pieces = _entries(table, used, special)
    whole = pl.concat_str(_literals([_BEFORE, _plain("loc", special), *pieces]))
    return frame.select(whole.str.len_bytes().cast(pl.Int64)).to_series()


def _is_special(locs: pl.Series, signs: Iterable[str]) -> bool:
    """Whether any of these addresses has one of these signs."""
    octets = locs.cast(pl.Binary)
    return any(octets.bin.contains(sign.encode()).any() for sign in signs)


def _entries(
    table: pl.DataFrame, used: list[Extension], special: bool
) -> tuple[pl.DataFrame, list[str | pl.Expr]]:
    """A table, and what follows the address in each entry, to its end: texts and expressions over
    that table in turn. `special` says that some address has something to escape."""
    extras = [each.texts(table).alias(f"_{each.column}") for each in used]
    pieces: list[str | pl.Expr] = ["</loc>\n"]
    for name in protocol.URL_RULES:
        if name == "loc" or name not in table.columns:
            continue
        value = _plain(name, special)
        if table[name].null_count():
            pieces.append(element(name, value, "  "))
        else:
            pieces += [f"  <{name}>", value, f"</{name}>\n"]
    pieces += [*(pl.col(f"_{each.column}") for each in used), " </url>\n"]
    return table.hstack(extras) if extras else table, _merged(pieces)


def _plain(name: str, special: bool) -> pl.Expr:
    """A column as character data."""
    if name == "priority":
        return pl.col(name).round(1).cast(pl.String)
    return escaped(pl.col(name)) if special and name == "loc" else pl.col(name)


def _merged(pieces: Iterable[str | pl.Expr]) -> list[str | pl.Expr]:
    """Pieces with texts that follow each other as one."""
    merged: list[str | pl.Expr] = []
    for piece in pieces:
        if merged and isinstance(piece, str) and isinstance(merged[-1], str):
            merged[-1] += piece
        else:
            merged.append(piece)
    return merged


def _literals(pieces: Iterable[str | pl.Expr]) -> list[pl.Expr]:
    """Pieces as expressions."""
    return [pl.lit(piece) if isinstance(piece, str) else piece for piece in pieces]


def _joined(table: pl.DataFrame, entry: pl.Expr) -> bytes:
    """All entries as one text: taken out as binary, so that none becomes an object of Python."""
    return bytes(table.select(entry.str.join("").cast(pl.Binary)).item())


def _opening(root: str, spaces: list[str], stylesheet: str | None) -> bytes:
    names = [
        f'xmlns{":" if NAMESPACES[space] else ""}{NAMESPACES[space]}="{space}"'
        for space in (protocol.CORE, *spaces)
    ]
    said = f'<?xml-stylesheet type="text/xsl" href="{stylesheet}"?>' if stylesheet else WRITTEN
    return f"{_HEAD}{said}\n<{root} {' '.join(names)}>\n".encode()


def index_file(entries: list[tuple[str, str | None]], stylesheet: str | None = None) -> bytes:
    """A sitemap index of (loc, newest lastmod inside or None), in the order given.
    Raises ValueError for more than it may hold."""
    if len(entries) > protocol.MAX_ENTRIES:
        raise ValueError(
            f"{len(entries):,} sitemaps are more than the {protocol.MAX_ENTRIES:,} "
            "that one index may list."
        )
    table = pl.DataFrame(entries, schema={"loc": pl.String, "lastmod": pl.String}, orient="row")
    entry = pl.concat_str(
        pl.lit(" <sitemap>\n"),
        element("loc", escaped(pl.col("loc")), "  "),
        element("lastmod", escaped(pl.col("lastmod")), "  "),
        pl.lit(" </sitemap>\n"),
    )
    opening = _opening("sitemapindex", [], stylesheet)
    return b"".join((opening, _joined(table, entry), b"</sitemapindex>\n"))


def text_file(locs: pl.Series) -> bytes:
    """A text sitemap: one address a line, at most 50,000 of them, which the caller sees to."""
    return f"{locs.str.join(chr(10)).item() or ''}\n".encode()
