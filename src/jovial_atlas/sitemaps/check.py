"""Checking sitemap files that were read: every rule of `protocol`, entry by entry.

Each function takes values and gives faults; nothing is fetched or opened here. The
rules of place need the address under which a file is, or will be, served.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

import polars as pl

from jovial_atlas import addresses, dates, languages
from jovial_atlas.faults import Fault
from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.plain import ROWS
from jovial_atlas.sitemaps.read import Entry, Node, SitemapFile

_ENTRY_RULES = {"urlset": protocol.URL, "sitemapindex": protocol.SITEMAP}


@dataclass(frozen=True, slots=True)
class Place:
    """Where a file is served. `address` None: unknown, so rules of place are left out.

    `proven` holds origins whose own robots.txt names this file: for them host and
    folder are free (sitemaps.org, "cross submits").
    """

    address: str | None = None
    proven: Collection[str] = ()


def check_file(file: SitemapFile, place: Place, now: str) -> list[Fault]:
    """All faults of one file, at most `MOST_TOLD` of each code. `now` is a date in the
    product's form."""
    noted = _Notes(file.name)
    if file.kind in ("urlset", "sitemapindex", "text") and not file.count and not file.faults:
        noted("sitemap-empty", None, "The file lists no address.")
    if file.count > protocol.MAX_ENTRIES:
        noted(
            "sitemap-too-many",
            None,
            f"It lists {file.count:,} entries; {protocol.MAX_ENTRIES:,} are allowed.",
        )
    if place.address is None and file.kind in ("urlset", "sitemapindex", "text"):
        _check_one_host(file, noted)
    if file.plain is not None:
        _check_plain(file.plain, place, noted, now)
    else:
        news = 0
        for entry in file.entries:
            _check_entry(entry, file.kind, noted, now)
            news += bool(entry.node and entry.node.first(protocol.NEWS, "news"))
            if entry.loc and place.address:
                _check_place(entry, file.kind, place, noted)
        if news > protocol.MAX_NEWS:
            message = f"It lists {news:,} articles; {protocol.MAX_NEWS:,} are allowed."
            noted("news-too-many", None, message)
    return [*file.faults, *noted.told()]


def _check_one_host(file: SitemapFile, noted: _Notes) -> None:
    """Wherever a file is served: it lists addresses of one host."""
    begun = pl.col("loc").str.extract(r"^(https?://[^/?#]+)").str.to_lowercase()
    rows = file.rows.select("loc", "line", origin=begun).filter(pl.col("origin").is_not_null())
    if not rows.height or rows["origin"].n_unique() == 1:
        return
    (first,) = rows["origin"].value_counts(sort=True).head(1)["origin"].to_list()
    for loc, line in rows.filter(pl.col("origin") != first).select("loc", "line").iter_rows():
        message = f"{loc} is on another host than most of what the file lists, {first}."
        noted("sitemap-loc-host", line, message)


#: Faults of one code that are told of one file; of the others only their number.
MOST_TOLD = 100


class _Notes:
    """The faults of a file as they are found, no more of each code than a person can use."""

    def __init__(self, name: str) -> None:
        self.name = name
        self._found: dict[str, list[Fault]] = {}
        self._left: dict[str, int] = {}

    def __call__(self, code: str, line: int | None, message: str) -> None:
        found = self._found.setdefault(code, [])
        if len(found) < MOST_TOLD:
            found.append(Fault(code, f"{self.name}:{line}" if line else self.name, message))
        else:
            self._left[code] = self._left.get(code, 0) + 1

    def told(self) -> Iterator[Fault]:
        """All faults, and how many more there are of each code that has too many."""
        for code, found in self._found.items():
            yield from found
            if left := self._left.get(code):
                message = f"{left:,} more like this in the file; the first {MOST_TOLD} are told."
                yield Fault(code, self.name, message)


def _check_plain(rows: pl.DataFrame, place: Place, noted: _Notes, now: str) -> None:
    """The rules that the form of a plain file does not keep by itself."""
    late = rows.filter(pl.col("lastmod").str.head(10) >= now[:10])
    for loc, lastmod, line in late.select("loc", "lastmod", "line").iter_rows():
        _check_lastmod(lastmod, line, f" (entry {loc[:120]})", noted, now)
    many = rows.filter(pl.col("images") > protocol.MAX_IMAGES)
    for loc, images, line in many.select("loc", "images", "line").iter_rows():
        _note_images(images, line, f" (entry {loc[:120]})", noted)
    if place.address:
        folder = addresses.folder(place.address)
        # What begins with the folder as it is written is in it; the rest is looked at.
        for loc, line in (
            rows.filter(~pl.col("loc").str.starts_with(folder)).select("loc", "line").iter_rows()
        ):
            _check_place(Entry(loc, line), "urlset", place, noted)


