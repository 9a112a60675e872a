"""The structured data of a page: one connected graph of the site's nodes, the page's, and what the
page said of itself already.

organisation ← web site ← web page ← article, event, product … ← video; the pages above it
"""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from typing import Any
from urllib.parse import urljoin
from zoneinfo import ZoneInfo

import msgspec

from jovial_atlas.head.context import NO_CONTEXT, HeadContext
from jovial_atlas.head.settings import HeadSettings
from jovial_atlas.head.site import SiteNodes, site_nodes
from jovial_atlas.head.texts import pattern_text
from jovial_atlas.head.videos import Film
from jovial_atlas.pages.page import Page
from jovial_atlas.sitefile.deciding import Section
from jovial_atlas.sitefile.publisher import Place
from jovial_atlas.structured import nodes
from jovial_atlas.structured.fill import fill, parsed
from jovial_atlas.structured.nodes import Node
from jovial_atlas.structured.validate import INVALID, Issue, Validator, types_of
from jovial_atlas.structured.vocabulary import vocabulary
from jovial_atlas.values import replace

#: Kinds of page that are about other pages, and carry no type of their section.
_LISTS = frozenset({"listing", "paged", "author", "search", "error"})


class Graph(msgspec.Struct, frozen=True):
    """The graph of a page: `nodes` are published; `left_out` are not, since they have errors;
    `issues` tell of both, by their numbers in `nodes` and then `left_out`. `origins`: @id →
    property → where its value comes from. `shared` has the @ids of nodes that all pages share."""

    nodes: list[Node]
    left_out: list[Node]
    issues: list[Issue]
    origins: dict[str, dict[str, str]] = msgspec.field(default_factory=dict)
    shared: frozenset[str] = frozenset()

    @property
    def all_nodes(self) -> list[Node]:
        """Those that are published, then those that are not, as issues count them."""
        return [*self.nodes, *self.left_out]

    def is_shared(self, node: Node) -> bool:
        """Whether a node is one that all pages of the site share."""
        return node.get("@id") in self.shared

    @property
    def document(self) -> Node | None:
        """As JSON-LD; None for nothing."""
        return nodes.graph(self.nodes) if self.nodes else None


def page_graph(
    page: Page,
    settings: HeadSettings,
    section: Section | None,
    texts: tuple[str | None, str | None],
    films: Sequence[Film] = (),
    context: HeadContext = NO_CONTEXT,
    *,
    trace: bool = False,
) -> Graph:
    """The graph of a page (a row of the decided table) with its title and description. With
    `trace` it says where each value comes from."""
    shared = site_nodes(settings)
    making = _Making(page, settings, section, texts, context, trace, shared)
    if trace:
        for where, node in zip(("[publisher]", "[site]"), shared.first, strict=True):
            making.origins[node["@id"]] = dict.fromkeys(node, f"site file, {where}")
    made = _with_found([*shared.first, *making.nodes(films)], page, making)
    return _valid(made, shared, settings, making, trace)


def validator_of(settings: HeadSettings) -> Validator:
    """The validator with the site's own rows of the table of features."""
    return site_nodes(settings).validator


def _valid(
    made: list[Node],
    shared: SiteNodes,
    settings: HeadSettings,
    making: _Making,
    advice: bool,
) -> Graph:
    """Only what is valid is published, unless the owner insists; nothing refers to the rest."""
    count = len(shared.first)
    origins = making.origins
    issues = [*shared.issues] if advice else [*shared.wrong]
    # What is made of nothing but checked values need not be asked whether it is wrong.
    numbers = [
        n for n in range(count, len(made)) if advice or made[n].get("@id") not in making.sure
    ]
    if numbers:
        asked = [made[n] for n in numbers]
        own = shared.validator.validate(asked, advice=advice, known=made)
        issues += [replace(issue, node=numbers[issue.node]) for issue in own]
    elif not issues:
        return Graph(made, [], issues, origins, shared.ids)
    wrong = {one.node for one in issues if one.code in INVALID}
    if not wrong or settings.structured.publish == "all":
        return Graph(made, [], issues, origins, shared.ids)
    kept = [node for number, node in enumerate(made) if number not in wrong]
    gone = [made[number] for number in sorted(wrong)]
    lost = {node["@id"] for node in gone if "@id" in node}
    kept = [_without(node, lost) for node in kept] if lost else kept
    order = [n for n in range(len(made)) if n not in wrong] + sorted(wrong)
    places = {old: new for new, old in enumerate(order)}
    moved = [replace(issue, node=places[issue.node]) for issue in issues]
    return Graph(kept, gone, sorted(moved, key=lambda one: one.node), origins, shared.ids)


def _without(node: Node, lost: set[str]) -> Node:
    """A node without references to nodes that are not published."""

    def good(value: Any) -> bool:
        return not (isinstance(value, Mapping) and value.get("@id") in lost and len(value) == 1)

    rest: Node = {}
    for key, value in node.items():
        if isinstance(value, list):
            if kept := [one for one in value if good(one)]:
                rest[key] = kept
        elif good(value):
            rest[key] = value
    return rest


