"""What a page shows a reader of its author, its date and its tags.

Read from the classes and attributes that are used for it (microformats 2 and their older classes,
`rel`), from where `address` and `time` stand, from where links lead to, and from the line beside
the heading; never from remarks of readers, and never from the entries of a listing.
"""

from __future__ import annotations

import re
from collections.abc import Iterator

from selectolax.lexbor import LexborNode

from jovial_atlas import dates
from jovial_atlas.dates_in_text import ShownDate, dates_in
from jovial_atlas.sources.html_page.articles import is_beside
from jovial_atlas.sources.html_page.context import OpenPage
from jovial_atlas.sources.html_page.outline import attribute, lies_in, text

_AUTHOR = "[rel~=author], .p-author, .author, .byline, #author, address"
_AUTHOR_LINK = 'a[href*="/author/"], a[href*="/authors/"]'
#: What in a byline is the name.
_NAME = ".p-name, .fn, [itemprop~=name], a"
_DATED = "time, abbr.published, .dt-published, .published"
_TAG = '[rel~=tag], .p-category, a[href*="/tag/"], a[href*="/tags/"], a[href^="tag/"]'
_BY = re.compile(
    r"(?:by|von|par|por|di|door|av|af|autor|author|posted by|written by)\b[\s:]*", re.I
)
#: A byline longer than this is a text about somebody.
_LONGEST_NAME = 80
#: What parts of pages say with their time where it is that of publication.
_PUBLISHED = frozenset({"published", "dt-published", "datepublished", "pubdate", "entry-date"})
_CHANGED = frozenset({"updated", "dt-updated", "datemodified", "modified"})


def shown_author(page: OpenPage) -> str | None:
    """The name in the byline of what the page is about, or beside its heading."""
    octets, subject = page.near, page.outline.subject
    named = b"author" in octets
    if subject is not None and (named or b"address" in octets or b"byline" in octets):
        for node in subject.css(_AUTHOR)[:8]:
            if not is_beside(node) and (name := _name(node)):
                return name
    if named and b"/author" in octets and (body := _whole(page)) is not None:
        links = body.css(_AUTHOR_LINK)[:20]
        names = {said for node in links if not is_beside(node) and (said := text(node))}
        if len(names) == 1 and len(name := names.pop()) <= _LONGEST_NAME:
            return name
    return _worded_author(page)


def _name(node: LexborNode) -> str | None:
    if node.tag == "address" and not _is_of_article(node):
        return None
    inner = node.css_first(_NAME)
    name = text(inner if inner is not None else node) or ""
    name = _BY.sub("", name, count=1).strip() if _BY.match(name) else name
    return name if name and len(name) <= _LONGEST_NAME else None


def _is_of_article(node: LexborNode) -> bool:
    """Whether an address names who wrote an article, and not where somebody lives."""
    above = node.parent
    while above is not None and above.tag != "article":
        above = above.parent
    return above is not None and not any(letter.isdecimal() for letter in text(node) or "")


def shown_date(page: OpenPage) -> str | None:
    """The date that a `time` or a class marks as that of publication, else the only one in the head
    or the foot of the article."""
    subject, octets = page.outline.subject, page.near
    if subject is None or not (b"<time" in octets or b"published" in octets):
        return None
    shown = [node for node in subject.css(_DATED)[:20] if not is_beside(node)]
    said = next((node for node in shown if not _words(node).isdisjoint(_PUBLISHED)), None)
    if said is None:
        framed = [node for node in shown if node.tag == "time" and _is_framed(node, subject)
                  and _words(node).isdisjoint(_CHANGED)]  # fmt: skip
        said = framed[0] if len({attribute(node, "datetime") for node in framed}) == 1 else None
    if said is None:
        return None
    written = next(
        (value for name in ("datetime", "title", "content") if (value := attribute(said, name))),
        text(said),
    )
    read = dates.read(written) if written else None
    return read if read is not None and dates.plausible(read, page.reading.now) else None


