"""What the head of a home page says of its site: who stands behind it, the search of the site,
ownership tags, the handle for cards; and the picture with which most pages are shared."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import urljoin

import polars as pl
from selectolax.lexbor import LexborHTMLParser

from jovial_atlas import addresses
from jovial_atlas.errors import AtlasError
from jovial_atlas.rounds.reading.content_place import answer_at
from jovial_atlas.rounds.reading.content_records import ContentPlace
from jovial_atlas.structured.nodes import Node
from jovial_atlas.structured.read import read_page
from jovial_atlas.structured.validate import types_of
from jovial_atlas.web import Client

#: Types of who stands behind a site; those that end so are organisations as well.
_PERSON = "Person"
_ORGANISATIONS = ("Organization", "Corporation", "NGO", "LocalBusiness", "Store", "School")
#: Names of tags by which engines know owners: each engine has its own, they end alike.
_VERIFIES = re.compile(r"(?:^|[-_:.])(?:verification|verify|validate[d.0-9]*)$", re.I)
#: So large a share of the pages has to be shared with one picture.
_MOSTLY = 0.3
_KEYS = {
    "name": "name", "legalName": "legal_name", "alternateName": "alternate_name",
    "telephone": "telephone", "email": "email", "description": "description",
}  # fmt: skip
_ADDRESS = {
    "streetAddress": "street", "addressLocality": "locality", "addressRegion": "region",
    "postalCode": "postal_code", "addressCountry": "country",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class HomeHead:
    """What was found: keys of [publisher], of [head] (`verification`, `card_site`, `image`) and of
    [site] (`search`); empty where the page says nothing."""

    publisher: Mapping[str, Any] = field(default_factory=dict)
    head: Mapping[str, Any] = field(default_factory=dict)
    site: Mapping[str, Any] = field(default_factory=dict)


def home_head(place: ContentPlace, origin: str, pages: pl.DataFrame, client: Client) -> HomeHead:
    """What the home page says; nothing where there is none, or it cannot be read."""
    html = _home_page(place, origin, pages, client)
    image = _usual_picture(pages, origin)
    if not html:
        return HomeHead(head={"image": image} if image else {})
    found = read_home(html, origin)
    head = {**found.head, **({"image": image} if image else {})}
    return HomeHead(found.publisher, head, found.site)


def read_home(html: str, origin: str) -> HomeHead:
    """As `home_head`, of the HTML of a home page alone."""
    tree = LexborHTMLParser(html)
    nodes = [one.node for one in read_page(tree, lambda ref: urljoin(f"{origin}/", ref))[0]]
    metas = dict(_metas(tree))
    head: dict[str, Any] = {}
    if tags := {name: value for name, value in metas.items() if _VERIFIES.search(name)}:
        head["verification"] = tags
    if (handle := metas.get("twitter:site", "")).startswith("@"):
        head["card_site"] = handle
    return HomeHead(_publisher(nodes, origin), head, _site(nodes, origin))


def _metas(tree: LexborHTMLParser) -> Iterator[tuple[str, str]]:
    for node in tree.css("meta[name][content]"):
        name, value = node.attributes.get("name") or "", (node.attributes.get("content") or "")
        if value.strip():
            yield name.strip(), value.strip()


def _home_page(place: ContentPlace, origin: str, pages: pl.DataFrame, client: Client) -> str:
    if place.folder:
        row = pages.filter(pl.col("loc") == f"{origin}/")
        path = row["path"].to_list()[0] if row.height else None
        file = place.folder / (path or "index.html")
        try:
            return file.read_bytes().decode("utf-8", "replace")
        except OSError:
            return ""
    if place.path is not None or place.origin != origin:
        return ""
    try:
        return answer_at(f"{origin}/", client)[1].body.decode("utf-8", "replace")
    except AtlasError:
        return ""


def _usual_picture(pages: pl.DataFrame, origin: str) -> str:
    """The picture with which many pages are shared, as a path where it is on the site."""
    counts = Counter(one for one in pages["share_image"].to_list() if one)
    if not counts:
        return ""
    (image, count), *_ = counts.most_common(1)
    return _short(image, origin) if count >= max(2, _MOSTLY * pages.height) else ""


def _short(address: str, origin: str) -> str:
    return address.removeprefix(origin) if address.startswith(f"{origin}/") else address


def _publisher(nodes: Sequence[Node], origin: str) -> dict[str, Any]:
    """The node that the site, or most others, name as publisher; else the first of its kind."""
    known = {str(node["@id"]): node for node in nodes if "@id" in node}
    site = next((node for node in nodes if "WebSite" in types_of(node)), {})
    named = site.get("publisher")
    one = known.get(str(named.get("@id"))) or named if isinstance(named, Mapping) else None
    if not isinstance(one, Mapping) or not types_of(one):
        one = next((node for node in nodes if _is_publisher(node)), None)
    if one is None:
        return {}
    found: dict[str, Any] = {"kind": "person" if _PERSON in types_of(one) else "organization"}
    for name, key in _KEYS.items():
        if isinstance(text := one.get(name), str) and text.strip():
            found[key] = text.strip()
    logo = one.get("logo") or one.get("image")
    address = logo.get("url") or logo.get("contentUrl") if isinstance(logo, Mapping) else logo
    if isinstance(address, str):
        found["logo"] = _short(urljoin(f"{origin}/", address), origin)
    if profiles := [p for p in _list(one.get("sameAs")) if isinstance(p, str) and _is_url(p)]:
        found["profiles"] = profiles
    if isinstance(postal := one.get("address"), Mapping):
        said = ((key, postal.get(name)) for name, key in _ADDRESS.items())
        parts = {key: text for key, text in said if isinstance(text, str)}
        if len(parts.get("country", "")) != 2:
            parts.pop("country", None)
        if parts:
            found["address"] = parts
    return found


def _is_publisher(node: Node) -> bool:
    return any(one in (_PERSON, *_ORGANISATIONS) or one.endswith("Organization")
               for one in types_of(node))  # fmt: skip


def _list(value: Any) -> list[Any]:
    return value if isinstance(value, list) else [] if value is None else [value]


def _is_url(text: str) -> bool:
    try:
        return addresses.normalise(text).startswith(("http://", "https://"))
    except ValueError:
        return False


def _site(nodes: Sequence[Node], origin: str) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for node in nodes:
        if "WebSite" not in types_of(node):
            continue
        if isinstance(name := node.get("name"), str) and name.strip():
            found.setdefault("name", name.strip())
        for one in _list(node.get("potentialAction")):
            target = one.get("target") if isinstance(one, Mapping) else None
            said = target.get("urlTemplate") if isinstance(target, Mapping) else target
            if isinstance(said, str) and "{search_term_string}" in said:
                found.setdefault("search", _short(said, origin))
    return found
