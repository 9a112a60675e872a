"""Writing sitemap files from a table: whole columns become XML, no row is touched in Python.

Input is a table with one row an address, in the order it shall be listed:

| column  | type                                  | meaning                                |
|---------|---------------------------------------|----------------------------------------|
| loc     | String                                | normalised absolute address            |
| lastmod | String, may be null                   | W3C Datetime                           |
| images  | List(String), optional                | absolute addresses of pictures         |
| videos  | List(Struct of VIDEO_FIELDS), optional| values as they stand in the elements   |
"""

from __future__ import annotations

import zlib
from collections.abc import Iterator
from dataclasses import dataclass

import polars as pl

from jovial_atlas.sitemaps import protocol

#: The video elements this writer knows, in the schema's order.
VIDEO_FIELDS = tuple(
    name
    for name in protocol.VIDEO_RULES
    if name
    in {
        "thumbnail_loc", "title", "description", "content_loc", "player_loc",
        "duration", "publication_date",
    }
)  # fmt: skip

_HEAD = '<?xml version="1.0" encoding="UTF-8"?>\n'
# What XML 1.0 §2.2 does not allow in a document at all.
_FORBIDDEN = "[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]"


@dataclass(frozen=True, slots=True)
class Part:
    """One sitemap file: its bytes before compression and what stands in it."""

    data: bytes
    urls: int
    images: int
    videos: int
    lastmod: str | None


def escaped(text: pl.Expr) -> pl.Expr:
    """Text as XML character data: the five entities, forbidden characters dropped."""
    return text.str.replace_all(_FORBIDDEN, "").str.replace_many(
        ["&", "<", ">", '"', "'"], ["&amp;", "&lt;", "&gt;", "&quot;", "&apos;"]
    )


def _element(name: str, value: pl.Expr, indent: str) -> pl.Expr:
    """`<name>value</name>` on a line of its own, nothing where the value is null."""
    line = pl.concat_str(pl.lit(f"{indent}<{name}>"), escaped(value), pl.lit(f"</{name}>\n"))
    return line.fill_null("")


def _pictures(table: pl.DataFrame) -> pl.Series:
    return _rendered_lists(
        table,
        "images",
        pl.concat_str(
            pl.lit("  <image:image>\n"),
            _element("image:loc", pl.col("images"), "   "),
            pl.lit("  </image:image>\n"),
        ),
        protocol.MAX_IMAGES,
    )


def _videos(table: pl.DataFrame) -> pl.Series:
    fields = pl.col("videos").struct
    elements = [
        _element(f"video:{name}", fields.field(name).cast(pl.String), "   ")
        for name in VIDEO_FIELDS
    ]
    whole = pl.concat_str(pl.lit("  <video:video>\n"), *elements, pl.lit("  </video:video>\n"))
    return _rendered_lists(table, "videos", whole)


def _rendered_lists(
    table: pl.DataFrame, column: str, rendered: pl.Expr, most: int | None = None
) -> pl.Series:
    """Each row's list rendered item by item and joined; `""` for an empty one."""
    items = table.select(pl.col(column)).with_row_index("_row")
    if most is not None:
        items = items.with_columns(pl.col(column).list.head(most))
    texts = (
        items.filter(pl.col(column).list.len() > 0)
        .explode(column)
        .select("_row", rendered.alias("_text"))
        .group_by("_row", maintain_order=True)
        .agg(pl.col("_text").str.join())
    )
    joined = items.select("_row").join(texts, on="_row", how="left", maintain_order="left")
    return joined.get_column("_text").fill_null("")


def urlset_parts(
    table: pl.DataFrame,
    *,
    max_urls: int = protocol.MAX_ENTRIES,
    max_bytes: int = protocol.MAX_BYTES,
) -> Iterator[Part]:
    """The files of one kind, split by count and by bytes, one at a time.

    An entry that alone is over `max_bytes` raises ValueError: no file can hold it.
    """
    has_images = "images" in table.columns
    has_videos = "videos" in table.columns
    opening = _opening("urlset", has_images, has_videos)
    closing = "</urlset>\n"
    room = max_bytes - len(opening.encode()) - len(closing)
    for start in range(0, table.height, max_urls):
        piece = table.slice(start, max_urls)
        yield from _split_by_bytes(
            piece, _entries(piece, has_images, has_videos), opening, closing, room
        )


