"""What is measured on one page of HTML for its review: bytes in, `PageMeasures` out.

Loaded by processes that read pages: it loads nothing of tables. Nothing is judged here.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from heapq import nlargest
from itertools import chain, pairwise
from typing import Any

from msgspec import Struct
from selectolax.lexbor import LexborHTMLParser, LexborNode

from jovial_atlas import addresses
from jovial_atlas.review.reading import TextLengths, lengths_of
from jovial_atlas.sources.html_page.context import References
from jovial_atlas.sources.html_page.outline import Outline, attribute, outline, text
from jovial_atlas.words import (
    count_on_line,
    count_spaced,
    has_unspaced,
    occurrences,
    primary,
    stems_like,
    stems_of_phrase,
    word_count,
)

#: Changes with what is measured, and how: measures of another form are taken anew.
MEASURED_FORM = "5"
#: What is kept of each kind: enough to show and to judge, however long the page is.
_MOST_PICTURES, _MOST_MUTE, _MOST_SENTENCES, _MOST_HEADINGS = 60, 10, 3, 300
_MOST_LINKS = 1_000
#: A paragraph with fewer words is a caption, a date or a button.
_LEAST_PARAGRAPH = 8
#: How often lines like "• this" or "2. that" follow each other in what is a list.
_LIKE_A_LIST = 3
_BULLET = re.compile(r"(?:[•·▪◦‣*–—-]|\(?(?:\d{1,2}|[a-z])[.)])\s+\S")
_LEVELS, _LISTS = ("h1", "h2", "h3", "h4", "h5", "h6"), ("ul", "ol", "dl")
_HEADINGS, _ANY_LIST = ", ".join(_LEVELS), ", ".join(_LISTS)
#: Texts of links that say nothing of where they lead, by language.
_MUTE = {
    "en": "here|click here|click|more|read more|learn more|see more|this|this page|this link|link|"
          "page|details|continue|continue reading|go|find out more|more info",
    "de": "hier|hier klicken|klicken sie hier|klick|mehr|mehr lesen|weiterlesen|weiter|mehr "
          "erfahren|mehr dazu|link|diese seite|details|lesen",
    "fr": "ici|cliquez ici|cliquer ici|plus|en savoir plus|lire la suite|lire plus|suite|lien|"
          "cette page|voir|voir plus|détails",
    "es": "aquí|aqui|haz clic aquí|haga clic aquí|clic aquí|más|leer más|ver más|saber más|"
          "seguir leyendo|enlace|esta página|detalles",
    "it": "qui|clicca qui|fai clic qui|più|leggi|leggi tutto|leggi di più|scopri di più|continua|"
          "link|questa pagina|dettagli",
    "nl": "hier|klik hier|klik|meer|lees meer|meer lezen|verder lezen|lees verder|link|deze "
          "pagina|details",
}  # fmt: skip
_MUTE_OF = {language: frozenset(said.split("|")) for language, said in _MUTE.items()}
#: How what films say is headed where it stands on the page.
_TRANSCRIPT = re.compile(r"trans[ck]ript|mitschrift|trascrizione|transcripci[oó]n", re.I)
_NAMELESS = re.compile(
    r"[\w-]+\.(?:jpe?g|png|gif|webp|avif|svg|bmp|tiff?)\Z|(?:img|dsc|image|photo|bild|foto)[\s_-]*\d+\Z",
    re.I,
)


class ShownPicture(Struct, frozen=True):
    """A picture of the main content: its address, its alternative text (None: it has none, "": it
    is decoration), and the place in pixels that its element gives it."""

    loc: str
    alt: str | None = None
    width: int | None = None
    height: int | None = None

    @property
    def is_named_after_file(self) -> bool:
        """Whether the alternative text is only the name of a file."""
        return bool(self.alt and _NAMELESS.match(self.alt.strip()))


class PageMeasures(Struct, frozen=True, kw_only=True):
    """What was measured on the main content of a page.

    `headings`: level, text, and whether it can be linked to; `main_headings` those of the first
    level on the whole page. `longest_stretch`: words without a subheading, and the heading before
    them. `within` are addresses of the site that the main content links to, `linked_words` stand
    in links. `paragraphs`: words of each; `sentences`: words of each; `longest`: the longest ones
    as they stand. `mute`: links whose texts say nothing, as address and text. `said`: phrase → how
    often the text says it. `tables_unmarked` have no head, `lists_unmarked` are only written like
    lists.
    """

    words: int = 0
    main_headings: int = 0
    headings: list[tuple[int, str, bool]] = []
    longest_stretch: tuple[int, str] = (0, "")
    first: str = ""
    paragraphs: list[int] = []
    sentences: list[int] = []
    longest: list[str] = []
    lengths: TextLengths = TextLengths()
    lists: int = 0
    lists_unmarked: int = 0
    tables: int = 0
    tables_unmarked: int = 0
    within: list[str] = []
    links_out: int = 0
    linked_words: int = 0
    mute: list[tuple[str, str]] = []
    pictures: list[ShownPicture] = []
    has_transcript: bool = False
    has_captions: bool = False
    said: dict[str, int] = {}


def measures_of(
    data: bytes, loc: str, language: str, phrases: Sequence[str], filed: str = ""
) -> PageMeasures:
    """Measure a page that is at `loc`, in a language (BCP 47), for the phrases that it wants to be
    found for. `data` is the page as `as_it_is_read` gives it; files of Markdown that it links to
    are named from `filed` on."""
    found = outline(LexborHTMLParser(data))
    main_headings = sum(text(node) is not None for node in found.all("h1"))
    found.take_apart()
    main = found.main
    if main is None:
        return PageMeasures(main_headings=main_headings)
    paragraphs = [said for node in found.shown["p"] if (said := text(node))]
    whole = main.text(separator=" ", skip_empty=True)
    lengths, sentences = lengths_of(paragraphs, language)
    links = _links(found, loc, language, filed)
    tables = _tables(found)
    wanted = {one: stems_of_phrase(one, language) for one in phrases}
    stems = stems_like(chain.from_iterable(wanted.values()), whole, language) if wanted else []
    headings = list(_headings(found))[:_MOST_HEADINGS]
    return PageMeasures(
        words=word_count(whole), main_headings=main_headings, headings=headings,
        longest_stretch=_longest_stretch(main, found), first=_first(paragraphs),
        paragraphs=list(map(count_on_line if has_unspaced(whole) else count_spaced, paragraphs)),
        sentences=[count for count, _ in sentences],
        longest=[said for _, said in nlargest(_MOST_SENTENCES, sentences, key=_length)],
        lengths=lengths, lists=len(main.css(_ANY_LIST)), lists_unmarked=_like_lists(paragraphs),
        tables=len(tables), tables_unmarked=sum(map(_has_no_head, tables)),
        **links, pictures=list(_pictures(found, loc)),
        has_transcript=any(_TRANSCRIPT.search(said) for _, said, _ in headings)
        or any(_TRANSCRIPT.search(text(one) or "") for one in found.in_main("summary")),
        has_captions=bool(found.in_main("track")),
        said={one: occurrences(of_phrase, stems) for one, of_phrase in wanted.items()},
    )  # fmt: skip


def _length(sentence: tuple[int, str]) -> int:
    return sentence[0]


def _first(paragraphs: Iterable[str]) -> str:
    return next((one for one in paragraphs if word_count(one) >= _LEAST_PARAGRAPH), "")


def _headings(found: Outline) -> Iterator[tuple[int, str, bool]]:
    for node in found.in_main(*_LEVELS):
        if said := text(node):
            yield int(str(node.tag)[1]), said, _is_linkable(node)


#: So far above a heading the part stands that it heads, whose id counts as its own.
_LEVELS_OF_PARTS = 5


def _is_linkable(heading: LexborNode) -> bool:
    """Whether an address can lead to a heading: by its id, one inside, or that of the part that it
    heads."""
    if heading.attributes.get("id"):
        return True
    above = heading.parent
    for _ in range(_LEVELS_OF_PARTS):
        if above is None or above.tag in ("body", "main"):
            break
        if above.attributes.get("id"):
            first = above.css_first(_HEADINGS)
            if first is not None and first.mem_id == heading.mem_id:
                return True
            break
        above = above.parent
    return heading.css_first("[id], a[name]") is not None


#: Put before headings, to part the text at them; no page has it.
_PARTED = "\uf8ff"


def _longest_stretch(main: LexborNode, found: Outline) -> tuple[int, str]:
    """The most words that stand without a heading between them, and the heading before. Terms that
    are explained part a text too; code and lists of links count for nothing. The page is changed by
    this."""
    for node in found.in_main("pre", "svg", "math", "table"):
        node.decompose(recursive=False)
    for node in found.in_main(*_LISTS):
        if _is_of_links(node):
            node.decompose(recursive=False)
    headings = [""]
    for node in main.css(f"{_HEADINGS}, dt"):
        headings.append(text(node) or "")
        node.insert_before(_PARTED)
    parts = main.text(separator=" ", skip_empty=True).split(_PARTED)
    longest = (0, "")
    for heading, part in zip(headings, parts, strict=False):
        # A word has one sign at least, and one between it and the next: short parts need no count.
        if len(part) > 2 * longest[0]:
            longest = max(longest, (word_count(part) - word_count(heading), heading), key=_length)
    return longest


def _is_of_links(node: LexborNode) -> bool:
    """Whether a list has little more than links."""
    links = node.css("a[href]")
    linked = sum(word_count(link.text()) for link in links) if links else 0
    return bool(linked) and linked > _MOSTLY * word_count(node.text(separator=" "))


#: What is more than that part of a whole is most of it.
_MOSTLY = 0.6


def _like_lists(paragraphs: Sequence[str]) -> int:
    """How many runs of paragraphs are written like lists."""
    marks = [bool(_BULLET.match(one)) for one in paragraphs]
    ends = [place for place, (one, other) in enumerate(pairwise([*marks, False])) if one > other]
    return sum(
        place + 1 >= _LIKE_A_LIST and all(marks[place + 1 - _LIKE_A_LIST : place + 1])
        for place in ends
    )


def _tables(found: Outline) -> list[LexborNode]:
    """The tables of data: those that only arrange a page have no columns, or others inside."""
    return [
        table
        for table in found.in_main("table")
        if attribute(table, "role") not in ("presentation", "none")
        and len(table.css("tr")) > 1
        and len(table.css("tr")[0].css("td, th")) > 1
        and len(table.css("table")) < 2  # itself
    ]


def _has_no_head(table: LexborNode) -> bool:
    return table.css_first("th") is None


#: How another file of Markdown is linked to.
_FILE_OF_MARKDOWN = re.compile(r"[^:?#]*\.(?:md|markdown)(?:#|\Z)", re.I)


def _links(found: Outline, loc: str, language: str, filed: str) -> dict[str, Any]:
    """What is measured on the links of the main content, as fields of `PageMeasures`."""
    mute: list[tuple[str, str]] = []
    references = References(loc)
    linked = found.linked
    named: list[str | None] = []
    if filed:
        named = [one for one in linked if one and _FILE_OF_MARKDOWN.match(one)]
        linked = [one for one in linked if one not in named]
    targets = references.all_of(linked) | References(filed or loc).all_of(named)
    targets -= {None, loc}
    here = f"{addresses.origin(loc)}/"
    within = sorted(str(one) for one in targets if str(one).startswith(here))
    linked_words = 0
    for node, reference in zip(found.shown["a"], found.linked, strict=True):
        said = node.text()
        words = said.split()
        linked_words += len(words) if said.isascii() else word_count(said)
        if len(words) > _MOST_MUTE_WORDS or len(mute) == _MOST_MUTE:
            continue
        said = " ".join(words) or _said_by_picture(node)
        if is_mute(said, language) and not attribute(node, "aria-label"):
            target = references[reference]
            if target and target != loc:
                mute.append((target, said))
    return {
        "within": within[:_MOST_LINKS], "links_out": len(targets) - len(within), "mute": mute,
        "linked_words": linked_words,
    }  # fmt: skip


def is_mute(said: str, language: str) -> bool:
    """Whether the text of a link says nothing of where it leads."""
    silent = _MUTE_OF.get(primary(language), _MUTE_OF["en"])
    return said.strip(" .…»›→>:").casefold() in silent


#: No text of a link that says nothing has more words.
_MOST_MUTE_WORDS = 4


def _said_by_picture(link: LexborNode) -> str:
    picture = link.css_first("img[alt]")
    return (attribute(picture, "alt") if picture is not None else None) or ""


def _pictures(found: Outline, loc: str) -> Iterator[ShownPicture]:
    for node in found.shown["img"][:_MOST_PICTURES]:
        given = node.attributes
        target = addresses.resolve(loc, attribute(node, "src") or attribute(node, "data-src") or "")
        hidden = given.get("role") in ("presentation", "none") or given.get("aria-hidden") == "true"
        width, height = _pixels(given.get("width")), _pixels(given.get("height"))
        if target and not (width == 1 or height == 1):
            alt = None
            if hidden or "alt" in given:
                alt = "" if hidden else given["alt"] or ""
            yield ShownPicture(target, alt, width, height)


def _pixels(said: str | None) -> int | None:
    return int(said) if said and said.isdecimal() else None
