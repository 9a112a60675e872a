"""The main content of a page that a survey has read, as HTML for a feed."""

from __future__ import annotations

import zlib
from pathlib import Path

from selectolax.lexbor import LexborHTMLParser

from jovial_atlas import addresses
from jovial_atlas.sources.html_page.context import TEXT_ENDINGS
from jovial_atlas.sources.html_page.outline import outline, text
from jovial_atlas.sources.html_page.page import as_it_is_read

_REFERENCES = (("a", "href"), ("img", "src"), ("source", "src"), ("video", "src"),
               ("video", "poster"), ("audio", "src"))  # fmt: skip


#: How packed copies of pages are called.
PACKED = ".packed"


def html_of_file(path: Path) -> bytes:
    """A file of HTML, packed or not, or of Markdown as HTML, as it was before anything was written
    into it, in UTF-8; empty where it cannot be read."""
    try:
        data = path.read_bytes()
        data = zlib.decompress(data) if path.suffix == PACKED else data
    except (OSError, ValueError, zlib.error):
        return b""
    if path.suffix.lower() not in TEXT_ENDINGS:
        return as_it_is_read(data)
    # Few sites have any, and the reader of it is slow to load.
    from jovial_atlas.sources.records.markdown import html_of

    return html_of(data).encode()


def main_text(path: Path) -> tuple[str, list[str]]:
    """The text of the main content of a file of HTML or Markdown, a line a
    paragraph, and its headings in order. Empty where the file cannot be read."""
    page_outline = outline(LexborHTMLParser(html_of_file(path)))
    page_outline.take_apart()
    if page_outline.main is None:
        return "", []
    headings = [said for node in page_outline.main.css("h1, h2, h3") if (said := text(node))]
    return "\n".join(said for node in page_outline.shown["p"] if (said := text(node))), headings


def visible_text(page: Path | bytes) -> str:
    """All that a reader sees of a page of HTML or Markdown, frame and all. Empty where the file
    cannot be read."""
    body = LexborHTMLParser(html_of_file(page) if isinstance(page, Path) else page).body
    if body is None:
        return ""
    for node in body.css("script, style, template, noscript"):
        node.decompose(recursive=False)
    return body.text(separator=" ")


def main_html(path: Path, loc: str) -> str:
    """The main content of a file of HTML or Markdown, frame and scripts left out and every
    reference absolute. Empty where the file cannot be read."""
    page_outline = outline(LexborHTMLParser(html_of_file(path)))
    page_outline.take_apart()
    if page_outline.main is None:
        return ""
    for name, attribute in _REFERENCES:
        for node in page_outline.main.css(name):
            target = addresses.resolve(loc, node.attributes.get(attribute) or "")
            if target:
                node.attrs[attribute] = target
    for node in page_outline.main.css("[onclick], [onload], [onerror], [style]"):
        for name in [n for n in node.attributes if n.startswith("on") or n == "style"]:
            del node.attrs[name]
    return " ".join((page_outline.main.inner_html or "").split())