#: Fields of a film → the properties that they fill.
_OF_FILM = {
    "title": "name", "description": "description", "thumbnail": "thumbnailUrl",
    "published": "uploadDate", "content": "contentUrl", "player": "embedUrl",
    "duration": "duration", "width": "width", "height": "height",
}  # fmt: skip


class _Making:
    """The nodes of one page while they are made; gives the page's fields to `fill`."""

    def __init__(
        self,
        page: Page,
        settings: HeadSettings,
        section: Section | None,
        texts: tuple[str | None, str | None],
        context: HeadContext,
        trace: bool,
        shared: SiteNodes,
    ) -> None:
        self.page, self.settings, self.section, self.context = page, settings, section, context
        self.title, self.description = texts
        self.loc = page.loc
        self.base = self.loc
        zone = settings.site.timezone
        self.zone = ZoneInfo(zone) if zone else None
        self.origins: dict[str, dict[str, str]] = {}
        self.trace, self.shared = trace, shared
        self.places: dict[str, Node] = {}
        self.found = _found(page)
        #: Nodes made of nothing but texts and addresses of the survey, which cannot be wrong.
        self.sure: set[str] = set()

    # What `fill` asks for.

    def field(self, name: str) -> Any:
        """A field of the page: a column, `extra.NAME`, or `found.questions`, `.steps`, `.items`."""
        kind, _, rest = name.partition(".")
        if rest and kind == "extra":
            return parsed((self.page.extra or {}).get(rest))
        if rest and kind == "found":
            return self.found.get(rest)
        if name == "site.currency":
            return self.settings.structured.currency
        if name == "title":
            return self.title
        if name == "description":
            return self.description or self.page.description
        if name == "changed":
            return self.page.lastmod if self.page.lastmod_from != "file" else None
        if name == "images" and self.page.images:
            return [one.loc for one in self.page.images]
        return getattr(self.page, name, None)

    def text(self, pattern: str) -> str:
        """A pattern filled in."""
        return pattern_text(pattern, self.page, self.settings.site)

    def extras(self) -> list[str]:
        """Names of the page's extra fields that hold something."""
        extra = self.page.extra or {}
        return [name for name, value in extra.items() if value not in (None, "")]

    def ref(self, name: str) -> Node | None:
        """A reference to the publisher, the web site, the page, or `place:NAME`."""
        url = self.settings.site.url
        kind, _, rest = name.partition(":")
        if kind == "place":
            place = self.shared.places.get(rest)
            if place is None:
                return None
            self.places[rest] = place
            return {"@id": place["@id"]}
        known = {"publisher": f"{url}/#publisher", "website": f"{url}/#website",
                 "page": f"{self.loc}#webpage"}  # fmt: skip
        return {"@id": known[name]} if name in known else None

    # The nodes.

    def nodes(self, films: Sequence[Film]) -> list[Node]:
        """The nodes of the page, without those of the site."""
        url, page = self.settings.site.url, self.page
        web_page = nodes.web_page(
            url, self.loc, name=self.title, description=self.description,
            language=page.language or self.settings.site.language,
        )  # fmt: skip
        site_says = "site file, [site]"
        if self.trace:
            said_in = "page" if page.language else site_says
            self.origins[web_page["@id"]] = {
                "url": "field loc", "name": "title", "description": "description",
                "inLanguage": said_in, "isPartOf": site_says, "breadcrumb": "addresses above",
            }  # fmt: skip
        graph = [web_page]
        self.sure.add(web_page["@id"])
        main = self._main()
        if main is not None:
            if "WebPage" in vocabulary().above(main["@type"]):
                said = {k: v for k, v in main.items() if k not in ("url", "name", "description")}
                web_page.update(said | {"@id": web_page["@id"]})
                self.sure.discard(web_page["@id"])
                self.origins.setdefault(web_page["@id"], {}).update(
                    self.origins.pop(main["@id"], {})
                )
            else:
                graph.append(main)
        here = [one.name for one in self.settings.place if self._about(one)]
        self.places |= {name: self.shared.places[name] for name in here}
        for name, place in self.places.items():
            own = {"mainEntityOfPage": {"@id": web_page["@id"]}} if name in here else {}
            graph.append({**place, **own})
            self._note(place, dict.fromkeys(place, "site file, [[place]]"))
        videos = (one for one in films if not one.why_not)
        for number, film in enumerate(videos, start=1):
            if node := nodes.video(url, self.loc, number, film.values):
                graph.append(node)
                self._note(node, {theirs: f"film: {film.origin[ours]}" for ours, theirs in
                                  _OF_FILM.items() if ours in film.origin})  # fmt: skip
        if self.settings.structured.breadcrumbs and (crumbs := self._crumbs()):
            web_page["breadcrumb"] = {"@id": crumbs["@id"]}
            self.sure.add(crumbs["@id"])
            self._note(crumbs, {"itemListElement": "pages above, by address"})
            graph.append(crumbs)
        return graph

    def _about(self, place: Place) -> bool:
        return bool(urljoin(f"{self.settings.site.url}/", place.page) == self.loc)

    def _main(self) -> Node | None:
        """What the page is about, by its section; None for listings and for pages that say so
        themselves in microdata or RDFa."""
        section, page = self.section, self.page
        if section is None or not section.schema_type or self._is_listing(section):
            return None
        kind = section.schema_type
        above = vocabulary().above(kind)
        if "Article" in above and not (page.published or section.data.get("datePublished")):
            return None
        if "LocalBusiness" in above and any(self._about(one) for one in self.settings.place):
            return None
        marked = {t for syntax, node in self.found.get("nodes", ()) if syntax != "json-ld"
                  for t in types_of(node)}  # fmt: skip
        if not section.data and any(kind in vocabulary().above(one) for one in marked):
            return None
        origins: dict[str, str] | None = {} if self.trace else None
        node = fill(kind, section.data, self, vocabulary(), origins)
        name = "article" if "Article" in above else kind.lower()
        identity = f"{self.loc}#{name}"
        whole = {"@type": kind, "@id": identity, **{k: v for k, v in node.items() if k != "@type"}}
        if "WebPage" not in above:
            whole["mainEntityOfPage"] = {"@id": f"{self.loc}#webpage"}
        if {"Article", "Recipe"} & set(above) and "author" not in whole:
            whole["author"] = self.ref("publisher")
        if origins is not None:
            self.origins[identity] = origins
        return whole

    def _is_listing(self, section: Section) -> bool:
        url = self.settings.site.url
        folder = url + section.patterns[0].removesuffix("**")
        if self.loc == folder and folder != f"{url}/" and len(section.patterns) == 1:
            # A section of one page has no listing.
            return str(section.patterns[0]).endswith("**")
        return self.page.role in _LISTS

    def _crumbs(self) -> Node | None:
        """The pages above this one by address, as far as there are any, and itself."""
        trails = self.context.trails(self.settings.site)
        steps = trails.of(self.loc, self.page.heading or self.title)
        if not steps:
            return None
        *above, (_, last) = steps
        items: list[Node] = [
            {"@type": "ListItem", "position": number, "item": loc, "name": name or loc}
            for number, (loc, name) in enumerate(above, start=1)
        ]
        items.append({"@type": "ListItem", "position": len(items) + 1, "name": last})
        return {
            "@type": "BreadcrumbList", "@id": f"{self.loc}#breadcrumb", "itemListElement": items
        }  # fmt: skip

    def _note(self, node: Node, origins: dict[str, str]) -> None:
        if self.trace:
            self.origins[node["@id"]] = dict(origins)


