"""One truth about the organisation: name, address, telephone and profiles, wherever they stand."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from typing import Any

import msgspec
import polars as pl
from selectolax.lexbor import LexborHTMLParser

from jovial_atlas import addresses
from jovial_atlas.head.settings import head_settings
from jovial_atlas.head.site import site_nodes
from jovial_atlas.markup import without_block
from jovial_atlas.pages.page import pages_of
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.site_files import file_of_row
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sources.html_page.fulltext import visible_text
from jovial_atlas.structured.agree import phone_key, phones_in
from jovial_atlas.structured.validate import types_of
from jovial_atlas.structured.vocabulary import vocabulary

SITE_FILE = "site file"
_FIELDS = ("name", "telephone", "address", "profile")


class Spelling(msgspec.Struct, frozen=True):
    """One way in which a fact is written: what it is about, the spelling, whether it is that of
    the site file, in how many places it stands, and the first of these."""

    field: str
    said: str
    official: bool
    count: int
    where: tuple[str, ...]


#: What, how it is written, and where.
_Said = tuple[str, str, str]


def truth(survey: LastSurvey, *, texts: bool = True) -> list[Spelling]:
    """Every fact about the organisation that is written in more than one way, with all the ways.
    With `texts` the visible text of pages is read too, else their data alone."""
    site = survey.site
    statements = [*_site_file(site), *_data(survey)]
    if texts:
        statements += _texts(survey, site)
    groups: dict[tuple[str, str], dict[str, list[str]]] = {}
    for field, text, where in statements:
        key = (field, _KEYS[field](text))
        groups.setdefault(key, {}).setdefault(" ".join(text.split()), []).append(where)
    known = {
        (field, " ".join(text.split())) for field, text, where in statements if where == SITE_FILE
    }
    all_spellings = []
    for (field, _), spellings in groups.items():
        official = {text for text in spellings if (field, text) in known}
        if len(spellings) < 2:
            continue
        order = sorted(spellings, key=lambda one: (one not in official, -len(spellings[one]), one))
        for text in order:
            places = list(dict.fromkeys(spellings[text]))
            all_spellings.append(
                Spelling(field, text, text in official, len(places), tuple(places[:5]))
            )
    return sorted(all_spellings, key=lambda one: _FIELDS.index(one.field))


def _letters(text: str) -> str:
    return re.sub(r"[\W_]+", "", text).casefold()


def _profile(text: str) -> str:
    return re.sub(r"^https?://(www\.)?", "", text.casefold()).rstrip("/")


_KEYS: dict[str, Callable[[str], str]] = {
    "name": _letters, "address": _letters, "telephone": phone_key, "profile": _profile,
}  # fmt: skip


def _site_file(site: SiteFile) -> Iterator[_Said]:
    nodes = site_nodes(head_settings(site))
    for node in (nodes.first[0], *nodes.places.values()):
        yield from _node(node, SITE_FILE)


def _node(node: Mapping[str, Any], where: str) -> Iterator[_Said]:
    for key, field in (("name", "name"), ("telephone", "telephone"), ("sameAs", "profile")):
        value = node.get(key)
        for one in value if isinstance(value, list) else [value]:
            if isinstance(one, str) and one:
                yield field, one, where
    for contact in node.get("contactPoint") or ():
        if isinstance(contact, Mapping) and contact.get("telephone"):
            yield "telephone", str(contact["telephone"]), where
    address = node.get("address")
    if isinstance(address, Mapping) and isinstance(address.get("streetAddress"), str):
        yield "address", address["streetAddress"], where
    elif isinstance(address, str) and address:
        yield "address", address, where


def _data(survey: LastSurvey) -> Iterator[_Said]:
    pages = survey.pages.filter(pl.col("data").is_not_null()).select("loc", "data").collect()
    words = vocabulary()
    for loc, data in pages.iter_rows():
        for _, node in json.loads(data).get("nodes", ()):
            for one in _inside(node):
                kinds = types_of(one)
                if any({"Organization", "LocalBusiness"} & set(words.above(k)) for k in kinds):
                    yield from _node(one, addresses.path_and_query(loc))


def _inside(node: Any) -> Iterator[Mapping[str, Any]]:
    if isinstance(node, Mapping):
        yield node
        for value in node.values():
            yield from _inside(value)
    elif isinstance(node, list):
        for one in node:
            yield from _inside(one)


def _texts(survey: LastSurvey, site: SiteFile) -> Iterator[_Said]:
    """What the visible text of pages says: names and streets that are those of the site file but
    for spaces, dashes and capitals, telephone numbers, links to profiles."""
    official = list(_site_file(site))
    looked_for = [
        (field, re.compile(r"[\W_]{0,3}".join(map(re.escape, words)), re.I))
        for field, text, _ in dict.fromkeys(official)
        if field in ("name", "address") and len(words := re.findall(r"\w+", text)) > 1
    ]
    numbers = {phone_key(text) for field, text, _ in official if field == "telephone"}
    hosts = {_profile(text).partition("/")[0] for field, text, _ in official if field == "profile"}
    for path, file in _files(survey, site):
        try:
            data = without_block(file.read_bytes())
        except OSError:
            continue
        text = visible_text(data)
        for field, expression in looked_for:
            for match in expression.finditer(text):
                yield field, match[0], path
        for number in phones_in(text):
            if phone_key(number) in numbers:
                yield "telephone", number, path
        if hosts:
            for node in LexborHTMLParser(data).css("a[href]"):
                href = (node.attributes.get("href") or "").strip()
                if _profile(href).partition("/")[0] in hosts:
                    yield "profile", href, path


def _files(survey: LastSurvey, site: SiteFile) -> Iterator[tuple[str, Path]]:
    file_of = file_of_row(site)
    pages = survey.pages.filter(pl.col("kind") == "page").select("loc", "source", "path")
    for page in pages_of(pages.collect()):
        if path := file_of(page):
            yield addresses.path_and_query(page.loc), path


def sheet(site: SiteFile) -> list[tuple[str, list[tuple[str, str]]]]:
    """What to paste elsewhere, letter by letter: for the organisation and each of its places, as
    (heading, [(field, text)])."""
    nodes = site_nodes(head_settings(site))
    found = [(str(nodes.first[0]["name"]), list(_lines(nodes.first[0])))]
    found += [(name, list(_lines(node))) for name, node in nodes.places.items()]
    return found


def _lines(node: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    labels = {
        "name": "Name", "legalName": "Legal name", "alternateName": "Also called",
        "description": "Description", "url": "Address on the web", "telephone": "Telephone",
        "email": "E-mail", "priceRange": "Prices",
    }  # fmt: skip
    for key, label in labels.items():
        if node.get(key):
            yield label, str(node[key])
    address = node.get("address")
    if isinstance(address, Mapping):
        parts = {"streetAddress": "Street", "addressLocality": "Town", "addressRegion": "Region",
                 "postalCode": "Postal code", "addressCountry": "Country"}  # fmt: skip
        for key, label in parts.items():
            if address.get(key):
                yield label, str(address[key])
    geo = node.get("geo")
    if isinstance(geo, Mapping):
        yield "Coordinates", f"{geo['latitude']}, {geo['longitude']}"
    for one in node.get("openingHoursSpecification") or ():
        yield "Opening hours", _hours(one)
    for contact in node.get("contactPoint") or ():
        ways = [str(contact[key]) for key in ("telephone", "email") if contact.get(key)]
        yield f"Contact, {contact.get('contactType')}", ", ".join(ways)
    for key, label in (("logo", "Logo"), ("image", "Picture")):
        if isinstance(node.get(key), str):
            yield label, str(node[key])
    for profile in node.get("sameAs") or ():
        yield "Profile", str(profile)


def _hours(hours: Mapping[str, Any]) -> str:
    days = hours["dayOfWeek"]
    names = "every day" if len(days) == 7 else ", ".join(days)
    closed = hours["opens"] == hours["closes"]
    times = "closed" if closed else f"{hours['opens']} to {hours['closes']}"
    season = f"{hours['validFrom']} to {hours['validThrough']}: " if hours.get("validFrom") else ""
    return f"{season}{names}, {times}"
