"""How a page reads where others meet it: as a result on a wide and a narrow screen, and as a shared
card; with lengths, what is cut, and where each text comes from."""

from __future__ import annotations

from dataclasses import dataclass
from urllib.parse import unquote, urlsplit

from jovial_atlas.head.head import Head, HeadPicture
from jovial_atlas.head.lengths import cut_at_word, shown, width
from jovial_atlas.pages.page import Page
from jovial_atlas.sitefile import Site
from jovial_atlas.sitefile.heads import Lengths

#: Characters that cards give a title and a description.
CARD_TITLE, CARD_TEXT = 90, 200


@dataclass(frozen=True, slots=True)
class Line:
    """One text: as it is, as much as is shown, its width and the room for it in pixels, and
    where it comes from."""

    text: str
    shown: str
    px: int
    of: int
    source: str

    @property
    def cut(self) -> str:
        """What is not shown."""
        return self.text[len(self.shown.rstrip("…")) :].strip() if self.shown != self.text else ""


@dataclass(frozen=True, slots=True)
class SearchResult:
    """A result: the trail of its address, title and description."""

    trail: str
    title: Line
    description: Line


@dataclass(frozen=True, slots=True)
class Preview:
    """All views of one page. `picture` is that of head data, None for none."""

    loc: str
    wide: SearchResult
    narrow: SearchResult
    host: str
    card_title: str
    card_title_from: str
    card_text: str
    card_text_from: str
    picture: HeadPicture | None
    #: What keeps it from being found, if anything.
    hidden: str


def preview(head: Head, page: Page, site: Site, lengths: Lengths) -> Preview:
    """The views of a page, from its head data."""
    parts = urlsplit(head.loc)
    trail = " / ".join([parts.netloc, *(unquote(p) for p in parts.path.split("/") if p)])
    title = _line(head.title, lengths.title_size, lengths.title_px, head.title_from)
    own_description = head.description

    def description(most: int) -> Line:
        return _line(own_description, lengths.description_size, most, head.description_from)

    share_title = head.share_title or page.heading or head.title or site.name
    share_from = "share_title" if head.share_title else (
        "heading" if page.heading else head.title_from
    )  # fmt: skip
    text = head.share_description or own_description or ""
    text_from = "share_description" if head.share_description else head.description_from
    return Preview(
        head.loc,
        SearchResult(trail, title, description(lengths.description_px)),
        SearchResult(trail, title, description(lengths.description_narrow_px)),
        parts.netloc,
        cut_at_word(share_title, CARD_TITLE) or "",
        share_from,
        cut_at_word(text, CARD_TEXT) or "",
        text_from,
        head.picture,
        "" if page.index else page.reason or "",
    )


def _line(text: str | None, size: int, most: int, source: str) -> Line:
    said = text or ""
    return Line(said, shown(said, size, most), width(said, size), most, source)
