"""Structured data over a site: graphs of its pages, a table by type, and any file or address."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import msgspec
import polars as pl
from selectolax.lexbor import LexborHTMLParser

from jovial_atlas import addresses
from jovial_atlas.checks.data import PageData, check_data, validated
from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import Fault
from jovial_atlas.head.page_graph import Graph, page_graph, validator_of
from jovial_atlas.head.settings import head_settings
from jovial_atlas.head.texts import description_of, title_of
from jovial_atlas.markup import without_block
from jovial_atlas.pages.page import Page, page_of, pages_of
from jovial_atlas.rounds.deciding.explain import page_at
from jovial_atlas.rounds.proving.organisation import truth
from jovial_atlas.rounds.proving.targets import relative
from jovial_atlas.rounds.publishing.patterns import check_patterns
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.site_files import file_of_row
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sources.html_page.fulltext import visible_text
from jovial_atlas.sources.remote import get
from jovial_atlas.structured.agree import PageText
from jovial_atlas.structured.read import read_json_ld, read_page
from jovial_atlas.structured.validate import INVALID, Validator, plain_validator, types_of
from jovial_atlas.web import Client

_PAGES = (".html", ".htm", ".xhtml")


class ShownData(msgspec.Struct, frozen=True):
    """The graph of one page, to be looked at."""

    loc: str
    graph: Graph
    #: Nodes that stand in the page in other syntaxes than JSON-LD: (syntax, node).
    beside: list[tuple[str, dict[str, Any]]]


def graph_of(page: Page, survey: LastSurvey, *, trace: bool = True) -> Graph:
    """The graph of a page, a row of the decided table."""
    settings = survey.heads_of(page.loc)
    section = settings.section_of(page)
    texts = (title_of(page, settings, section).value, description_of(page, settings, section).value)
    films = survey.films.get(page.loc, ())
    return page_graph(page, settings, section, texts, films, survey.head_context, trace=trace)


def show(url: str, survey: LastSurvey) -> ShownData:
    """The graph of the page at an address, or a path from '/' on. Raises AtlasError."""
    check_patterns(survey.site)
    page = page_of(page_at(url, survey).to_dicts()[0])
    return ShownData(page.loc, graph_of(page, survey), _beside(page))


def _beside(page: Page) -> list[tuple[str, dict[str, Any]]]:
    found = json.loads(page.data).get("nodes", ()) if page.data else ()
    return [(syntax, node) for syntax, node in found if syntax != "json-ld"]


def pages_with_data(survey: LastSurvey, site: SiteFile) -> Iterator[tuple[Page, Graph]]:
    """The pages that may be indexed and say something of their own as data, with their graphs."""
    typed = [one.name for one in site.model.section if one.schema_type]
    about = [addresses.resolve(f"{site.model.site.url}/", one.page) for one in site.model.place]
    wanted = (
        pl.col("section").is_in(typed) | pl.col("data").is_not_null()
        | pl.col("loc").is_in(about) | (pl.col("videos").list.len() > 0)
    )  # fmt: skip
    pages = survey.table.filter("index", pl.col("kind") == "page", wanted.fill_null(False)).collect(
        engine="streaming"
    )
    for page in pages_of(pages):
        yield page, graph_of(page, survey)


def data_faults(survey: LastSurvey, site: SiteFile) -> Iterator[Fault]:
    """What is wrong with the structured data of a site's pages. Sites with more pages than head
    data is written for are passed over."""
    if survey.count > site.model.output.head_pages:
        return
    yield from check_data(_site_data(survey, site))
    for spelling in truth(survey, texts=False):
        if not spelling.official:
            where = ", ".join(spelling.where)
            shown = f"the {spelling.field} {spelling.said!r}"
            message = f"Data writes {shown}, and otherwise elsewhere: {where}."
            yield Fault("data-spelling", spelling.where[0], message)


def _site_data(survey: LastSurvey, site: SiteFile) -> Iterator[PageData]:
    texts = texts_of(site)
    validator = validator_of(survey.heads)
    first = True
    for page, graph in pages_with_data(survey, site):
        nodes = graph.all_nodes
        # What is wrong with the site's own nodes is told once.
        issues = [one for one in graph.issues if first or not graph.is_shared(nodes[one.node])]
        first = False
        own = [node for node in nodes if not graph.is_shared(node)]
        about = {kind for node in own for kind in types_of(node)} - {
            "WebPage", "BreadcrumbList", "VideoObject",
        }  # fmt: skip
        text = texts(page) if about else None
        yield PageData(page.loc, nodes, issues, len(graph.left_out), text)
        for syntax, node in _beside(page):
            yield validated(f"{page.loc} ({syntax})", [node], validator, text)


def texts_of(site: SiteFile) -> Callable[[Page], PageText | None]:
    """Gives the title and the visible text of a page (a row) whose source is a folder of files,
    else None."""
    file_of = file_of_row(site)

    def text(page: Page) -> PageText | None:
        path = file_of(page)
        said = visible_text(path) if path else ""
        if not said:
            return None
        return PageText(f"{page.title or ''} {said}", page.language or site.model.site.language)

    return text


@dataclass(slots=True)
class OfType:
    """A type over the site: pages that say it, pages of which it is complete, nodes left out, and
    how often each recommended property is missing."""

    kind: str
    pages: int = 0
    complete: int = 0
    left_out: int = 0
    missing: Counter[str] = field(default_factory=Counter)


def by_type(survey: LastSurvey, site: SiteFile) -> list[OfType]:
    """The types of the site's pages, most frequent first."""
    types: dict[str, OfType] = {}
    for _, graph in pages_with_data(survey, site):
        for number, node in enumerate(graph.all_nodes):
            kinds = types_of(node)
            if not kinds or graph.is_shared(node):
                continue
            of_type = types.setdefault(kinds[0], OfType(kinds[0]))
            issues = [issue for issue in graph.issues if issue.node == number]
            of_type.pages += 1
            of_type.left_out += number >= len(graph.nodes)
            of_type.complete += not any(i.code in {"data-recommended", *INVALID} for i in issues)
            for issue in issues:
                if issue.code == "data-recommended":
                    of_type.missing[issue.lacking] += 1
    return sorted(types.values(), key=lambda of_type: (-of_type.pages, of_type.kind))


