"""Values of records as plain texts, whole columns at a time: without the HTML that editors of
content systems leave in them, and of objects what they say."""

from __future__ import annotations

import html
import re
from html.entities import html5

import polars as pl

from jovial_atlas import foreign
from jovial_atlas.address_columns import each_once, replaced

#: Values may be marked up, or an object.
_SUSPECTS = ["<", "&", "{"]
#: The end of an element, or one that has no content: what a text that is no HTML does not hold.
_ELEMENT = r"(?i)</[a-z][a-z0-9]*\s*>|<(?:br|hr|img|wbr|p|li)\b[^<>]*>"
_REFERENCE = r"&(?:#[0-9]{1,7}|#[xX][0-9A-Fa-f]{1,6}|[A-Za-z][A-Za-z0-9]{1,30});"
_CLOSED = re.compile(_REFERENCE)
_UNSEEN = r"(?is)<(script|style|template)\b.*?</(?:script|style|template)\s*>|<!--.*?-->"
#: Elements that part no words.
_WITHIN_WORDS = (
    r"(?i)</?(?:a|abbr|b|bdi|bdo|cite|code|del|dfn|em|font|i|ins|kbd|mark|q|s|samp|small|span"
    r"|strong|sub|sup|time|tt|u|var|wbr)\b[^<>]*>"
)
_TAG = r"</?[A-Za-z][^<>]*>"
#: The usual references, which are read at once.
_USUAL = {
    "&amp;": "&", "&lt;": "<", "&gt;": ">", "&quot;": '"', "&#39;": "'", "&#039;": "'",
    "&apos;": "'", "&nbsp;": "\u00a0", "&#160;": "\u00a0", "&#8217;": "\u2019",
    "&#8216;": "\u2018", "&#8220;": "\u201c", "&#8221;": "\u201d", "&#8211;": "\u2013",
    "&#8212;": "\u2014", "&#8230;": "\u2026", "&ndash;": "\u2013", "&mdash;": "\u2014",
    "&hellip;": "\u2026", "&rsquo;": "\u2019", "&lsquo;": "\u2018", "&#x27;": "'",
    "&auml;": "ä", "&ouml;": "ö", "&uuml;": "ü", "&szlig;": "ß", "&eacute;": "é",
    "&egrave;": "è", "&agrave;": "à", "&ccedil;": "ç",
}  # fmt: skip
_OBJECT = r"^\s*\{\s*\"(?s:.*)\}\s*$"
#: What an object that stands for a text has it as, the most telling first.
_SAID = ("rendered", "text", "plain", "value", "name", "label", "title", "content", "raw",
         "current", "slug")  # fmt: skip


def plain_texts(values: pl.Series) -> tuple[pl.Series, pl.Series]:
    """Values as texts without markup, ends or empty ones, and which of them (as truth values) held
    markup."""
    nothing = pl.repeat(False, len(values), dtype=pl.Boolean, eager=True)
    suspect = values.str.contains_any(_SUSPECTS).fill_null(False)
    if suspect.any():
        values = said_texts(values)
        marked = (values.str.contains(_ELEMENT) & suspect).fill_null(False)
        named = (values.str.contains(_REFERENCE) & suspect).fill_null(False)
        if marked.any():
            values = replaced(values, marked, _without_elements)
        if named.any():
            values = replaced(values, named, _without_references)
        nothing = marked | named
    text = pl.col("text").str.strip_chars()
    return (
        pl.DataFrame({"text": values}).select(pl.when(text != "").then(text)).to_series(),
        nothing,
    )


def said_texts(values: pl.Series) -> pl.Series:
    """Values, with what objects of JSON among them say in their place; null where it is nothing."""
    objects = values.str.contains(_OBJECT).fill_null(False)
    if not objects.any():
        return values
    return replaced(values, objects, lambda some: each_once(some, _said))


def _without_elements(values: pl.Series) -> pl.Series:
    text = values.str.replace_all(_UNSEEN, " ").str.replace_all(_WITHIN_WORDS, "")
    return text.str.replace_all(_TAG, " ").str.replace_all(r"\s+", " ")


def _without_references(values: pl.Series) -> pl.Series:
    usual = "|".join(re.escape(one) for one in _USUAL)
    odd = values.str.replace_all(usual, "").str.contains(_REFERENCE).fill_null(False)
    plain = values.str.replace_many(_USUAL)
    if not odd.any():
        return plain
    return replaced(plain, odd, lambda _: each_once(values.filter(odd), _unescaped))


def _unescaped(value: str) -> str:
    """A text without the references in it that are closed: others are mostly just an ampersand."""
    return _CLOSED.sub(lambda found: _character(found[0]), value)


def _character(reference: str) -> str:
    known = reference[1] == "#" or reference[1:] in html5
    return html.unescape(reference) if known else reference


def _said(value: str) -> str | None:
    """What an object of JSON says; None where that is nothing, itself where it is no such."""
    try:
        found = foreign.read_json(value)
    except (ValueError, RecursionError):
        return value
    texts = (found.get(name) for name in _SAID)
    return next((one for one in texts if isinstance(one, str) and one), None)
