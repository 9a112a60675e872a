"""Structured data that a page holds: JSON-LD 1.1, microdata (HTML, section 5) and RDFa Lite 1.1.

All come out alike, as nodes of the schema.org vocabulary with bare terms. Other vocabularies are
passed over. Nothing is fetched: a context other than schema.org's is not followed.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from typing import Any

import msgspec
from selectolax.lexbor import LexborHTMLParser, LexborNode

from jovial_atlas import foreign
from jovial_atlas.structured.contexts import HOME, KEYED, Context, bare
from jovial_atlas.structured.nodes import Node
from jovial_atlas.values import replace

_SOURCES = frozenset({"audio", "embed", "iframe", "img", "source", "track", "video"})
_LINKS = frozenset({"a", "area", "link"})
_DEEP = 24

Resolve = Callable[[str], str | None]


class FoundNode(msgspec.Struct, frozen=True):
    """One node of a page: in which syntax, and in which block (numbers of script elements from 1,
    of items in the order they stand)."""

    node: Node
    syntax: str
    number: int


class DataFault(msgspec.Struct, frozen=True):
    """Why a block gives nothing: data-syntax or data-context, with a sentence; and whether the
    whole block is no JSON."""

    code: str
    message: str
    is_no_json: bool = False


def read_page(
    tree: LexborHTMLParser, resolve: Resolve = lambda address: address
) -> tuple[list[FoundNode], list[DataFault]]:
    """The nodes of a page and what is wrong with its blocks. `resolve` makes a reference of the
    page absolute."""
    all_nodes: list[FoundNode] = []
    faults: list[DataFault] = []
    for number, node in enumerate(_scripts(tree), start=1):
        nodes, wrong = read_json_ld(node.text(strip=False))
        all_nodes += [FoundNode(one, "json-ld", number) for one in nodes]
        faults += [replace(one, message=f"JSON-LD block {number}: {one.message}") for one in wrong]
    all_nodes += [
        FoundNode(n, "microdata", i) for i, n in enumerate(_microdata(tree, resolve), start=1)
    ]
    all_nodes += [FoundNode(n, "rdfa", i) for i, n in enumerate(_rdfa(tree, resolve), start=1)]
    return all_nodes, faults


def _scripts(tree: LexborHTMLParser) -> Iterator[LexborNode]:
    for node in tree.css("script[type]"):
        if (node.attributes.get("type") or "").strip().lower() == "application/ld+json":
            yield node


def read_json_ld(text: str) -> tuple[list[Node], list[DataFault]]:
    """The nodes of one JSON-LD document, and what is wrong with it. An empty one says nothing."""
    if not text.strip():
        return [], []
    try:
        value = foreign.read_json(text)
    except ValueError as error:
        return [], [DataFault("data-syntax", f"it is not JSON ({error}).", is_no_json=True)]
    faults: list[DataFault] = []
    nodes: list[Node] = []
    documents = value if isinstance(value, list) else [value]
    for document in documents:
        if not isinstance(document, dict):
            faults.append(DataFault("data-syntax", f"{json.dumps(document)[:60]} is no node."))
            continue
        given = document.get("@context")
        context = Context().within(given)
        if given is None:
            # Read all the same: what it means is plain to people.
            context = Context().within("https://schema.org")
            message = "it has no @context; readers do not know what its terms mean."
            faults.append(DataFault("data-context", message))
        elif not context.speaks_it:
            shown = json.dumps(given)[:80]
            faults.append(
                DataFault("data-context", f"its @context {shown} is not https://schema.org.")
            )
            continue
        reading = _Reading(faults)
        graph = next((v for k, v in document.items() if context.expanded(k) == "@graph"), None)
        rest = {
            k: v for k, v in document.items() if context.expanded(k) not in ("@graph", "@context")
        }
        members = graph if isinstance(graph, list) else [graph] if graph else []
        names = {context.expanded(key) for key in rest}
        for node in [*([rest] if names - {"@id"} else []), *members]:
            if isinstance(node, dict):
                nodes.append(reading.node(node, context, 0))
            else:
                faults.append(DataFault("data-syntax", f"{json.dumps(node)[:60]} is no node."))
    return nodes, faults


class _Reading:
    """Nodes of a document with bare terms of the vocabulary; what is of another is left out."""

    def __init__(self, faults: list[DataFault]) -> None:
        self._faults = faults

    def node(self, node: Node, context: Context, depth: int) -> Node:
        """One node; `context` is that of what is around it."""
        if "@context" in node:
            context = context.within(node["@context"])
        made: Node = {}
        for key, value in node.items():
            means = context.expanded(key)
            if means == "@type":
                self._types(value, context, made)
            elif means == "@id":
                if isinstance(value, str):
                    made["@id"] = value
                else:
                    message = f"its @id {json.dumps(value)[:60]} is no address."
                    self._faults.append(DataFault("data-syntax", message))
            elif name := bare(means):
                said = self.value(value, context, context.containers(key), depth + 1)
                if said is not None:
                    for one in said if isinstance(said, list) and name in made else [said]:
                        _add(made, name, one)
        return made

    def _types(self, value: Any, context: Context, node: Node) -> None:
        kinds = value if isinstance(value, list) else [value]
        if not all(isinstance(kind, str) for kind in kinds):
            message = f"its @type {json.dumps(value)[:60]} is no name."
            self._faults.append(DataFault("data-syntax", message))
        named = [context.expanded(kind) for kind in kinds if isinstance(kind, str)]
        # A type of another vocabulary stands as it is, so that it can be told.
        bare_ = [bare(one) or one for one in named if one and not one.startswith("@")]
        if bare_:
            node["@type"] = bare_[0] if len(bare_) == 1 else bare_

    def value(self, value: Any, context: Context, containers: frozenset[str], depth: int) -> Any:
        """A value: what it says, without the ways of saying it."""
        if depth > _DEEP:
            return None
        if isinstance(value, list):
            inner = containers - KEYED
            values = [self.value(one, context, inner, depth) for one in value]
            return [one for one in values if one is not None]
        if not isinstance(value, dict):
            return value
        means = {context.expanded(key): one for key, one in value.items()}
        if "@value" in means:
            return means["@value"]
        for holder in ("@list", "@set"):
            if holder in means:
                return self.value(means[holder], context, frozenset(), depth + 1)
        if containers & KEYED:
            values = []
            for one in value.values():
                said = self.value(one, context, frozenset(), depth + 1)
                values += said if isinstance(said, list) else [said]
            kept = [one for one in values if one is not None]
            return kept[0] if len(kept) == 1 else kept
        return self.node(value, context, depth)


def _bare(name: str, prefixes: tuple[str, ...]) -> str:
    for prefix in prefixes:
        if name.startswith(prefix):
            return name[len(prefix) :]
    match = HOME.match(name)
    return name[match.end() :] if match else name


# Microdata, HTML section 5.2.


def _microdata(tree: LexborHTMLParser, resolve: Resolve) -> Iterator[Node]:
    for node in tree.css("[itemscope]"):
        if "itemprop" not in node.attributes and _terms(node.attributes.get("itemtype")):
            yield _item(node, tree, resolve, 0)


def _terms(given: str | None) -> list[str]:
    """The terms of the vocabulary among some addresses."""
    found = (HOME.match(one) for one in (given or "").split())
    return [one.string[one.end() :] for one in found if one]


def _item(node: LexborNode, tree: LexborHTMLParser, resolve: Resolve, depth: int) -> Node:
    kinds = _terms(node.attributes.get("itemtype"))
    made: Node = {}
    if kinds:
        made["@type"] = kinds[0] if len(kinds) == 1 else kinds
    if identity := (node.attributes.get("itemid") or "").strip():
        made["@id"] = resolve(identity) or identity
    roots = [node]
    for name in (node.attributes.get("itemref") or "").split()[:_REFERRED]:
        roots += _with_id(tree, name)
    for number, root in enumerate(roots):
        for element in _properties(root, "itemprop", "itemscope", with_root=number > 0):
            if depth < _DEEP:
                value = (
                    _item(element, tree, resolve, depth + 1)
                    if "itemscope" in element.attributes
                    else _plain(element, resolve)
                )
                for name in (element.attributes.get("itemprop") or "").split():
                    _add(made, _bare(name, ()), value)
    return made


#: Elements that one item may take properties from, beside itself.
_REFERRED = 50


def _with_id(tree: LexborHTMLParser, name: str) -> list[LexborNode]:
    """The first element with this id, if there is one."""
    quoted = name.replace("\\", "\\\\").replace('"', '\\"')
    found = tree.css_first(f'[id="{quoted}"]')
    return [found] if found is not None else []


def _properties(
    root: LexborNode, mark: str, scope: str, *, with_root: bool = False
) -> Iterator[LexborNode]:
    """The elements below one that are properties of it, and not of a thing inside it."""
    if with_root and mark in root.attributes:
        yield root
        if scope in root.attributes:
            return
    #: Element → whether what stands in it, and in nothing else, is the root's.
    mine = {root.mem_id: True}
    for node in root.css(f"[{mark}]"):
        passed: list[int] = []
        above = node.parent if node.mem_id != root.mem_id else None
        while above is not None and above.mem_id not in mine:
            if scope in above.attributes:
                mine[above.mem_id] = False
            else:
                passed.append(above.mem_id)
                above = above.parent
        if above is not None:
            mine |= dict.fromkeys(passed, mine[above.mem_id])
            if mine[above.mem_id]:
                yield node


def _plain(node: LexborNode, resolve: Resolve) -> str:
    """The value of an element that is a property (HTML, section 5.2.4)."""
    given, name = node.attributes, str(node.tag)
    if name == "meta":
        return (given.get("content") or "").strip()
    for attribute, tags in (("src", _SOURCES), ("href", _LINKS), ("data", {"object"})):
        if name in tags:
            said = (given.get(attribute) or "").strip()
            return resolve(said) or said
    if name in ("data", "meter"):
        return (given.get("value") or "").strip()
    if name == "time" and given.get("datetime"):
        return (given.get("datetime") or "").strip()
    if given.get("content"):  # no part of microdata, and many write it
        return (given.get("content") or "").strip()
    # All of an article may be marked as its body: it is cut before white space is taken out.
    return " ".join(node.text(separator=" ")[: 8 * _KEPT].split())[:_KEPT]


#: So much is kept of a text that an element holds.
_KEPT = 2_000


def _add(node: Node, name: str, value: Any) -> None:
    if name not in node:
        node[name] = value
    elif isinstance(node[name], list):
        node[name].append(value)
    else:
        node[name] = [node[name], value]


# RDFa Lite 1.1.


def _rdfa(tree: LexborHTMLParser, resolve: Resolve) -> Iterator[Node]:
    for node in tree.css("[typeof]"):
        if "property" not in node.attributes and _kinds(node):
            yield _thing(node, resolve, 0)


def _terms_of(node: LexborNode) -> tuple[str, tuple[str, ...]]:
    """The vocabulary and the prefixes that mean ours where an element stands (RDFa Lite §2.2)."""
    prefixes: dict[str, bool] = {"schema:": True}
    vocabulary = ""
    above: list[LexborNode] = []
    at: LexborNode | None = node
    while at is not None:
        above.append(at)
        at = at.parent
    for one in reversed(above):
        given = one.attributes
        if "vocab" in given:
            vocabulary = (given.get("vocab") or "").strip()
        words = (given.get("prefix") or "").split()
        for name, to in zip(words[::2], words[1::2], strict=False):
            prefixes[name.lower()] = HOME.match(to) is not None
    return vocabulary, tuple(name for name, ours in prefixes.items() if ours)


def _terms_in(given: str | None, vocabulary: str, prefixes: tuple[str, ...]) -> list[str]:
    """The terms of the vocabulary among the words of `typeof` or `property`."""
    terms = []
    for name in (given or "").split():
        word = _bare(name, prefixes)
        if ":" not in word and (word != name or HOME.match(vocabulary)):
            terms.append(word)
    return terms


def _kinds(node: LexborNode) -> list[str]:
    """The types that an element names, where they are of the vocabulary."""
    return _terms_in(node.attributes.get("typeof"), *_terms_of(node))


def _thing(node: LexborNode, resolve: Resolve, depth: int) -> Node:
    kinds = _kinds(node)
    made: Node = {}
    if kinds:
        made["@type"] = kinds[0] if len(kinds) == 1 else kinds
    if resource := (node.attributes.get("resource") or "").strip():
        made["@id"] = resolve(resource) or resource
    for element in _properties(node, "property", "typeof"):
        if depth < _DEEP:
            value: Any
            if "typeof" in element.attributes:
                value = _thing(element, resolve, depth + 1)
            else:
                value = _said(element, resolve)
            for name in _terms_in(element.attributes.get("property"), *_terms_of(element)):
                _add(made, name, value)
    return made


def _said(node: LexborNode, resolve: Resolve) -> str:
    given = node.attributes
    if given.get("content") is not None:
        return (given.get("content") or "").strip()
    for attribute in ("resource", "href", "src"):
        if said := (given.get(attribute) or "").strip():
            return resolve(said) or said
    if said := (given.get("datetime") or "").strip():
        return said
    return " ".join(node.text(separator=" ").split())