def _found(page: Page) -> dict[str, Any]:
    given = page.data
    found: dict[str, Any] = json.loads(given) if given else {}
    return found


def _with_found(made: list[Node], page: Page, making: _Making) -> list[Node]:
    """The nodes with those that the page's own JSON-LD has: what is described already is filled
    up, what is not stands beside it. What the site says of itself is not taken from pages."""
    in_page = [node for syntax, node in making.found.get("nodes", ()) if syntax == "json-ld"]
    if not in_page:
        return made
    shared = making.shared.ids  # pages do not change what all share
    for node in in_page:
        same = _same(node, made)
        if same is None:
            if types_of(node) and not _of_whole_site(node):
                own = {**node, "@id": node.get("@id") or f"{page.loc}#{_fragment(node, made)}"}
                if "WebPage" not in vocabulary().above(types_of(node)[0]):
                    own.setdefault("mainEntityOfPage", {"@id": f"{page.loc}#webpage"})
                made.append(own)
                making.origins[own["@id"]] = dict.fromkeys(node, "page, JSON-LD")
        elif same.get("@id") not in shared:
            more = {key: value for key, value in node.items() if key not in same}
            same.update(more)
            making.sure.discard(same.get("@id", ""))
            making.origins.setdefault(same.get("@id", ""), {}).update(
                dict.fromkeys(more, "page, JSON-LD")
            )
    return made


def _same(node: Node, made: Sequence[Node]) -> Node | None:
    """The node that describes the same thing: by @id, or the only one of its type."""
    if "@id" in node:
        for other in made:
            if other.get("@id") == node["@id"]:
                return other
    kinds = types_of(node)
    words = vocabulary()
    alike = [
        other
        for other in made
        for kind in types_of(other)
        if kind in kinds or any(kind in words.above(k) or k in words.above(kind) for k in kinds)
    ]
    return alike[0] if len(alike) == 1 else None


def _of_whole_site(node: Node) -> bool:
    words = vocabulary()
    return any(
        wanted in words.above(kind)
        for kind in types_of(node)
        for wanted in ("WebSite", "VideoObject", "BreadcrumbList")
    )


def _fragment(node: Node, made: Sequence[Node]) -> str:
    name = types_of(node)[0].lower()
    number = 1 + sum(name in str(one.get("@id", "")).rpartition("#")[2] for one in made)
    return name if number == 1 else f"{name}-{number}"