# Any file, folder or address.


class Read(msgspec.Struct, frozen=True):
    """What was read of a target: places that were looked at, and the faults found."""

    looked_at: list[str]
    faults: list[Fault]


def check_target(target: str, client: Client, site: SiteFile | None = None) -> Read:
    """The structured data of a page, a JSON-LD file, a folder of them, or an address, whoever made
    it. Raises AtlasError."""
    validator = validator_of(head_settings(site)) if site else plain_validator()
    if target.startswith(("http://", "https://")):
        data = get(client, target).body
        return _joined([(target, data, target)], validator)
    path = Path(target)
    if path.is_dir():
        names = sorted(p for p in path.rglob("*") if p.suffix.lower() in (*_PAGES, ".jsonld"))
        if not names:
            raise AtlasError(f"{target} holds no page and no .jsonld file.")
        return _joined(((relative(p), p.read_bytes(), "") for p in names), validator)
    try:
        return _joined([(relative(path), path.read_bytes(), "")], validator)
    except OSError as error:
        raise AtlasError(f"{target} cannot be read ({error.strerror}).") from error


def data_in(data: bytes, address: str, name: str, site: SiteFile | None) -> Read:
    """The structured data of a page that was read; messages call it `name`."""
    validator = validator_of(head_settings(site)) if site else plain_validator()
    return _joined([(name, data, address)], validator)


def _joined(files: Iterable[tuple[str, bytes, str]], validator: Validator) -> Read:
    looked_at: list[str] = []
    faults: list[Fault] = []
    pages: list[PageData] = []
    for name, data, address in files:
        looked_at.append(name)
        nodes, wrong, text = read_any(data, address)
        faults += [Fault(one.code, name, one.message) for one in wrong]
        if nodes:
            pages.append(validated(name, nodes, validator, text))
    return Read(looked_at, [*faults, *check_data(pages)])


def read_any(data: bytes, address: str = "") -> tuple[list[dict[str, Any]], Any, PageText | None]:
    """The nodes of a page or a JSON-LD document, what is wrong with its blocks, and the page's
    visible text."""
    if data.lstrip()[:1] in (b"{", b"["):
        nodes, faults = read_json_ld(data.decode("utf-8", "replace"))
        return nodes, faults, None
    tree = LexborHTMLParser(data)

    def resolve(reference: str) -> str | None:
        return addresses.whole(address, reference) if address else reference

    found_nodes, wrong = read_page(tree, resolve)
    root = tree.root
    language = (root.attributes.get("lang") if root else None) or "en"
    text = PageText(visible_text(without_block(data)), language)
    return [one.node for one in found_nodes], wrong, text
