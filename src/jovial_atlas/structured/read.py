"""Structured data that a page holds: JSON-LD 1.1, microdata (HTML, section 5) and RDFa Lite 1.1.

All come out alike, as nodes of the schema.org vocabulary with bare terms. Other vocabularies are
passed over. Nothing is fetched: a context other than schema.org's is not followed.
"""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

from selectolax.lexbor import LexborHTMLParser, LexborNode

from jovial_atlas import foreign

Node = dict[str, Any]

#: Addresses of the vocabulary, as pages write them.
_HOME = re.compile(r"https?://(www\.)?schema\.org/?#?", re.I)
_SOURCES = frozenset({"audio", "embed", "iframe", "img", "source", "track", "video"})
_LINKS = frozenset({"a", "area", "link"})
_DEEP = 24

Resolve = Callable[[str], str | None]


@dataclass(frozen=True, slots=True)
class Found:
    """One node of a page: in which syntax, and in which block (numbers of script elements from 1,
    of items in the order they stand)."""

    node: Node
    syntax: str
    number: int


@dataclass(frozen=True, slots=True)
class Fault:
    """Why a block gives nothing: data-syntax or data-context, with a sentence."""

    code: str
    message: str


def read_page(
    tree: LexborHTMLParser, resolve: Resolve = lambda address: address
) -> tuple[list[Found], list[Fault]]:
    """The nodes of a page and what is wrong with its blocks. `resolve` makes a reference of the
    page absolute."""
    found: list[Found] = []
    faults: list[Fault] = []
    for number, node in enumerate(_scripts(tree), start=1):
        nodes, wrong = read_json_ld(node.text(strip=False))
        found += [Found(one, "json-ld", number) for one in nodes]
        faults += [Fault(one.code, f"JSON-LD block {number}: {one.message}") for one in wrong]
    found += [Found(n, "microdata", i) for i, n in enumerate(_microdata(tree, resolve), start=1)]
    found += [Found(n, "rdfa", i) for i, n in enumerate(_rdfa(tree, resolve), start=1)]
    return found, faults


def _scripts(tree: LexborHTMLParser) -> Iterator[LexborNode]:
    for node in tree.css("script[type]"):
        if (node.attributes.get("type") or "").strip().lower() == "application/ld+json":
            yield node


def read_json_ld(text: str) -> tuple[list[Node], list[Fault]]:
    """The nodes of one JSON-LD document, and what is wrong with it."""
    try:
        value = foreign.read_json(text)
    except (ValueError, RecursionError) as error:
        return [], [Fault("data-syntax", f"it is not JSON ({error}).")]
    faults: list[Fault] = []
    nodes: list[Node] = []
    documents = value if isinstance(value, list) else [value]
    for one in documents:
        if not isinstance(one, dict):
            faults.append(Fault("data-syntax", f"{json.dumps(one)[:60]} is no node."))
            continue
        prefixes, wrong = _context(one.get("@context"))
        if wrong:
            faults.append(Fault("data-context", wrong))
            if prefixes is None:
                continue
        graph = one.get("@graph")
        rest = {key: v for key, v in one.items() if key not in ("@context", "@graph")}
        members = graph if isinstance(graph, list) else [graph] if graph else []
        for node in [*([rest] if rest.keys() - {"@id"} else []), *members]:
            if isinstance(node, dict):
                nodes.append(_bare_node(node, prefixes or (), 0))
            else:
                faults.append(Fault("data-syntax", f"{json.dumps(node)[:60]} is no node."))
    return nodes, faults


def _context(context: Any) -> tuple[tuple[str, ...] | None, str]:
    """Prefixes that mean the vocabulary, None where it is not in use; and what is wrong."""
    parts = context if isinstance(context, list) else [context]
    prefixes: list[str] = []
    used = False
    for one in parts:
        if isinstance(one, str) and _HOME.fullmatch(one.removesuffix("docs/jsonldcontext.json")):
            used = True
        elif isinstance(one, dict):
            for name, to in one.items():
                if isinstance(to, str) and _HOME.fullmatch(to):
                    used = used or name == "@vocab"
                    if not name.startswith("@"):
                        prefixes.append(f"{name}:")
    if used or prefixes:
        return tuple(prefixes), ""
    if context is None:
        return (), "it has no @context; readers do not know what its terms mean."
    return None, f"its @context {json.dumps(context)[:80]} is not https://schema.org."


