"""Reading the sitemap files that most tools write, as whole columns.

A file whose entries all have the plain form below, with right values, is well-formed XML by
that form alone and breaks no rule of an element: it need not be parsed. Anything else, however
small the difference, is left to the parser, which tells what is the matter and where.

    <urlset of known namespaces> ( <url> <loc> links [<lastmod>] [<changefreq>] [<priority>]
    ( <image:image> <image:loc> </image:image> )* ( <video:video> … </video:video> )* links
    </url> )* </urlset>

where links are `<xhtml:link rel="alternate" hreflang="…" href="…"/>`, any number of them,
and videos have their elements in the order of the schema.
"""

from __future__ import annotations

import re
from calendar import isleap
from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import NamedTuple

import polars as pl

from jovial_atlas import languages
from jovial_atlas.sitemaps import protocol

#: One row an entry: `companion` tells entries of videos and news, which repeat pages by design.
ROWS = {
    "loc": pl.String,
    "lastmod": pl.String,
    "line": pl.UInt32,
    "images": pl.UInt32,
    "companion": pl.Boolean,
}

#: The columns of language versions: one row a link of an entry.
LINKS = {"line": pl.UInt32, "loc": pl.String, "lang": pl.String, "href": pl.String}

_SPACES = "|".join(
    rf'\s+xmlns{prefix}="{re.escape(space)}"'
    for prefix, space in (
        ("", protocol.CORE), (":image", protocol.IMAGE), (":xhtml", protocol.XHTML),
        (":video", protocol.VIDEO),
    )
)  # fmt: skip
_OPENING = re.compile(
    # XML 1.0 §2.8: nothing stands before the declaration, where there is one.
    r'(?:<\?xml version="1\.0"(?: encoding="(?:UTF|utf)-8")?\s*\?>)?'
    r"\s*(?:<!-- [A-Za-z ]+ -->)?"
    rf"\s*(?:<\?xml-stylesheet [^?<>]*\?>)?\s*<urlset((?:{_SPACES}){{1,4}})\s*>"
)
_LEAP_DAY = re.compile("-02-29")
_CLOSING = re.compile(rb"\s*</urlset>\s*\Z")
# XML 1.0 §2.2 and §2.4: character data without markup, and the five entities.
# RFC 3986 §2: of these, signs that no address has are left to the longer way.
_TEXT = r"(?:[^<>&%#\x00-\x20\x7f\"'{}|\\^`]|%[0-9A-Fa-f]{2}|&(?:amp|apos);)"
# Dates in the forms that are nearly always used; other right ones take the longer way.
_DATE = (
    r"\d{4}-(?:0[1-9]|1[0-2])-(?:0[1-9]|1\d|2[0-8])"
    r"|\d{4}-(?:0[1-9]|1[0-2])-29|\d{4}-(?:0[13-9]|1[0-2])-30|\d{4}-(?:0[13578]|1[02])-31"
)
_TIME = r"T(?:[01]\d|2[0-3]):[0-5]\d:[0-5]\d(?:\.\d+)?(?:Z|[+-](?:[01]\d|2[0-3]):[0-5]\d)"
_FREQUENCY = "|".join(protocol.FREQUENCIES)
_ADDRESS = r"https?://[^/?\s<>&#\"']+(?:[/?]" + _TEXT + r"*)?"
_LINK = '<xhtml:link rel="alternate" hreflang="'
_LINKS = rf'(?:{_LINK}[A-Za-z0-9-]+" href="{_ADDRESS}"\s*/>\s*)*'
# Tested as a whole, without groups: that is what an automaton does fastest.
_BEGUN = (
    r"^\s*<url>\s*<loc>\s*" + _ADDRESS + r"\s*</loc>\s*" + _LINKS + ""
    r"(?:<lastmod>\s*(?:" + _DATE + r")(?:" + _TIME + r")?\s*</lastmod>\s*)?"
    r"(?:<changefreq>(?:" + _FREQUENCY + r")</changefreq>\s*)?"
    r"(?:<priority>(?:0(?:\.\d+)?|1(?:\.0+)?)</priority>\s*)?"
    r"(?:<image:image>\s*<image:loc>\s*https?://[^/?\s<>&\"']+(?:[/?]" + _TEXT + r"*)?"
    r"\s*</image:loc>\s*</image:image>\s*)*"
)
_ENTRY = _BEGUN + _LINKS + "$"
_SIGN = r"(?:[^<>&\x00-\x1f\x7f\x{FFFE}\x{FFFF}]|[\t\n\r]|&(?:amp|lt|gt|quot|apos);)"
_WORDS = r"\s*(?:[^<>&\s\x00-\x1f\x7f\x{FFFE}\x{FFFF}]|&(?:amp|lt|gt|quot|apos);)" + _SIGN + "*"
_MOMENT = rf"\s*(?:{_DATE})(?:{_TIME})?\s*"
_YES_NO = "(?:yes|no)"
_RELATION = ' relationship="(?:allow|deny)"'


