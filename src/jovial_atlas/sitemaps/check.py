"""Checking sitemap files that were read: every rule of `protocol`, entry by entry.

Each function takes values and gives faults; nothing is fetched or opened here. The
rules of place need the address under which a file is, or will be, served.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence

import msgspec
import polars as pl

from jovial_atlas import addresses
from jovial_atlas.faults import Fault
from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.check_entry import check_entry, check_lastmod, note_images
from jovial_atlas.sitemaps.notes import MOST_TOLD, EntryNotes, Notes
from jovial_atlas.sitemaps.plain import ROWS
from jovial_atlas.sitemaps.read import Entry, FileKind, SitemapFile


class ServedAt(msgspec.Struct, frozen=True):
    """Where a file is served. `address` None: unknown, so rules of place are left out.

    `proven` holds origins whose own robots.txt names this file: for them host and
    folder are free (sitemaps.org, "cross submits").
    """

    address: str | None = None
    proven: Collection[str] = ()


def check_file(file: SitemapFile, place: ServedAt, now: str) -> list[Fault]:
    """All faults of one file, at most `MOST_TOLD` of each code. `now` is a date in the
    product's form."""
    noted = Notes(file.name)
    if (
        file.kind in (FileKind.URLSET, FileKind.INDEX, FileKind.TEXT)
        and not file.count
        and not file.faults
    ):
        noted("sitemap-empty", None, "The file lists no address.")
    if file.count > protocol.MAX_ENTRIES:
        noted(
            "sitemap-too-many",
            None,
            f"It lists {file.count:,} entries; {protocol.MAX_ENTRIES:,} are allowed.",
        )
    if place.address is None and file.kind in (FileKind.URLSET, FileKind.INDEX, FileKind.TEXT):
        _check_one_host(file, noted)
    if (plain := file.plain) is not None:
        _check_plain(plain, place, noted, now)
    else:
        news = 0
        for entry in file.entries:
            check_entry(entry, file.kind, noted, now)
            news += bool(entry.node and entry.node.first(protocol.NEWS, "news"))
            if entry.loc and place.address:
                _check_place(entry, file.kind, place, noted)
        if news > protocol.MAX_NEWS:
            message = f"It lists {news:,} articles; {protocol.MAX_NEWS:,} are allowed."
            noted("news-too-many", None, message)
    return [*file.faults, *noted.told()]


def _check_one_host(file: SitemapFile, noted: Notes) -> None:
    """Wherever a file is served: it lists addresses of one host."""
    begun = pl.col("loc").str.extract(r"^https?://[^/?#]+", 0).str.to_lowercase()
    rows = file.rows.select("loc", "line", origin=begun).filter(pl.col("origin").is_not_null())
    if not rows.height or rows["origin"].n_unique() == 1:
        return
    (first,) = rows["origin"].value_counts(sort=True).head(1)["origin"].to_list()
    for loc, line in rows.filter(pl.col("origin") != first).select("loc", "line").iter_rows():
        message = f"{loc} is on another host than most of what the file lists, {first}."
        noted("sitemap-loc-host", line, message)


def _check_plain(rows: pl.DataFrame, place: ServedAt, noted: Notes, now: str) -> None:
    """The rules that the form of a plain file does not keep by itself."""
    late = rows.filter(pl.col("lastmod").str.head(10) >= now[:10])
    for loc, lastmod, line in late.select("loc", "lastmod", "line").iter_rows():
        check_lastmod(lastmod, line, EntryNotes(loc, now, noted))
    many = rows.filter(pl.col("images") > protocol.MAX_IMAGES)
    for loc, images, line in many.select("loc", "images", "line").iter_rows():
        note_images(images, line, EntryNotes(loc, now, noted))
    if place.address:
        folder = addresses.folder(place.address)
        # What begins with the folder as it is written is in it; the rest is looked at.
        for loc, line in (
            rows.filter(~pl.col("loc").str.starts_with(folder)).select("loc", "line").iter_rows()
        ):
            _check_place(Entry(loc, line), FileKind.URLSET, place, noted)


def _check_place(entry: Entry, kind: FileKind, place: ServedAt, noted: Notes) -> None:
    assert place.address is not None
    try:
        loc = addresses.normalise(entry.loc)
    except ValueError:
        return
    host = addresses.origin(loc)
    if host in place.proven:
        return
    if host != addresses.origin(place.address):
        noted(
            "sitemap-loc-host",
            entry.line,
            f"{entry.loc} is on another host than the file, which is served from "
            f"{addresses.origin(place.address)}.",
        )
    elif kind != FileKind.NONE and not loc.startswith(addresses.folder(place.address)):
        noted(
            "sitemap-loc-folder",
            entry.line,
            f"{entry.loc} lies outside {addresses.folder(place.address)}, the folder of the file.",
        )