def _bare_node(node: Node, prefixes: tuple[str, ...], depth: int) -> Node:
    """A node with terms without prefix or address."""
    found: Node = {}
    for key, value in node.items():
        name = _bare(key, prefixes)
        if name == "@type":
            kinds = value if isinstance(value, list) else [value]
            bare = [_bare(kind, prefixes) for kind in kinds if isinstance(kind, str)]
            found[name] = bare[0] if len(bare) == 1 else bare
        elif name != "@context":
            found[name] = _bare_value(value, prefixes, depth + 1)
    return found


def _bare_value(value: Any, prefixes: tuple[str, ...], depth: int) -> Any:
    if depth > _DEEP:
        return None
    if isinstance(value, dict):
        return _bare_node(value, prefixes, depth)
    if isinstance(value, list):
        return [_bare_value(one, prefixes, depth) for one in value]
    return value


def _bare(name: str, prefixes: tuple[str, ...]) -> str:
    for prefix in prefixes:
        if name.startswith(prefix):
            return name[len(prefix) :]
    match = _HOME.match(name)
    return name[match.end() :] if match else name


# Microdata, HTML section 5.2.


def _microdata(tree: LexborHTMLParser, resolve: Resolve) -> Iterator[Node]:
    for node in tree.css("[itemscope]"):
        if "itemprop" not in node.attributes and _terms(node.attributes.get("itemtype")):
            yield _item(node, tree, resolve, 0)


def _terms(given: str | None) -> list[str]:
    """The terms of the vocabulary among some addresses."""
    found = (_HOME.match(one) for one in (given or "").split())
    return [one.string[one.end() :] for one in found if one]


def _item(node: LexborNode, tree: LexborHTMLParser, resolve: Resolve, depth: int) -> Node:
    kinds = _terms(node.attributes.get("itemtype"))
    found: Node = {}
    if kinds:
        found["@type"] = kinds[0] if len(kinds) == 1 else kinds
    if identity := (node.attributes.get("itemid") or "").strip():
        found["@id"] = resolve(identity) or identity
    roots = [node]
    for name in (node.attributes.get("itemref") or "").split()[:_REFERRED]:
        roots += _with_id(tree, name)
    for number, root in enumerate(roots):
        for one in _properties(root, "itemprop", "itemscope", with_root=number > 0):
            if depth < _DEEP:
                value = (
                    _item(one, tree, resolve, depth + 1)
                    if "itemscope" in one.attributes
                    else _plain(one, resolve)
                )
                for name in (one.attributes.get("itemprop") or "").split():
                    _add(found, _bare(name, ()), value)
    return found


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
    stack = list(reversed(list(root.iter())))
    while stack:
        node = stack.pop()
        if mark in node.attributes:
            yield node
        if scope not in node.attributes:
            stack += reversed(list(node.iter()))


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
    return " ".join(node.text(separator=" ").split())


def _add(found: Node, name: str, value: Any) -> None:
    if name not in found:
        found[name] = value
    elif isinstance(found[name], list):
        found[name].append(value)
    else:
        found[name] = [found[name], value]


# RDFa Lite 1.1.


def _rdfa(tree: LexborHTMLParser, resolve: Resolve) -> Iterator[Node]:
    for node in tree.css("[typeof]"):
        if "property" not in node.attributes and _kinds(node):
            yield _thing(node, resolve, 0)


def _kinds(node: LexborNode) -> list[str]:
    """The types that an element names, where they are of the vocabulary."""
    prefixes = ["schema:"]
    vocabulary = ""
    above: LexborNode | None = node
    while above is not None:
        given = above.attributes
        if not vocabulary and given.get("vocab"):
            vocabulary = given.get("vocab") or ""
        words = (given.get("prefix") or "").split()
        prefixes += [n for n, to in zip(words[::2], words[1::2], strict=False) if _HOME.match(to)]
        above = above.parent
    found = []
    for name in (node.attributes.get("typeof") or "").split():
        bare = _bare(name, tuple(prefixes))
        if bare != name or (_HOME.match(vocabulary) and ":" not in name):
            found.append(bare)
    return found


def _thing(node: LexborNode, resolve: Resolve, depth: int) -> Node:
    kinds = _kinds(node)
    found: Node = {}
    if kinds:
        found["@type"] = kinds[0] if len(kinds) == 1 else kinds
    if resource := (node.attributes.get("resource") or "").strip():
        found["@id"] = resolve(resource) or resource
    for one in _properties(node, "property", "typeof"):
        if depth < _DEEP:
            value: Any
            if "typeof" in one.attributes:
                value = _thing(one, resolve, depth + 1)
            else:
                value = _said(one, resolve)
            for name in (one.attributes.get("property") or "").split():
                bare = _bare(name, ("schema:",))
                if ":" not in bare:
                    _add(found, bare, value)
    return found


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