def _entries(table: pl.DataFrame, has_images: bool, has_videos: bool) -> pl.Series:
    parts = [
        pl.lit(" <url>\n"),
        _element("loc", pl.col("loc"), "  "),
        _element("lastmod", pl.col("lastmod"), "  "),
    ]
    extras = []
    if has_images:
        extras.append(_pictures(table).alias("_images"))
        parts.append(pl.col("_images"))
    if has_videos:
        extras.append(_videos(table).alias("_videos"))
        parts.append(pl.col("_videos"))
    whole = pl.concat_str(*parts, pl.lit(" </url>\n")).alias("entry")
    return table.select("loc", "lastmod").with_columns(*extras).select(whole).get_column("entry")


def _split_by_bytes(
    table: pl.DataFrame, entries: pl.Series, opening: str, closing: str, room: int
) -> Iterator[Part]:
    ends = entries.str.len_bytes().cast(pl.Int64).cum_sum()
    start = 0
    while start < table.height:
        before = ends[start - 1] if start else 0
        end = int(ends.search_sorted(before + room, side="right"))
        if end == start:
            raise ValueError(
                f"{table['loc'][start]} has an entry of more than {room:,} bytes; "
                "no sitemap file can hold it."
            )
        yield _part(table.slice(start, end - start), entries[start:end], opening, closing)
        start = end


def _part(table: pl.DataFrame, entries: pl.Series, opening: str, closing: str) -> Part:
    body = entries.str.join().item() or ""
    count = {
        name: int(table[name].list.len().sum()) if name in table.columns else 0
        for name in ("images", "videos")
    }
    newest = table["lastmod"].max()
    return Part(
        data=(opening + body + closing).encode(),
        urls=table.height,
        images=count["images"],
        videos=count["videos"],
        lastmod=str(newest) if newest is not None else None,
    )


def _opening(root: str, images: bool = False, videos: bool = False) -> str:
    spaces = [protocol.CORE, *([protocol.IMAGE] * images), *([protocol.VIDEO] * videos)]
    names = [
        f'xmlns{":" if protocol.PREFIXES[space] else ""}{protocol.PREFIXES[space]}="{space}"'
        for space in spaces
    ]
    return f"{_HEAD}<{root} {' '.join(names)}>\n"


def index_file(entries: list[tuple[str, str | None]]) -> bytes:
    """A sitemap index of (loc, newest lastmod inside or None), in the order given."""
    if len(entries) > protocol.MAX_ENTRIES:
        raise ValueError(
            f"{len(entries):,} sitemaps are more than the {protocol.MAX_ENTRIES:,} "
            "that one index may list."
        )
    table = pl.DataFrame(
        entries, schema={"loc": pl.String, "lastmod": pl.String}, orient="row"
    ).select(
        pl.concat_str(
            pl.lit(" <sitemap>\n"),
            _element("loc", pl.col("loc"), "  "),
            _element("lastmod", pl.col("lastmod"), "  "),
            pl.lit(" </sitemap>\n"),
        ).alias("entry")
    )
    body = table.get_column("entry").str.join().item() or ""
    return (_opening("sitemapindex") + body + "</sitemapindex>\n").encode()


def compressed(data: bytes) -> bytes:
    """Gzip (RFC 1952) without a time in it, so that equal contents give equal bytes."""
    from isal import igzip_lib

    return bytes(igzip_lib.compress(data, 2, flag=igzip_lib.COMP_GZIP))


def decompressed(data: bytes, most: int = protocol.MAX_BYTES) -> bytes:
    """The contents of a gzip file, never more than `most` + 1 bytes of them.

    One byte over the limit is enough to know that the limit is broken. Raises
    ValueError where the data are no whole gzip file.
    """
    worker = zlib.decompressobj(wbits=31)
    try:
        plain = worker.decompress(data, most + 1)
    except zlib.error as error:
        raise ValueError(f"not a readable gzip file ({error})") from None
    if not worker.eof and len(plain) <= most:
        raise ValueError("a gzip file that breaks off before its end")
    return plain