def rows_by_file(
    files: Sequence[SitemapFile], only: int | None = None, *, texts: bool = True
) -> Iterator[pl.DataFrame]:
    """The entries of each file that lists pages, or of `only` one, as `plain.ROWS` with the number
    of their file in `file`; indexes and feeds, which repeat pages, are left out, and without
    `texts` plain text that repeats others."""
    # Plain text beside XML repeats it: the same addresses for whoever reads no XML.
    xml = any(file.kind == FileKind.URLSET for file in files)
    for number in range(len(files)) if only is None else (only,):
        file = files[number]
        repeats = xml and file.kind == FileKind.TEXT
        if file.kind in (FileKind.URLSET, FileKind.TEXT) and (texts or not repeats):
            yield file.rows.with_columns(
                file=pl.lit(number, pl.UInt32),
                companion=pl.lit(True) if repeats else pl.col("companion"),
            )


def rows_of(files: Sequence[SitemapFile]) -> pl.DataFrame:
    """As `rows_by_file`, of all files together."""
    tables = list(rows_by_file(files))
    return pl.concat(tables) if tables else pl.DataFrame(schema={**ROWS, "file": pl.UInt32})


#: What addresses are told apart by, where all of them would be too many to hold.
_KEY = pl.col("loc").hash(1).alias("loc")
_KEYED = {"loc": pl.UInt64, "line": pl.UInt32, "images": pl.UInt32, "companion": pl.Boolean,
          "file": pl.UInt32}  # fmt: skip


def _keyed_rows(files: Sequence[SitemapFile]) -> pl.DataFrame:
    """As `rows_of`, with a key in place of each address; what has none is left out."""
    tables = [
        rows.filter(pl.col("loc") != "").select(_KEY, *list(_KEYED)[1:])
        for rows in rows_by_file(files)
    ]
    return pl.concat(tables) if tables else pl.DataFrame(schema=_KEYED)


def with_addresses(rows: pl.DataFrame, files: Sequence[SitemapFile]) -> pl.DataFrame:
    """Rows of `_keyed_rows`, of which there are few, with the addresses behind their keys as
    `text`."""
    found = [
        some.join(files[int(of[0])].rows.select(_KEY, text="loc").unique("loc"), on="loc")
        for of, some in rows.with_row_index("_at").partition_by("file", as_dict=True).items()
    ]
    if not found:
        return rows.with_columns(text=pl.lit(None, pl.String))
    # Written anew: a text that is taken from a file's keeps all of them in memory.
    few = [pl.DataFrame(one.rows(), schema=one.schema, orient="row") for one in found]
    return pl.concat(few).sort("_at").drop("_at")


def check_across(files: Sequence[SitemapFile]) -> Iterator[Fault]:
    """The rules that hold for a set as a whole: an address stands once in it (but for the
    entries of videos and news, which repeat pages by design), its pictures added up are no
    more than allowed, videos belong to listed pages, alternates are returned."""
    rows = _keyed_rows(files)

    def where(file: int, line: int) -> str:
        return f"{files[file].name}:{line}"

    yield from _twice(rows, files, where)
    yield from _pictures_added_up(rows, files, where)
    pages = rows.filter(~pl.col("companion"))
    if pages.height:
        media = [number for number, file in enumerate(files) if file.kind == FileKind.URLSET]
        shown = rows.filter(pl.col("companion") & pl.col("file").is_in(media))
        unlisted = with_addresses(shown.join(pages, on="loc", how="anti"), files)
        for loc, file, line in unlisted.select("text", "file", "line").iter_rows():
            message = f"{loc} has a video or an article, but no other sitemap lists the page."
            yield Fault("companion-unlisted", where(file, line), message)
    yield from _alternates(files, rows)


_Where = Callable[[int, int], str]


