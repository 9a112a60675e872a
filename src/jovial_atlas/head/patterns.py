"""Patterns of texts: Jinja2 templates in a sandbox.

They see `page`, `site` and `section`; a field that does not exist is an error.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import lru_cache, wraps
from html import unescape
from itertools import islice
from typing import Any

from jinja2 import Template, TemplateError, nodes
from jinja2.sandbox import SandboxedEnvironment

from jovial_atlas import dates
from jovial_atlas.faults import nearest
from jovial_atlas.head.lengths import cut_at_word
from jovial_atlas.pages import schema
from jovial_atlas.pages.page import Page

#: Names of patterns for columns of the page table.
_ALIASES = {"summary": "description", "first_sentences": "excerpt"}
PAGE_FIELDS = (*(n for n in schema.SCHEMA if n != "links"), schema.EXTRA, "section", *_ALIASES)
SITE_FIELDS = ("url", "name", "short_name", "language")
SECTION_FIELDS = ("name",)
_KNOWN = {"page": PAGE_FIELDS, "site": SITE_FIELDS, "section": SECTION_FIELDS}
#: A text in a pattern has at most so many characters at any step, a loop so many turns.
_LONGEST, _TURNS = 20_000, 200


class PatternError(ValueError):
    """A pattern cannot be filled in for a page. `str()` says why, as the end of a sentence."""


def _bounded(value: Any) -> Any:
    """A value that a step of a pattern gave; PatternError where it is larger than any text."""
    if isinstance(value, str | list | tuple) and len(value) > _LONGEST:
        raise PatternError(f"it makes a text of more than {_LONGEST:,} characters")
    if isinstance(value, int) and abs(value) > 10**15:
        raise PatternError("it makes a number that is too large")
    return value


class _Environment(SandboxedEnvironment):
    """Patterns can only do what fills in a text, and no step of one grows without limit."""

    intercepted_binops = frozenset({"+", "-", "*", "/", "//", "%"})

    def call_binop(self, context: Any, operator: str, left: Any, right: Any) -> Any:
        for one, other in ((left, right), (right, left)):
            times = operator == "*" and isinstance(other, int)
            if times and isinstance(one, str | list | tuple) and len(one) * other > _LONGEST:
                raise PatternError(f"it makes a text of more than {_LONGEST:,} characters")
        if operator == "%" and isinstance(left, str):
            raise PatternError("it puts values into a text with %; write them as {{ … }} instead")
        return _bounded(super().call_binop(context, operator, left, right))


_ENVIRONMENT = _Environment(autoescape=False, finalize=lambda value: "" if value is None else value)
#: What may stand in a pattern, beside what these consist of.
_ALLOWED = (
    nodes.Template, nodes.Output, nodes.TemplateData, nodes.Name, nodes.Getattr, nodes.Getitem,
    nodes.Const, nodes.List, nodes.Tuple, nodes.Filter, nodes.Test, nodes.Keyword, nodes.CondExpr,
    nodes.Slice, nodes.Compare, nodes.Operand, nodes.And, nodes.Or, nodes.Not, nodes.Add, nodes.Sub,
    nodes.Mul, nodes.Div, nodes.FloorDiv, nodes.Mod, nodes.Neg, nodes.Pos, nodes.Concat, nodes.If,
    nodes.For,
)  # fmt: skip
#: Filters of the template language that fill in texts, and grow no faster than what they take.
_FILTERS = frozenset(
    """abs capitalize default d first float int join last length count list lower map max min
    reject replace reverse round select sort string striptags sum title trim truncate unique upper
    wordcount""".split()  # noqa: SIM905
)
#: Loops that may stand in each other.
_NESTED = 2
_SENTENCE = re.compile(r"(.+?[.!?…])(?:\s|$)", re.S)
_TAGS = re.compile(r"<[^>]*>")


def _cut(text: object, most: int = 160) -> str:
    """At most so many characters, cut at a word."""
    return cut_at_word(str(text or ""), most) or ""


def _day(text: object, form: str = "%d %B %Y") -> str:
    """A date of the page table in another form, as `strftime` has it."""
    said = str(text or "")
    return dates.moment(said).strftime(form).lstrip("0") if said else ""


def _first_sentence(text: object) -> str:
    """The first sentence of a text."""
    found = _SENTENCE.match(str(text or "").strip())
    return found[1] if found else str(text or "")


def _plain(text: object) -> str:
    """A text without HTML tags, its character references read."""
    return " ".join(unescape(_TAGS.sub(" ", str(text or ""))).split())


def _some(values: Any) -> list[Any]:
    """The first items of what a loop goes through."""
    return list(islice(values, _TURNS)) if values else []


def _replaced(text: object, old: object, new: object) -> str:
    """A text with each occurrence of another one replaced."""
    whole, out, into = str(text or ""), str(old), str(new)
    if not out:
        return whole
    if len(whole) + whole.count(out) * len(into) > _LONGEST:
        raise PatternError(f"it makes a text of more than {_LONGEST:,} characters")
    return whole.replace(out, into)


def _steady(filter_: Callable[..., Any]) -> Callable[..., Any]:
    """A filter whose result is no larger than any text."""

    @wraps(filter_)
    def bounded(*given: Any, **named: Any) -> Any:
        return _bounded(filter_(*given, **named))

    return bounded


#: Filters of patterns, beside those of Jinja2.
FILTERS = {"cut": _cut, "day": _day, "first_sentence": _first_sentence, "plain": _plain}
_ENVIRONMENT.filters = {
    **{name: _steady(one) for name, one in _ENVIRONMENT.filters.items() if name in _FILTERS},
    **FILTERS, "replace": _replaced, "some": _some,
}  # fmt: skip
# Patterns are texts: what the environment offers programs besides would be copied for each page.
_ENVIRONMENT.globals.clear()


def wrong(pattern: str) -> str:
    """What is wrong with a pattern, as a sentence; empty where nothing is."""
    if len(pattern) > _LONGEST:
        return f"the pattern has more than {_LONGEST:,} characters."
    short = repr(pattern if len(pattern) <= 80 else f"{pattern[:79]}…")
    try:
        tree = _ENVIRONMENT.parse(pattern)
        if found := _not_allowed(tree):
            return f"the pattern {short} uses {found}; a pattern only fills in texts."
        _template(pattern)
    except (TemplateError, RecursionError, ValueError) as error:
        return f"the pattern {short} cannot be read: {error}."
    for field in tree.find_all(nodes.Getattr):
        owner = field.node.name if isinstance(field.node, nodes.Name) else ""
        if owner in _KNOWN and field.attr not in _KNOWN[owner]:
            best = nearest(field.attr, _KNOWN[owner])
            meant = f" Did you mean {owner}.{best}?" if best else ""
            return f"the pattern names {owner}.{field.attr}, which does not exist.{meant}"
    names = list(tree.find_all(nodes.Name))
    turned = {one.name for one in names if one.ctx == "store"}
    unknown = {name.name for name in names} - _KNOWN.keys() - turned - {"loop"}
    if unknown:
        return f"the pattern names {sorted(unknown)[0]!r}; it may name page, site and section."
    return ""


def _not_allowed(tree: nodes.Template) -> str:
    """What a pattern uses that it cannot, "" where there is nothing."""
    for node in tree.find_all(nodes.Node):
        if not isinstance(node, _ALLOWED) and not isinstance(node, nodes.EvalContextModifier):
            return type(node).__name__.lower()
        if isinstance(node, nodes.Filter) and node.name not in _ENVIRONMENT.filters:
            return f"the filter {node.name!r}"
    if any(_depth(loop) > _NESTED for loop in tree.find_all(nodes.For)):
        return f"more than {_NESTED} loops in each other"
    return ""


def _depth(loop: nodes.For) -> int:
    return 1 + max((_depth(inner) for inner in loop.find_all(nodes.For)), default=0)


class _View:
    """A page as patterns see it: its columns as attributes, "" where there is nothing."""

    __slots__ = ("_page",)

    def __init__(self, page: Page) -> None:
        self._page = page

    def __getattr__(self, name: str) -> Any:
        return getattr(self._page, _ALIASES.get(name, name), None) or ""


@lru_cache(maxsize=256)
def _template(pattern: str) -> Template:
    tree = _ENVIRONMENT.parse(pattern)
    for loop in tree.find_all(nodes.For):
        # A loop over the letters of a whole text takes as long as it is.
        loop.iter = nodes.Filter(loop.iter, "some", [], [], None, None, lineno=loop.lineno)
    return _ENVIRONMENT.from_string(tree)


def filled_in(pattern: str, page: Page, site: object) -> str:
    """A pattern that is known to be right filled in for one page, on one line. Raises PatternError
    where that page does not have what it asks for."""
    try:
        pieces, size = [], 0
        for piece in _template(pattern).generate(
            page=_View(page), site=site, section={"name": page.section}
        ):
            size += len(piece)
            if size > _LONGEST:
                raise PatternError(f"it makes a text of more than {_LONGEST:,} characters")
            pieces.append(piece)
    except PatternError:
        raise
    except (TemplateError, ArithmeticError, TypeError, ValueError, LookupError, AttributeError,
            RecursionError) as error:  # fmt: skip
        raise PatternError(str(error).splitlines()[0] if str(error) else "it fails") from None
    return " ".join("".join(pieces).split())