def shown_tags(page: OpenPage) -> list[str]:
    """The tags that the page links to: those of what it is about, else all of it."""
    octets = page.near
    if not (b"/tag" in octets or b'"tag' in octets or b"p-category" in octets):
        return []
    subject = page.outline.subject
    for zone in (subject, _whole(page)):
        nodes = zone.css(_TAG) if zone is not None else []
        if said := [one for node in nodes if not is_beside(node) and (one := text(node))]:
            return said
    return []


def _whole(page: OpenPage) -> LexborNode | None:
    """The whole page, where it is no listing of others, of which each has a byline of its own."""
    return page.outline.tree.body if len(page.outline.articles) < 2 else None


def _words(node: LexborNode) -> set[str]:
    given = node.attributes
    words = f"{given.get('class') or ''} {given.get('itemprop') or ''}".lower().split()
    return {*words, *(["pubdate"] if "pubdate" in given else [])}


def _is_framed(node: LexborNode, subject: LexborNode) -> bool:
    """Whether an element stands in a header or a footer of the subject, or in a part that is
    called after its data."""
    at = node.parent
    while at is not None and at.mem_id != subject.mem_id:
        if at.tag in ("header", "footer", "address"):
            return True
        if _META_PART.search(at.attributes.get("class") or ""):
            return True
        at = at.parent
    return False


_META_PART = re.compile(
    r"(?:^|[\s_-])(?:meta|byline|post-info|entry-info|date|dateline)(?:$|[\s_-])"
)

# The line beside the heading, which many themes write without any markup.

#: A line of data is no longer than this without its heading.
_LONGEST_LINE = 160
_BLOCKS = frozenset({"p", "div", "span", "time", "small", "ul", "dl", "h2", "h3", "h4", "h5", "h6",
                     "hgroup", "header", "section", "em", "strong"})  # fmt: skip
_MARKED = (b'date"', b'="date', b"-date", b"dateline", b"byline", b"posted", b"-meta")
_MARKED_PARTS = (
    "#revdate, .date, .dateline, .published, .posted, .posted-on, .byline, .post-meta, .entry-meta,"
    " .article-meta, .post-info, .entry-info, .post-date, .entry-date, .article-date"
)
_LATER = re.compile(
    r"(?:updated|modified|revised|changed|edited|aktualisiert|geändert|stand|mis à jour|modifié"
    r"|actualizado|modificado|aggiornato|bijgewerkt|atualizado|更新)"
    r"\W{0,12}(?:on |am |le |el |il |op )?\Z",
    re.I,
)
_NO_DATE = re.compile(
    r"(?:generated|built|rendered|accessed|retrieved|printed|copyright|©|\(c\)|erzeugt|valid|until"
    r"|deadline|(?:version|releases?d?)(?:\s+v?\d[\w.-]*)?)\W{0,12}(?:on |at |by )?\Z",
    re.I,
)
_BETWEEN = re.compile(r"\s*[·|•—–/,;\n\t]\s*|\s{2,}|\s+-\s+")
_PERSON = re.compile(
    r"(?:[^\W\d_a-z][^\W\d_]*[.'’-]?[^\W\d_]*\s){1,3}[^\W\d_a-z][^\W\d_]+(?:[-'’][^\W\d_]+)*\Z"
)


def dateline(page: OpenPage) -> tuple[str | None, str | None]:
    """The dates of publication and of the last change that stand in words beside the heading, or in
    a part that is called after its data; None where it shows none, or several."""
    published = changed = None
    for line, _ in _lines(page):
        for shown in dates_in(line, page.row.get("language")):
            if not dates.plausible(shown.day, page.reading.now):
                continue
            before = line[: shown.start]
            if _LATER.search(before):
                changed = changed or shown.day
            elif not _NO_DATE.search(before):
                if published not in (None, shown.day):
                    return None, changed
                published = shown.day
        if published or changed:
            break
    return published, changed


