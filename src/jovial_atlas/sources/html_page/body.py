"""What the body of a page shows: links, pictures, videos, words, and a fingerprint of them."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

import xxhash
from selectolax.lexbor import LexborNode

from jovial_atlas import addresses
from jovial_atlas.pages.row import ImageRow, PageRow
from jovial_atlas.sources.html_page.articles import ancestor
from jovial_atlas.sources.html_page.context import OpenPage
from jovial_atlas.sources.html_page.outline import Outline, attribute, text
from jovial_atlas.sources.html_page.videos import linked_videos, page_videos
from jovial_atlas.words import unspaced_words

#: Elements beside `a` that lead to other pages, and the attribute that says where.
_REFERENCES = (("area", "href"), ("frame", "src"), ("iframe", "src"))
_SENTENCES = re.compile(r".{40,280}(?:[.!?…](?=\s|$)|[。！？।؟])", re.S)
_ENDED = re.compile(r"[.!?…:。！？।؟]['\")\]»”’]*\Z")
#: What is shorter than this is hardly a sentence about a page.
_LEAST_SENTENCE = 20
_SPACE = b" \t\n\r\f"
#: White space as 0, every other octet as 1.
_LETTERS = bytes(octet not in _SPACE for octet in range(256))


def read_body(page: OpenPage) -> None:
    """Fill the row's columns that come from the body. The page is taken apart by this."""
    row, outline = page.row, page.outline
    row["images"], row["entries"], row["words"] = [], 0, 0
    if outline.all("frameset"):
        row["kind"] = "frames"
        page.fault("page-frames", "The page is a frameset: its content is in other files.")
    row["videos"] = page_videos(page)
    given = [attribute(node, key) for name, key in _REFERENCES for node in outline.all(name)]
    outline.take_apart()
    entries = page.references.all_of(outline.linked)
    if outline.main is not None:
        row["images"] = list(_images(outline.shown["img"], page))
        row["excerpt"] = _excerpt(_own_paragraphs(outline), outline.main, row["heading"])
        # Few pages link to any.
        if not entries.isdisjoint(page.references.media) or _opens_films(page.near):
            linked_videos(outline.shown["a"], page, row["videos"])
        _read_words(outline.main, row)
    targets = entries | page.references.all_of([*outline.framed, *given])
    targets.discard(None)
    site = addresses.origin(page.file.loc) + "/"
    within = {one for one in targets if one and one.startswith(site)}
    row["outside_links"] = len(targets) - len(within)
    within.discard(row["loc"])
    content = within & entries
    # Those of the content stand first: `entries` says which they are.
    row["links"], row["entries"] = [*sorted(content), *sorted(within - content)], len(content)


#: How links are marked that open a film.
_OPENING = (b"lightbox", b"video-link", b"popup-video", b"play-video", b'data-type="video"')


def _opens_films(octets: bytes) -> bool:
    """Whether a page may have links that open a film where they stand."""
    return b"video" in octets and any(sign in octets for sign in _OPENING)


def _read_words(main: LexborNode, row: PageRow) -> None:
    """Count the words, and take the fingerprint: of the text without its white space, since
    another layout of the source is no change."""
    whole = main.text(separator=" ", skip_empty=True)
    content = whole.encode("utf-8", "replace")
    close = content.translate(None, _SPACE)
    # A word has one letter more than it has letters that stand before another. As one number the
    # octets are compared with those beside them all at once, which is faster than searching.
    letters = int.from_bytes(content.translate(_LETTERS), "little")
    words = len(close) - (letters & letters >> 8).bit_count()
    row["words"] = words + unspaced_words(whole)
    if words:
        name = xxhash.xxh3_128(close)
        name.update(b"%d" % words)
        row["fingerprint"] = name.hexdigest()
        heading = (row["heading"] or "").encode("utf-8", "replace").translate(None, _SPACE)
        row["text_digest"] = xxhash.xxh3_64_hexdigest(close.replace(heading, b"", 1))


def _images(nodes: Iterable[LexborNode], page: OpenPage) -> Iterator[ImageRow]:
    seen: set[str] = set()
    for node in nodes:
        given = node.attributes
        named = (given.get(name) or "" for name in ("src", "data-src"))
        loc = page.resolve(next((one.strip() for one in named if one.strip()), None))
        if loc and loc not in seen and not _is_sign(given.get("width"), given.get("height")):
            seen.add(loc)
            yield {"loc": loc, "alt": given.get("alt")}


#: A picture that is shown no larger than so many pixels only marks something.
_SIGN = 32


def _is_sign(width: str | None, height: str | None) -> bool:
    """Whether a picture shown in so many pixels counts visits, parts blocks, or marks something."""
    sides = (width, height)
    if "0" in sides or "1" in sides:
        return True
    return all(side and side.isdecimal() and int(side) <= _SIGN for side in sides)


def _own_paragraphs(outline: Outline) -> Iterable[LexborNode]:
    """The paragraphs of what a page is about: of a listing none that stands in an entry."""
    shown = outline.shown["p"]
    if len(outline.articles) < 2:
        return shown
    return [node for node in shown if ancestor(node, "article") is None]


def _excerpt(paragraphs: Iterable[LexborNode], main: LexborNode, heading: str | None) -> str | None:
    """The first whole sentences of the first paragraphs, up to about 280 characters."""
    excerpt = beginning = ""
    for node in paragraphs:
        said = text(node)
        if not said:
            continue
        # Captions, titles and dates stand in paragraphs too: where any has a sentence, those count.
        if len(said) >= _LEAST_SENTENCE and _ENDED.search(said):
            excerpt = f"{excerpt} {said}".strip()
            if len(excerpt) >= 280:
                break
        elif not excerpt and len(beginning) < 280:
            beginning = f"{beginning} {said}".strip()
    # Some systems put their text into other elements than paragraphs.
    excerpt = excerpt or _after_heading(main, heading) or beginning
    if not excerpt:
        return None
    if len(excerpt) <= 280:
        return excerpt
    sentences = _SENTENCES.match(excerpt)
    return sentences[0].strip() if sentences else excerpt[:280].rsplit(" ", 1)[0] + "…"


def _after_heading(main: LexborNode, heading: str | None) -> str:
    """The beginning of the text behind the heading, as far as it is whole sentences."""
    if not heading:
        return ""
    content = " ".join(main.text(separator="").split())
    _, found, after = content.partition(heading)
    sentences = _SENTENCES.match(after[:400].strip(" ¶#")) if found else None
    return sentences[0].strip() if sentences else ""