def _check_lastmod(last: str, line: int, about: str, noted: _Notes, now: str) -> None:
    if dates.is_w3c(last) and (read := dates.read(last)) and read > now:
        noted("sitemap-lastmod-future", line, f"lastmod {last} lies in the future{about}.")


def _note_images(images: int, line: int, about: str, noted: _Notes) -> None:
    noted(
        "sitemap-images-too-many",
        line,
        f"{images:,} pictures at one address; {protocol.MAX_IMAGES:,} are allowed{about}.",
    )


def _check_entry(entry: Entry, kind: str, noted: _Notes, now: str) -> None:
    rules = _ENTRY_RULES.get(kind)
    if rules is None or entry.node is None:
        if not protocol.LOC.test(entry.loc):
            noted("sitemap-value", entry.line, f"{entry.loc[:120]!r} is not {protocol.LOC.form}.")
        return
    about = f" (entry {entry.loc[:120]})" if entry.loc else ""
    _check_children(entry.node, protocol.CORE, rules, about, noted)
    if entry.lastmod:
        _check_lastmod(entry.lastmod, entry.line, about, noted, now)
    if kind != "urlset":
        return
    images = 0
    for child in entry.node.children:
        images += (child.space, child.name) == (protocol.IMAGE, "image")
        check = _EXTENSIONS.get((child.space, child.name))
        if check:
            check(child, entry.loc, about, noted, now)
        else:
            _check_foreign(child, about, noted)
    if images > protocol.MAX_IMAGES:
        _note_images(images, entry.line, about, noted)


def _check_foreign(child: Node, about: str, noted: _Notes) -> None:
    """An element in an entry that is none of a known extension."""
    meant = _NEARLY.get(_bare(child.space)) if child.space not in _SPACES else None
    if meant:
        noted(
            "sitemap-namespace",
            child.line,
            f"<{child.name}> is in the namespace {child.space!r}; engines know {meant!r} and "
            f"pass over what is in any other{about}.",
        )
    elif child.space in protocol.PREFIXES and child.space != protocol.CORE:
        noted(
            "sitemap-element-unknown",
            child.line,
            f"<{protocol.PREFIXES[child.space]}:{child.name}> may not stand in <url>{about}.",
        )


def _check_image(image: Node, _loc: str, about: str, noted: _Notes, _now: str) -> None:
    _check_children(image, protocol.IMAGE, protocol.IMAGE_RULES, about, noted)


def _check_news(news: Node, _loc: str, about: str, noted: _Notes, now: str) -> None:
    _check_children(news, protocol.NEWS, protocol.NEWS_RULES, about, noted)
    _check_news_date(news, about, noted, now)
    if publication := news.first(protocol.NEWS, "publication"):
        _check_children(publication, protocol.NEWS, protocol.PUBLICATION_RULES, about, noted)


def _check_link(link: Node, _loc: str, about: str, noted: _Notes, _now: str) -> None:
    _check_alternate(link, about, noted)


def _check_film(video: Node, loc: str, about: str, noted: _Notes, _now: str) -> None:
    _check_video(video, loc, about, noted)


#: Elements of extensions that may stand in an entry → what checks them: gets the element, the
#: address of the entry, words that name the entry, the notes, and the time of now.
_EXTENSIONS = {
    (protocol.IMAGE, "image"): _check_image,
    (protocol.VIDEO, "video"): _check_film,
    (protocol.NEWS, "news"): _check_news,
    (protocol.XHTML, "link"): _check_link,
}


_SPACES = frozenset(protocol.PREFIXES)


def _bare(space: str) -> str:
    """A namespace without what is easily written otherwise: scheme, `www.`, version, end."""
    said = re.sub(r"^https?://(?:www\.)?", "", space.strip().lower())
    return re.sub(r"/?[0-9.]*/?#?$", "", said)


#: Namespaces without these → as they are.
_NEARLY = {_bare(space): space for space in protocol.PREFIXES}


