"""Writing sitemap files from a table: whole columns become XML, no row is touched in Python.

Input is a table with one row an address, in the order it shall be listed. Only `loc` must be
there; a null or an empty list writes nothing:

| column     | type                           | meaning                                 |
|------------|--------------------------------|-----------------------------------------|
| loc        | String                         | normalised absolute address             |
| lastmod    | String                         | W3C Datetime                            |
| changefreq | String                         | one of `protocol.FREQUENCIES`           |
| priority   | Float64                        | 0.0 to 1.0, written with one decimal    |
| alternates | List(Struct{lang, href})       | all versions of the page, itself too    |
| news       | Struct of NEWS_FIELDS          | the article                             |
| images     | List(String)                   | absolute addresses of pictures          |
| videos     | List(VIDEO_TYPE)               | values as they stand in the elements    |
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import groupby

import polars as pl

from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.packing import Packing

#: The video elements this writer knows, in the schema's order. All are text, `tag` a list.
VIDEO_FIELDS = tuple(
    name
    for name in protocol.VIDEO_RULES
    if name not in {"content_segment_loc", "gallery_loc", "price", "tvshow", "id"}
)
#: One video as a struct: the elements, and their attributes as `element@attribute`.
VIDEO_TYPE = pl.Struct(
    {name: pl.List(pl.String) if name == "tag" else pl.String for name in VIDEO_FIELDS}
    | {f"{name}@{rule[0]}": pl.String for name, rule in protocol.VIDEO_ATTRIBUTES.items()}
)
NEWS_FIELDS = ("name", "language", "publication_date", "title")

#: Columns that need a namespace of their own, in the order in which they are written.
_EXTENSIONS = {
    "alternates": protocol.XHTML,
    "news": protocol.NEWS,
    "images": protocol.IMAGE,
    "videos": protocol.VIDEO,
}
_HEAD = '<?xml version="1.0" encoding="UTF-8"?>\n'
# What XML 1.0 §2.2 does not allow in a document at all.
_FORBIDDEN = "[\x00-\x08\x0b\x0c\x0e-\x1f\ufffe\uffff]"
# Of a normalised address or a date only these can need escaping; `<` is asked for all the same,
# since it alone could break the document.
_SPECIAL = ("&", "'", "<")


#: Rows that are rendered at once: few enough for their text to stay in the processor's cache.
_AT_ONCE = 12_500


@dataclass(frozen=True, slots=True)
class Part:
    """One sitemap file: its bytes, whether they are gzipped, and what stands in it. `plain` says
    that nothing does but addresses with dates and hints."""

    data: bytes
    gzipped: bool
    urls: int
    images: int
    videos: int
    lastmod: str | None
    plain: bool


def escaped(text: pl.Expr) -> pl.Expr:
    """Text as XML character data: the five entities, forbidden characters dropped."""
    return text.str.replace_all(_FORBIDDEN, "").str.replace_many(
        ["&", "<", ">", '"', "'"], ["&amp;", "&lt;", "&gt;", "&quot;", "&apos;"]
    )


def _element(name: str, value: pl.Expr, indent: str) -> pl.Expr:
    """`<name>value</name>` on a line of its own, nothing where the value is null. The value
    is escaped already."""
    line = pl.concat_str(pl.lit(f"{indent}<{name}>"), value, pl.lit(f"</{name}>\n"))
    return line.fill_null("")


def _picture() -> pl.Expr:
    loc = _element("image:loc", escaped(pl.col("images")), "   ")
    return pl.concat_str(pl.lit("  <image:image>\n"), loc, pl.lit("  </image:image>\n"))


def _video() -> pl.Expr:
    elements = [_video_element(name) for name in VIDEO_FIELDS]
    return pl.concat_str(pl.lit("  <video:video>\n"), *elements, pl.lit("  </video:video>\n"))


def _video_element(name: str) -> pl.Expr:
    fields = pl.col("videos").struct
    if name == "tag":
        opening, closing = pl.lit("   <video:tag>"), pl.lit("</video:tag>\n")
        one = pl.concat_str(opening, escaped(pl.element()), closing)
        return fields.field(name).list.eval(one).list.join("").fill_null("")
    value = escaped(fields.field(name))
    if name not in protocol.VIDEO_ATTRIBUTES:
        return _element(f"video:{name}", value, "   ")
    attribute = protocol.VIDEO_ATTRIBUTES[name][0]
    said = pl.concat_str(
        pl.lit(f' {attribute}="'), escaped(fields.field(f"{name}@{attribute}")), pl.lit('"')
    )
    line = pl.concat_str(
        pl.lit(f"   <video:{name}"), said.fill_null(""), pl.lit(">"), value,
        pl.lit(f"</video:{name}>\n"),
    )  # fmt: skip
    return line.fill_null("")


def _alternate() -> pl.Expr:
    fields = pl.col("alternates").struct
    return pl.concat_str(
        pl.lit('  <xhtml:link rel="alternate" hreflang="'), escaped(fields.field("lang")),
        pl.lit('" href="'), escaped(fields.field("href")), pl.lit('"/>\n'),
    )  # fmt: skip


def _article() -> pl.Expr:
    fields = pl.col("news").struct
    name, language, date, title = (escaped(fields.field(one)) for one in NEWS_FIELDS)
    whole = pl.concat_str(
        pl.lit("  <news:news>\n   <news:publication>\n"),
        _element("news:name", name, "    "),
        _element("news:language", language, "    "),
        pl.lit("   </news:publication>\n"),
        _element("news:publication_date", date, "   "),
        _element("news:title", title, "   "),
        pl.lit("  </news:news>\n"),
    )
    return pl.when(pl.col("news").is_not_null()).then(whole).otherwise(pl.lit(""))


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
    stylesheet: str | None = None,
) -> Iterator[Part]:
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
) -> Part:
    """One file with the rows of a table, or with as many of the first as `max_bytes` allow:
    `Part.urls` tells how many stand in it. A file of `gzip_from` bytes or more is gzipped.
    Raises ValueError as `urlset_parts`."""
    used = [name for name in _EXTENSIONS if _is_used(table, name)]
    opening = _opening("urlset", [_EXTENSIONS[name] for name in used], stylesheet)
    closing = b"</urlset>\n"
    room = max_bytes - len(opening) - len(closing)
    file = Packing(gzip_from)
    file.add(opening)
    for start in range(0, table.height, _AT_ONCE):
        rows = table.slice(start, _AT_ONCE)
        text = _text(rows, used)
        if len(text) > room:
            frame, entry = _entries(rows, used, _is_special(rows["loc"]))
            sizes = frame.select(entry.str.len_bytes().cast(pl.Int64)).to_series()
            fits = start + int(sizes.cum_sum().search_sorted(room, side="right"))
            if not fits:
                raise ValueError(
                    f"{table['loc'][0]} has an entry of more than {room:,} bytes; "
                    "no sitemap file can hold it."
                )
            return urlset_file(
                table.head(fits), max_bytes=max_bytes, stylesheet=stylesheet, gzip_from=gzip_from
            )
        room -= len(text)
        file.add(text)
    file.add(closing)
    newest = table["lastmod"].max() if "lastmod" in table.columns else None
    return Part(
        data=file.bytes(),
        gzipped=file.gzipped,
        urls=table.height,
        images=_count(table, "images"),
        videos=_count(table, "videos"),
        lastmod=str(newest) if newest is not None else None,
        plain=not used,
    )


def _text(rows: pl.DataFrame, used: list[str]) -> bytes:
    """The entries of a few rows."""
    if used:
        return _joined(*_entries(rows, used, _is_special(rows["loc"])))
    # Hardly any address has anything to escape, and nothing else here may: that is seen fastest
    # in the text as a whole.
    frame, entry = _entries(rows, used, special=False)
    text, broken = frame.select(
        _whole(entry), pl.col("loc").str.contains("<", literal=True).any()
    ).row(0)
    if broken or b"&" in text or b"'" in text:
        return _joined(*_entries(rows, used, special=True))
    return bytes(text)


def _count(table: pl.DataFrame, name: str) -> int:
    return int(table[name].list.len().sum()) if name in table.columns else 0


def _is_used(table: pl.DataFrame, name: str) -> bool:
    if name not in table.columns:
        return False
    column = table[name]
    return column.null_count() < column.len() if name == "news" else _count(table, name) > 0


def _is_special(locs: pl.Series) -> bool:
    """Whether any of these addresses has something to escape."""
    return any(locs.str.contains(sign, literal=True).any() for sign in _SPECIAL)


def _entries(table: pl.DataFrame, used: list[str], special: bool) -> tuple[pl.DataFrame, pl.Expr]:
    """A table and the expression over it that gives each row's entry, with its line end.
    `special` says that some address has something to escape."""
    texts = {
        "alternates": lambda: _rendered_lists(table, "alternates", _alternate()),
        "news": lambda: table.select(_article()).to_series(),
        "images": lambda: _rendered_lists(table, "images", _picture(), protocol.MAX_IMAGES),
        "videos": lambda: _rendered_lists(table, "videos", _video()),
    }
    extras = [texts[name]().alias(f"_{name}") for name in used]
    plain = [name for name in protocol.URL if name in table.columns]
    pieces: list[str | pl.Expr] = [" <url>\n"]
    for name in plain:
        value = _plain(name, special)
        if table[name].null_count():
            pieces.append(_element(name, value, "  "))
        else:
            pieces += [f"  <{name}>", value, f"</{name}>\n"]
    pieces += [*(pl.col(f"_{name}") for name in used), " </url>\n"]
    return table.hstack(extras) if extras else table, pl.concat_str(_literals(pieces))


def _plain(name: str, special: bool) -> pl.Expr:
    """A column as character data."""
    if name == "priority":
        return pl.col(name).round(1).cast(pl.String)
    return escaped(pl.col(name)) if special and name == "loc" else pl.col(name)


def _literals(pieces: list[str | pl.Expr]) -> list[pl.Expr]:
    """Pieces as expressions, texts that follow each other as one."""
    found: list[pl.Expr] = []
    for is_text, group in groupby(pieces, key=lambda piece: isinstance(piece, str)):
        if is_text:
            found.append(pl.lit("".join(map(str, group))))
        else:
            found += [piece for piece in group if isinstance(piece, pl.Expr)]
    return found


def _joined(table: pl.DataFrame, entry: pl.Expr) -> bytes:
    return bytes(table.select(_whole(entry)).item())


def _whole(entry: pl.Expr) -> pl.Expr:
    """All entries as one text: joined as a column and taken out as binary, so that none becomes
    an object of Python."""
    return entry.str.join("").cast(pl.Binary).alias("whole")


def _opening(root: str, spaces: list[str], stylesheet: str | None) -> bytes:
    names = [
        f'xmlns{":" if protocol.PREFIXES[space] else ""}{protocol.PREFIXES[space]}="{space}"'
        for space in (protocol.CORE, *spaces)
    ]
    style = f'<?xml-stylesheet type="text/xsl" href="{stylesheet}"?>\n' if stylesheet else ""
    return f"{_HEAD}{style}<{root} {' '.join(names)}>\n".encode()


def index_file(entries: list[tuple[str, str | None]], stylesheet: str | None = None) -> bytes:
    """A sitemap index of (loc, newest lastmod inside or None), in the order given."""
    if len(entries) > protocol.MAX_ENTRIES:
        raise ValueError(
            f"{len(entries):,} sitemaps are more than the {protocol.MAX_ENTRIES:,} "
            "that one index may list."
        )
    table = pl.DataFrame(entries, schema={"loc": pl.String, "lastmod": pl.String}, orient="row")
    entry = pl.concat_str(
        pl.lit(" <sitemap>\n"),
        _element("loc", escaped(pl.col("loc")), "  "),
        _element("lastmod", escaped(pl.col("lastmod")), "  "),
        pl.lit(" </sitemap>\n"),
    )
    opening = _opening("sitemapindex", [], stylesheet)
    return b"".join((opening, _joined(table, entry), b"</sitemapindex>\n"))


def text_file(locs: pl.Series) -> bytes:
    """A text sitemap: one address a line, at most 50,000 of them, which the caller sees to."""
    return f"{locs.str.join(chr(10)).item() or ''}\n".encode()
