"""Structured data: what is wrong with the graphs of pages, and where they contradict their
pages."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field

from jovial_atlas import addresses
from jovial_atlas.faults import Fault, plural
from jovial_atlas.structured.agree import PageText, disagreements
from jovial_atlas.structured.nodes import NodeView
from jovial_atlas.structured.validate import INVALID, Issue, Validator, types_of

#: Codes of which pages are told together: the same is wrong with many.
_TOGETHER = frozenset({"data-recommended", "data-form", "data-superseded", "data-property",
                       "data-expected"})  # fmt: skip
#: Types whose values stand in other places than the main text.
_FRAMES = frozenset({"WebSite", "WebPage", "BreadcrumbList", "SearchAction", "Organization",
                     "VideoObject"})  # fmt: skip


@dataclass(frozen=True, slots=True)
class PageData:
    """The data of one page: its nodes, how many of the last are not published, the issues (by the
    number of the node), and its visible text, None where that is not known."""

    where: str
    nodes: Sequence[NodeView]
    issues: Sequence[Issue]
    left_out: int = 0
    text: PageText | None = field(default=None, compare=False)


def check_data(pages: Iterable[PageData]) -> Iterator[Fault]:
    """What is wrong with the structured data of some pages."""
    together: dict[tuple[str, str], list[str]] = {}
    for page_data in pages:
        first_left_out = len(page_data.nodes) - page_data.left_out
        for issue in page_data.issues:
            node = page_data.nodes[issue.node]
            kind = " and ".join(types_of(node)) or "node"
            at = f"{kind}.{issue.path}" if issue.path else kind
            sentence = issue.message if issue.message.startswith(kind) else f"{at}: {issue.message}"
            if issue.code in _TOGETHER:
                together.setdefault((issue.code, sentence), []).append(page_data.where)
                continue
            gone = issue.node >= first_left_out and issue.code in INVALID
            yield Fault(
                issue.code, page_data.where, f"{sentence}{' It is not published.' if gone else ''}"
            )
        if page_data.text is not None:
            yield from _disagreeing(page_data, page_data.text)
    for (code, sentence), where in together.items():
        places = dict.fromkeys(where)
        more = f" {plural(len(places), 'page')}: {_some(list(places))}." if len(places) > 1 else ""
        yield Fault(code, next(iter(places)), f"{sentence}{more}")


def _some(where: list[str], most: int = 3) -> str:
    shown = [addresses.path_and_query(one) if "://" in one else one for one in where[:most]]
    more = f" and {len(where) - most:,} more" if len(where) > most else ""
    return ", ".join(shown) + more


def _disagreeing(page_data: PageData, text: PageText) -> Iterator[Fault]:
    for node in page_data.nodes[: len(page_data.nodes) - page_data.left_out]:
        kinds = types_of(node)
        if not kinds or _FRAMES & set(kinds):
            continue
        for found in disagreements(node, text):
            near = f"; the page says {found.nearest!r}" if found.nearest else ""
            message = f"{kinds[0]}.{found.path} is {found.said[:100]!r}{near}."
            yield Fault("data-disagrees", page_data.where, message)


def validated(
    where: str, nodes: Sequence[NodeView], validator: Validator, text: PageText | None = None
) -> PageData:
    """The data of a page of which nothing is known but its nodes."""
    return PageData(where, nodes, validator.validate(nodes), 0, text)