def _twice(rows: pl.DataFrame, files: Sequence[SitemapFile], where: _Where) -> Iterator[Fault]:
    same = ["loc", "companion"]
    # One number is told from others with a fraction of the memory that two columns take.
    key = rows.select(pl.col("loc") // 2 * 2 + pl.col("companion").cast(pl.UInt64)).to_series()
    again = rows.filter(~key.is_first_distinct())
    if not again.height:
        return
    first = rows.unique(same, keep="first", maintain_order=True)
    repeated = again.join(first, on=same, how="left", suffix="_first", maintain_order="left")
    for loc, file, line, first_file, first_line in (
        with_addresses(repeated.head(MOST_TOLD), files)
        .select("text", "file", "line", "file_first", "line_first")
        .iter_rows()
    ):
        message = f"{loc} is already listed at {where(first_file, first_line)}."
        yield Fault("sitemap-loc-twice", where(file, line), message)
    if repeated.height > MOST_TOLD:
        message = f"{repeated.height - MOST_TOLD:,} more addresses are listed twice."
        yield Fault("sitemap-loc-twice", where(repeated["file"][MOST_TOLD], 0)[:-2], message)


def _pictures_added_up(
    rows: pl.DataFrame, files: Sequence[SitemapFile], where: _Where
) -> Iterator[Fault]:
    some = rows.filter(pl.col("images") > 0)
    summed = (
        some.group_by("loc", maintain_order=True)
        .agg(pl.col("images").sum(), pl.col("images").max().alias("most"), pl.last("file", "line"))
        .filter((pl.col("images") > protocol.MAX_IMAGES) & (pl.col("most") <= protocol.MAX_IMAGES))
    )
    told = with_addresses(summed, files).select("text", "images", "file", "line")
    for loc, images, file, line in told.iter_rows():
        message = (
            f"{images:,} pictures of {loc} over all files; {protocol.MAX_IMAGES:,} are allowed."
        )
        yield Fault("sitemap-images-too-many", where(file, line), message)


def _alternates(files: Sequence[SitemapFile], rows: pl.DataFrame) -> Iterator[Fault]:
    """Every version lists every version, itself included; a link that is not returned is
    ignored. Versions that no file of the set lists cannot be asked."""
    found = {number: keys for number, file in enumerate(files) if (keys := file.link_keys).height}
    if not found:
        return
    # File by file: links are several times as many as pages.
    itself = (pl.col("loc") == pl.col("href")).any()
    entries = pl.concat(
        keys.group_by("loc", "line", maintain_order=True)
        .agg(itself=itself)
        .with_columns(file=pl.lit(number, pl.UInt32))
        for number, keys in found.items()
    )
    if entries["loc"].n_unique() < entries.height:
        # What stands twice counts where it stands first.
        entries = entries.unique("loc", keep="first", maintain_order=True)
        for number, keys in found.items():
            first = entries.filter(file=number)
            found[number] = keys.join(first, on=["loc", "line"], how="semi", maintain_order="left")
    without = entries.filter(~pl.col("itself"))
    for where, said in _told(without, files):
        message = f"{said['loc'][0]} lists its versions without itself."
        yield Fault("alternate-no-self", where, message)
    yield from _more("alternate-no-self", without, files, "pages list their versions so")
    alone = _not_returned(list(_others(found, rows.select(href="loc"))))
    for where, said in _told(alone, files):
        loc, language, version = said.select("loc", "lang", "href").row(-1)
        message = f"{loc} names {version} as its {language} version, which does not name it."
        yield Fault("alternate-not-returned", where, message)
    yield from _more("alternate-not-returned", alone, files, "versions are not returned")


def _others(found: Mapping[int, pl.DataFrame], known: pl.DataFrame) -> Iterator[pl.DataFrame]:
    """Links to other versions that are listed, file by file."""
    for number, keys in found.items():
        others = keys.filter(pl.col("loc") != pl.col("href"))
        listed = others.join(known, on="href", how="semi", maintain_order="left")
        yield listed.with_columns(file=pl.lit(number, pl.UInt32))


def _not_returned(tables: Sequence[pl.DataFrame]) -> pl.DataFrame:
    """The links of which none leads back."""
    loc, href = pl.col("loc"), pl.col("href")
    there, back = loc.hash(3) ^ href.hash(4), href.hash(3) ^ loc.hash(4)
    sums = pl.concat(one.select(there=there.sum(), back=back.sum()) for one in tables).sum()
    if sums["there"][0] == sums["back"][0]:
        # All that lead there lead back as well: looking for each would take far longer.
        return tables[0].clear()
    links = pl.concat(tables)
    back_of = links.select(loc="href", href="loc")
    return links.join(back_of, on=["loc", "href"], how="anti", maintain_order="left")


def _told(some: pl.DataFrame, files: Sequence[SitemapFile]) -> Iterator[tuple[str, pl.DataFrame]]:
    """Some entries (`file, line`), or links of them (`href` as well), as they are told of: where
    each stands, and its links as `plain.LINKS`. Each file is read again once."""
    by = [name for name in ("line", "href") if name in some.columns]
    for (at,), found in some.head(MOST_TOLD).group_by("file", maintain_order=True):
        file = files[int(at)]
        links = file.links()
        keys = {"line": pl.col("line"), "href": pl.col("href").hash(1)}
        for values in found.select(by).iter_rows():
            wanted = [keys[name] == value for name, value in zip(by, values, strict=True)]
            yield f"{file.name}:{values[0]}", links.filter(wanted)


def _more(
    code: str, links: pl.DataFrame, files: Sequence[SitemapFile], what: str
) -> Iterator[Fault]:
    if links.height > MOST_TOLD:
        name = files[links["file"][MOST_TOLD]].name
        yield Fault(code, name, f"{links.height - MOST_TOLD:,} more {what}.")


def check_nesting(index: SitemapFile, listed: Mapping[str, SitemapFile]) -> Iterator[Fault]:
    """An index may not list an index. `listed` maps an entry's loc to the file it leads to."""
    for entry in index.entries:
        child = listed.get(entry.loc)
        if child is not None and child.kind == FileKind.INDEX:
            yield Fault(
                "sitemap-index-nested",
                f"{index.name}:{entry.line}",
                f"{entry.loc} is itself an index; an index may list sitemaps only.",
            )