def _worded_author(page: OpenPage) -> str | None:
    """The name of a person in the line with the date: behind "by", or the only one that stands for
    itself between signs and is no link."""
    own = (page.heading and text(page.heading)) or ""
    for line, node in _lines(page):
        if not dates_in(line, page.row.get("language")):
            continue
        plain = _short(node, links=False)
        plain = plain.replace(own, " | ", 1) if own else plain
        pieces = _BETWEEN.split(_without(plain, dates_in(plain, page.row.get("language"))))
        said = [piece.strip(" .:") for piece in pieces]
        named = [_BY.sub("", piece, count=1) for piece in said if _BY.match(piece)]
        people = [one for one in named or said if _PERSON.match(one)]
        if len(people) == 1 and len(people[0]) <= _LONGEST_NAME:
            return people[0]
    return None


def _without(line: str, shown: list[ShownDate]) -> str:
    for one in reversed(shown):
        line = f"{line[: one.start]}|{line[one.end :]}"
    return line


def _lines(page: OpenPage) -> Iterator[tuple[str, LexborNode]]:
    """Short texts beside the heading and in parts that are called after their data, each with its
    element. Kept: several ask."""
    if page.lines is None:
        page.lines = list(_found_lines(page))
    return iter(page.lines)


def _found_lines(page: OpenPage) -> Iterator[tuple[str, LexborNode]]:
    heading = page.heading
    if heading is None or len(page.outline.articles) > 1:
        return
    own = text(heading) or ""
    seen: set[int] = set()
    for node in _around(heading):
        line = _short(node)
        if line and node.mem_id not in seen:
            seen.add(node.mem_id)
            whole = line.replace(own, " | ", 1) if lies_in(heading, node) else line
            if len(whole) <= _LONGEST_LINE and not _is_sentence(whole):
                yield whole, node
    body = page.outline.tree.body
    if body is not None and _is_marked(page.near):
        for node in body.css(_MARKED_PARTS)[:8]:
            if not is_beside(node) and (line := _short(node)):
                yield line, node


def _is_marked(octets: bytes) -> bool:
    signs = _MARKED if b"date" in octets else _MARKED[-3:]
    return any(sign in octets for sign in signs)


def _around(heading: LexborNode) -> Iterator[LexborNode]:
    """The elements before and behind a heading; where it stands in a head of its own, that head,
    and what is behind it."""
    above = heading.parent
    yield from _beside(heading)
    if above is not None and above.tag in ("header", "hgroup", "div"):
        if (line := _short(above)) and line != text(heading):
            yield above
        yield from _beside(above)


def _beside(node: LexborNode) -> Iterator[LexborNode]:
    for step in ("next", "prev"):
        beside = getattr(node, step)
        while beside is not None and beside.tag in ("-text", "-comment"):
            beside = getattr(beside, step)
        if beside is not None and beside.tag in _BLOCKS:
            yield beside


def _short(node: LexborNode, *, links: bool = True) -> str:
    """The text of an element, its parts parted by spaces; "" where it is long."""
    pieces, length = [], 0
    for one in node.traverse(include_text=True):
        if one.tag != "-text" or (not links and _is_linked(one, node)):
            continue
        piece = one.text_content or ""
        if above := one.parent:
            piece = "" if above.tag in ("script", "style") else piece
        length += len(piece.strip())
        if length > 2 * _LONGEST_LINE:
            return ""
        pieces.append(piece)
    return "\n".join(words for piece in pieces if (words := " ".join(piece.split())))


def _is_linked(node: LexborNode, root: LexborNode) -> bool:
    above = node.parent
    while above is not None and above.mem_id != root.mem_id:
        if above.tag == "a":
            return True
        above = above.parent
    return False


def _is_sentence(line: str) -> bool:
    """Whether a text tells something, as the first paragraph of a page does."""
    return line.rstrip().endswith((".", "!", "?", "…", "。")) and len(line.split()) > 12