def _check_children(
    node: Node,
    space: str,
    rules: Mapping[str, protocol.Element],
    about: str,
    noted: _Notes,
) -> None:
    seen: dict[str, int] = {}
    for child in node.children:
        if child.space != space:
            continue
        rule = rules.get(child.name)
        if rule is None:
            noted(
                "sitemap-element-unknown",
                child.line,
                f"<{child.name}> may not stand in <{node.name}>{about}.",
            )
            continue
        seen[child.name] = seen.get(child.name, 0) + 1
        if rule.retired:
            noted(
                "sitemap-element-retired",
                child.line,
                f"<{child.name}> in <{node.name}> is retired; engines ignore it{about}.",
            )
        elif not rule.test(child.text):
            shown = child.text if len(child.text) <= 80 else child.text[:77] + "…"
            noted(
                "sitemap-value",
                child.line,
                f"<{child.name}> {shown!r} is not {rule.form}{about}.",
            )
    for name, rule in rules.items():
        count = seen.get(name, 0)
        if rule.required and not count:
            noted(
                "sitemap-element-missing",
                node.line,
                f"<{node.name}> has no <{name}>, which is required{about}.",
            )
        elif count > rule.most:
            noted(
                "sitemap-element-repeated",
                node.line,
                f"<{node.name}> has <{name}> {count} times; {rule.most} is the most{about}.",
            )


def _check_video(video: Node, page: str, about: str, noted: _Notes) -> None:
    _check_children(video, protocol.VIDEO, protocol.VIDEO_RULES, about, noted)
    _check_attributes(video, page, about, noted)
    found = [video.first(protocol.VIDEO, name) for name in ("content_loc", "player_loc")]
    media = [node for node in found if node is not None]
    if not media:
        noted(
            "video-no-media",
            video.line,
            f"<video> has neither <content_loc> nor <player_loc>; one is required{about}.",
        )
    for node in media:
        if node.text == page:
            noted(
                "video-same-as-page",
                node.line,
                f"<{node.name}> is the address of the page itself{about}.",
            )


def _check_attributes(video: Node, page: str, about: str, noted: _Notes) -> None:
    for name, (attribute, form, test, required) in protocol.VIDEO_ATTRIBUTES.items():
        node = video.first(protocol.VIDEO, name)
        if node is None:
            continue
        value = node.attributes.get(attribute)
        if value is None and required:
            noted("sitemap-value", node.line, f"<{name}> has no {attribute}{about}.")
        elif value is not None and not test(value):
            said = f"<{name}> {attribute} {value!r} is not {form}{about}."
            noted("sitemap-value", node.line, said)
        elif attribute == "info" and value and addresses.origin(value) != addresses.origin(page):
            said = f"<{name}> info {value!r} is on another host than the page{about}."
            noted("sitemap-value", node.line, said)


def _check_news_date(news: Node, about: str, noted: _Notes, now: str) -> None:
    node = news.first(protocol.NEWS, "publication_date")
    published = dates.read(node.text) if node else None
    if not node or not published:
        return
    # A day without a time is news until its end.
    published = published if "T" in published else f"{published}T23:59:59Z"
    age = datetime.fromisoformat(now) - datetime.fromisoformat(published)
    if age > timedelta(hours=protocol.NEWS_HOURS):
        message = f"Published {node.text}, over {protocol.NEWS_HOURS} hours ago{about}."
        noted("news-old", node.line, message)


def _check_alternate(link: Node, about: str, noted: _Notes) -> None:
    if link.attributes.get("rel") != "alternate":
        return
    language = link.attributes.get("hreflang", "")
    if not language:
        noted("sitemap-value", link.line, f"<xhtml:link> has no hreflang{about}.")
    elif language.lower() != "x-default" and (wrong := languages.fault_of(language)):
        noted("alternate-language", link.line, f"hreflang {language!r} {wrong}{about}.")
    href = link.attributes.get("href", "")
    if not href.startswith(("http://", "https://")):
        noted("sitemap-value", link.line, f"<xhtml:link> href {href!r} is not absolute{about}.")


def _check_place(entry: Entry, kind: str, place: Place, noted: _Notes) -> None:
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
    elif kind != "" and not loc.startswith(addresses.folder(place.address)):
        noted(
            "sitemap-loc-folder",
            entry.line,
            f"{entry.loc} lies outside {addresses.folder(place.address)}, the folder of the file.",
        )


def rows_of(files: Sequence[SitemapFile]) -> pl.DataFrame:
    """The entries of all files that list pages, as `plain.ROWS` with the number of their file
    in `file`; indexes and feeds, which repeat pages, are left out."""
    # Plain text beside XML repeats it: the same addresses for whoever reads no XML.
    xml = any(file.kind == "urlset" for file in files)
    found = [
        file.rows.with_columns(
            file=pl.lit(number, pl.UInt32),
            companion=pl.lit(True) if xml and file.kind == "text" else pl.col("companion"),
        )
        for number, file in enumerate(files)
        if file.kind in ("urlset", "text")
    ]
    return pl.concat(found) if found else pl.DataFrame(schema={**ROWS, "file": pl.UInt32})


