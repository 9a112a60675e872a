"""The links of a site as values for scripts, and what is wrong with them as findings."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

from jovial_atlas.faults import Fault, plural
from jovial_atlas.findings.finding import Finding, findings_of
from jovial_atlas.linking.broken import BrokenLink
from jovial_atlas.linking.states import LOADED, LinkState
from jovial_atlas.rounds.proving.links import LinkOverview

#: State → the code of its finding.
_CODES = {
    LinkState.TEMPORARY: "link-temporary", LinkState.MISSING: "link-broken",
    LinkState.MIXED: "link-mixed", LinkState.INSECURE: "link-insecure",
    LinkState.REDIRECTS: "link-redirects", LinkState.FRAGMENT: "link-fragment",
    LinkState.BARRED: "link-barred", LinkState.NOINDEX: "link-noindex",
    LinkState.CANONICAL: "link-canonical", LinkState.SPELLING: "link-spelling",
}  # fmt: skip
#: What something is called that a page loads or leads to.
_CALLED = {"frame": "a framed page", "picture": "a picture", "script": "a script",
           "style": "a style sheet", "film": "a film or sound", "file": "a file"}  # fmt: skip
_SHOWN = 3
_PLACES = {"menu": "the menu", "header": "the header", "footer": "the footer",
           "beside": "a side column", "trail": "the trail", "head": "the head"}  # fmt: skip


def code_of(broken: BrokenLink) -> str:
    """The code of the finding that a broken link is."""
    if broken.state is LinkState.MISSING and broken.of in LOADED:
        return "link-loads-nothing"
    return _CODES[broken.state]


def as_findings(broken: Iterable[BrokenLink]) -> list[Finding]:
    """Broken links as findings, worst first: where one is tells its target."""
    return findings_of(Fault(code_of(one), one.target, message_of(one)) for one in broken)


def message_of(one: BrokenLink) -> str:
    """What is the matter with a target, and where its links are."""
    what = f"It is {_CALLED[one.of]}. " if one.of in _CALLED else ""
    to = {
        LinkState.REDIRECTS: f"It ends at {one.final}. " if one.final else "It never ends. ",
        LinkState.SPELLING: f"The page is known as {one.known_as}. ",
        LinkState.INSECURE: f"The page is known as {one.known_as}. " if one.known_as else "",
        LinkState.MISSING: f"It answers with status {one.status}. " if one.status else "",
    }.get(one.state, "")
    return f"{what}{to}{_from(one)}"


def _from(one: BrokenLink) -> str:
    """Where the links stand: of those in a layout, in which part of it."""
    if one.in_layout:
        places = sorted({_PLACES.get(link.place or "", "the layout") for link in one.links})
        example = one.links[0].loc
        return f"In {' and '.join(places)} of {plural(one.pages, 'page')}, as on {example}."
    texts = {link.loc: link.text for link in reversed(one.links)}
    shown = [_link(loc, text) for loc, text in sorted(texts.items())[:_SHOWN]]
    more = f" and {one.pages - _SHOWN:,} more" if one.pages > _SHOWN else ""
    return f"Linked from {', '.join(shown)}{more}."


def _link(loc: str, text: str | None) -> str:
    return f"{loc} (“{text[:60]}”)" if text else loc


def overview_as_json(told: LinkOverview, broken: Sequence[BrokenLink]) -> dict[str, Any]:
    """The links of a site, as docs/reference has them."""
    return {
        "pages": told.pages,
        "links": told.links,
        "content_links": told.content_links,
        "starts": told.starts,
        "orphans": told.orphans,
        "islands": told.islands,
        "dead_ends": told.dead_ends,
        "only_nofollow": told.only_nofollow,
        "only_unlisted": told.only_unlisted,
        "depth": {"none" if at is None else str(at): count for at, count in told.depth.items()},
        "sections": [
            {"from": one.source, "to": one.target, "links": one.links} for one in told.matrix
        ],
        "apart": [list(pair) for pair in told.apart],
        "broken": [broken_as_json(one) for one in broken],
    }


def broken_as_json(one: BrokenLink) -> dict[str, Any]:
    """One target that links lead wrong to."""
    return {
        "target": one.target, "kind": str(one.state), "of": one.of, "code": code_of(one),
        "status": one.status, "final": one.final or one.known_as, "pages": one.pages,
        "layout": one.in_layout,
        "from": [
            {"loc": link.loc, "text": link.text, "place": link.place, "written": link.written}
            for link in one.links
        ],
    }  # fmt: skip