def _element(name: str, value: str, attributes: str = "") -> str:
    return rf"<video:{name}{attributes}>{value}</video:{name}>\s*"


_PLACE = rf"\s*{_ADDRESS}\s*"
_PLAYER = _element("player_loc", _PLACE)
_VIDEO = (
    r"<video:video>\s*"
    + _element("thumbnail_loc", _PLACE) + _element("title", _WORDS)
    + _element("description", _WORDS)
    + f"(?:{_element('content_loc', _PLACE)}(?:{_PLAYER})?|{_PLAYER})"
    + "".join(
        f"(?:{_element(*parts)})?"
        for parts in (
            ("duration", r"(?:[1-9]\d{0,3}|1\d{4}|2[0-7]\d{3}|28[0-7]\d{2}|28800)"),
            ("expiration_date", _MOMENT), ("rating", r"(?:[0-4](?:\.\d+)?|5(?:\.0+)?)"),
            ("view_count", r"\d{1,18}"), ("publication_date", _MOMENT),
        )
    )
    + f"(?:{_element('tag', _WORDS)})*"
    + "".join(
        f"(?:{_element(*parts)})?"
        for parts in (
            ("category", _WORDS), ("family_friendly", _YES_NO),
            ("restriction", "[A-Z]{2}(?: [A-Z]{2})*", _RELATION), ("gallery_loc", _PLACE),
            ("requires_subscription", _YES_NO), ("uploader", _WORDS),
            ("platform", "(?:web|mobile|tv)(?: (?:web|mobile|tv))*", _RELATION),
            ("live", _YES_NO),
        )
    )
    + r"</video:video>\s*"
)  # fmt: skip
_ENTRY_WITH_VIDEOS = f"{_BEGUN}(?:{_VIDEO})*{_LINKS}$"
#: Texts of a video that have a longest length, in characters.
_LONGEST = {"title": 10_000, "description": 2_048, "tag": 10_000, "category": 256, "uploader": 255}


class PlainFile(NamedTuple):
    """A plain file: its entries as `ROWS`, and the keys of their language versions, each once an
    entry, as `line, loc, href`; None where it has none."""

    rows: pl.DataFrame
    keyed: pl.DataFrame | None


def read_plain(data: bytes) -> PlainFile | None:
    """The entries of a plain file, or None where the file has any other form."""
    tables, links = [], []
    for piece in _pieces(data):
        if piece is None:
            return None
        tables.append(piece.rows)
        if piece.links is not None:
            links.append(keys_of_links(piece.links))
    if not tables:
        return None
    keyed = pl.concat(links) if links else None
    if keyed is not None and _share_a_line(links):
        keyed = keyed.unique(maintain_order=True)
    return PlainFile(pl.concat(tables), keyed)