def check_across(files: Sequence[SitemapFile]) -> Iterator[Fault]:
    """The rules that hold for a set as a whole: an address stands once in it (but for the
    entries of videos and news, which repeat pages by design), its pictures added up are no
    more than allowed, videos belong to listed pages, alternates are returned."""
    rows = rows_of(files).filter(pl.col("loc") != "")

    def where(file: int, line: int) -> str:
        return f"{files[file].name}:{line}"

    yield from _twice(rows, where)
    yield from _pictures_added_up(rows, where)
    pages = rows.filter(~pl.col("companion"))
    if pages.height:
        media = [number for number, file in enumerate(files) if file.kind == "urlset"]
        shown = rows.filter(pl.col("companion") & pl.col("file").is_in(media))
        unlisted = shown.join(pages, on="loc", how="anti")
        for loc, file, line in unlisted.select("loc", "file", "line").iter_rows():
            message = f"{loc} has a video or an article, but no other sitemap lists the page."
            yield Fault("companion-unlisted", where(file, line), message)
    yield from _alternates(files)


def _twice(rows: pl.DataFrame, where: Callable[[int, int], str]) -> Iterator[Fault]:
    same = ["loc", "companion"]
    if rows["loc"].hash().n_unique() == rows.height:
        return
    again = rows.filter(~pl.struct(same).is_first_distinct())
    first = rows.unique(same, keep="first", maintain_order=True)
    told = again.join(first, on=same, how="left", suffix="_first", maintain_order="left")
    for loc, file, line, first_file, first_line in (
        told.head(MOST_TOLD).select("loc", "file", "line", "file_first", "line_first").iter_rows()
    ):
        message = f"{loc} is already listed at {where(first_file, first_line)}."
        yield Fault("sitemap-loc-twice", where(file, line), message)
    if told.height > MOST_TOLD:
        message = f"{told.height - MOST_TOLD:,} more addresses are listed twice."
        yield Fault("sitemap-loc-twice", where(told["file"][MOST_TOLD], 0)[:-2], message)


def _pictures_added_up(rows: pl.DataFrame, where: Callable[[int, int], str]) -> Iterator[Fault]:
    some = rows.filter(pl.col("images") > 0)
    summed = (
        some.group_by("loc", maintain_order=True)
        .agg(pl.col("images").sum(), pl.col("images").max().alias("most"), pl.last("file", "line"))
        .filter((pl.col("images") > protocol.MAX_IMAGES) & (pl.col("most") <= protocol.MAX_IMAGES))
    )
    for loc, images, file, line in summed.select("loc", "images", "file", "line").iter_rows():
        message = (
            f"{images:,} pictures of {loc} over all files; {protocol.MAX_IMAGES:,} are allowed."
        )
        yield Fault("sitemap-images-too-many", where(file, line), message)


def _alternates(files: Sequence[SitemapFile]) -> Iterator[Fault]:
    """Every version lists every version, itself included; a link that is not returned is
    ignored. Versions that no file of the set lists cannot be asked."""
    links: dict[str, tuple[str, dict[str, str]]] = {}
    for file in files:
        for entry in file.entries if file.plain is None and file.kind == "urlset" else ():
            found = {
                child.attributes.get("href", ""): child.attributes.get("hreflang", "")
                for child in (entry.node.children if entry.node else ())
                if child.space == protocol.XHTML and child.name == "link"
            }
            if found and entry.loc not in links:
                links[entry.loc] = (f"{file.name}:{entry.line}", found)
    if not links:
        return
    known = set(rows_of(files)["loc"])
    for loc, (where, found) in links.items():
        if loc not in found:
            message = f"{loc} lists its versions without itself."
            yield Fault("alternate-no-self", where, message)
        for href, language in found.items():
            if href == loc or href not in known:
                continue
            if loc not in links.get(href, ("", {}))[1]:
                message = f"{loc} names {href} as its {language} version, which does not name it."
                yield Fault("alternate-not-returned", where, message)


def check_nesting(index: SitemapFile, listed: Mapping[str, SitemapFile]) -> Iterator[Fault]:
    """An index may not list an index. `listed` maps an entry's loc to the file it leads to."""
    for entry in index.entries:
        child = listed.get(entry.loc)
        if child is not None and child.kind == "sitemapindex":
            yield Fault(
                "sitemap-index-nested",
                f"{index.name}:{entry.line}",
                f"{entry.loc} is itself an index; an index may list sitemaps only.",
            )