def plain_links(data: bytes) -> pl.DataFrame:
    """The language versions of the entries of a plain file, as `LINKS`."""
    found = [piece.links for piece in _pieces(data) if piece and piece.links is not None]
    return pl.concat([pl.DataFrame(schema=LINKS), *found])


def keys_of_links(links: pl.DataFrame) -> pl.DataFrame:
    """The keys of language versions, each once an entry, as `line, loc, href`."""
    keys = links.select("line", pl.col("loc", "href").hash(1))
    return keys.unique(["line", "loc", "href"], maintain_order=True)


def _share_a_line(tables: Sequence[pl.DataFrame]) -> bool:
    """Whether what ends one table stands on the line with which the next begins."""
    return any(one["line"][-1] == other["line"][0] for one, other in pairwise(tables))


class _Piece(NamedTuple):
    rows: pl.DataFrame
    links: pl.DataFrame | None


#: So many bytes are worked on together: enough for whole columns to pay, few to be held.
_AT_ONCE = 2_000_000
_END = b"</url>"


def _pieces(data: bytes) -> Iterator[_Piece | None]:
    """A plain file a few thousand entries at a time; None, and nothing more, once it turns out to
    be none."""
    ends = _ends(data)
    if ends is None:
        yield None
        return
    start, end, line = ends
    while start < end:
        cut = data.rfind(_END, start, min(start + _AT_ONCE, end))
        cut = data.find(_END, start, end) if cut < 0 else cut
        if cut < 0:
            if data[start:end].strip():
                yield None
            return
        try:
            text = data[start : cut + len(_END)].decode("utf-8")
        except UnicodeDecodeError:
            yield None
            return
        piece = _read_entries(text, line)
        yield piece
        if piece is None:
            return
        line += text.count("\n")
        start = cut + len(_END)


def _ends(data: bytes) -> tuple[int, int, int] | None:
    """Where the entries of a file begin and end, and the line of the first, where its ends are
    plain."""
    head = data[:_HEAD].decode("utf-8", "ignore")
    opening = _OPENING.match(head)
    closing = _CLOSING.search(data, max(len(data) - 64, 0))
    if opening is None or closing is None or opening[1].count("xmlns=") != 1:
        return None
    for prefix in ("image", "xhtml", "video"):
        named = opening[1].count(f"xmlns:{prefix}=")
        if named > 1 or (not named and f"<{prefix}:".encode() in data):
            return None
    begun = opening[0]
    return len(begun.encode()), closing.start(), begun.count("\n") + 1


#: The opening tag of a plain file ends within so many bytes.
_HEAD = 65_536


def _read_entries(body: str, line: int) -> _Piece | None:
    """Whole entries, the first of which begins on a line; None where one is not plain."""
    pieces = pl.Series("piece", [body]).str.split("</url>").explode()
    pieces = pieces.head(pieces.len() - 1)
    piece = pl.col("piece")
    whole = pl.DataFrame({"piece": pieces})
    shows = "<video:" in body
    if not pieces.str.contains(_ENTRY_WITH_VIDEOS if shows else _ENTRY).all():
        return None
    if shows and not _has_right_videos(whole):
        return None
    images = pl.lit(0, pl.UInt32)
    if "<image:" in body:
        images = piece.str.count_matches("<image:image>", literal=True)
    rows = whole.select(
        loc=_inside(piece, "loc"),
        lastmod=_inside(piece, "lastmod") if "<lastmod>" in body else pl.lit(None, pl.String),
        newlines=piece.str.count_matches("\n", literal=True),
        # White space before <url> holds line ends of its own.
        lead=piece.str.count_matches("\n", literal=True)
        - piece.str.strip_chars_start().str.count_matches("\n", literal=True),
        images=images,
        companion=piece.str.contains("<video:", literal=True) if shows else pl.lit(False),
    )
    # Found by what stands behind the year, which is far faster in a long text.
    years = {body[day.start() - 4 : day.start()] for day in _LEAP_DAY.finditer(body)}
    if not all(year.isdecimal() and isleap(int(year)) for year in years):
        return None
    if (rows["loc"].str.len_chars() >= protocol.MAX_LOC).any():
        return None
    rows = _unescaped(rows, body)
    at = pl.col("newlines").cum_sum().shift(1, fill_value=0) + pl.col("lead") + line
    rows = rows.with_columns(line=at.cast(pl.UInt32)).select(list(ROWS))
    if _LINK not in body:
        return _Piece(rows, None)
    links = _links_of(pieces, rows, body)
    return None if links is None else _Piece(rows, links)


def _has_right_videos(whole: pl.DataFrame) -> bool:
    """Whether videos in pieces of the plain form keep the rules that the form does not."""
    piece = pl.col("piece")
    found = [
        (piece.str.extract_all(f"<video:{name}>[^<]*").list.eval(pl.element().str.len_chars())
         .list.max() > most + len(f"<video:{name}>")).any()
        for name, most in _LONGEST.items()
    ]  # fmt: skip
    found.append((piece.str.count_matches("<video:tag>", literal=True) > protocol.MAX_TAGS).any())
    # What is the address of the page itself is none of a video.
    media = piece.str.extract_all(r"<video:(?:content|player)_loc>[^<]*")
    bare = media.list.eval(pl.element().str.replace(r"^[^>]*>", "").str.strip_chars())
    found.append(bare.list.contains(_inside(piece, "loc")).any())
    (wrong,) = whole.select(pl.any_horizontal(found).fill_null(False)).to_series()
    return not wrong


def _links_of(pieces: pl.Series, rows: pl.DataFrame, body: str) -> pl.DataFrame | None:
    """The language versions of entries; None where one names no language."""
    parts = (
        rows.select("line", "loc", part=pieces.str.split(_LINK).list.slice(1))
        .filter(pl.col("part").list.len() > 0)
        .explode("part")
    )
    said = pl.col("part").str.splitn('" href="', 2).struct
    links = parts.select(
        "line", "loc", lang=said.field("field_0"),
        href=said.field("field_1").str.splitn('"', 2).struct.field("field_0"),
    )  # fmt: skip
    for language in links["lang"].unique():
        if language.lower() != "x-default" and languages.fault_of(language):
            return None
    return _unescaped(links, body, "href")


#: What stands before every address and every date in a file of ours.
_URL, _LASTMOD = " <url>\n  <loc>", "  <lastmod>"


def as_written(data: bytes) -> pl.DataFrame:
    """`loc, lastmod` of a file that `write.urlset_file` made, every element on a line of its own:
    read far faster than a file that anyone may have written. What has another form is left out."""
    text = data.decode("utf-8", "replace")
    first = text.find(_URL) + len(_URL)
    entries = pl.Series("entry", [text[first:]]).str.split(_URL).explode().to_frame()
    parts = entries.select(pl.col("entry").str.splitn("</loc>\n", 2)).unnest("entry")
    after = pl.col("field_1").str.splitn("</lastmod>", 2).struct.field("field_0")
    dated = after.str.starts_with(_LASTMOD)
    rows = parts.select(
        loc="field_0", lastmod=pl.when(dated).then(after.str.strip_prefix(_LASTMOD))
    )
    return _unescaped(rows, text)


def _unescaped(rows: pl.DataFrame, text: str, column: str = "loc") -> pl.DataFrame:
    if "&" not in text:
        return rows
    names = ["&lt;", "&gt;", "&quot;", "&apos;", "&amp;"]
    return rows.with_columns(pl.col(column).str.replace_many(names, ["<", ">", '"', "'", "&"]))


def _inside(piece: pl.Expr, name: str) -> pl.Expr:
    """The text of the one element of this name, null where there is none."""
    after = piece.str.splitn(f"<{name}>", 2).struct.field("field_1")
    return after.str.splitn("</", 2).struct.field("field_0").str.strip_chars()
