"""The nodes of structured data that all pages of a site share: organisation, web site, places."""

from __future__ import annotations

import json
from functools import lru_cache
from urllib.parse import urljoin

import msgspec

from jovial_atlas.head.settings import HeadSettings
from jovial_atlas.sitefile.publisher import Address, Place
from jovial_atlas.structured import nodes
from jovial_atlas.structured.hours import parse_hours
from jovial_atlas.structured.nodes import Node
from jovial_atlas.structured.validate import INVALID, Issue, Validator
from jovial_atlas.structured.vocabulary import vocabulary


@lru_cache(maxsize=16)
def _validator(features: str) -> Validator:
    return Validator(json.loads(features))


def _site_nodes(settings: HeadSettings) -> tuple[Node, Node, dict[str, Node]]:
    url, publisher = settings.site.url, settings.publisher
    base = f"{url}/"
    organisation = nodes.publisher(
        url,
        kind=publisher.kind,
        name=publisher.name or settings.site.name,
        logo=urljoin(base, publisher.logo) if publisher.logo else None,
        telephone=publisher.telephone,
        email=publisher.email,
        profiles=publisher.profiles,
    )
    if publisher.kind_of:
        organisation["@type"] = publisher.kind_of
    organisation |= nodes.given(
        {
            "legalName": publisher.legal_name,
            "alternateName": publisher.alternate_name,
            "description": publisher.description,
            "address": _address(publisher.address),
            "contactPoint": [
                nodes.given(
                    {"@type": "ContactPoint", "contactType": one.kind, "telephone": one.telephone,
                     "email": one.email, "availableLanguage": list(one.languages)}
                )
                for one in publisher.contacts
            ],
        }
    )  # fmt: skip
    web_site = nodes.web_site(
        url, name=settings.site.name, short_name=settings.site.short_name,
        language=settings.site.language,
    )  # fmt: skip
    if settings.site.search:
        web_site["potentialAction"] = {
            "@type": "SearchAction",
            "target": {"@type": "EntryPoint", "urlTemplate": url + settings.site.search
                       if settings.site.search.startswith("/") else settings.site.search},
            "query-input": "required name=search_term_string",
        }  # fmt: skip
    places = {one.name: _place(one, settings) for one in settings.place}
    words = vocabulary()
    for one in settings.place:
        if one.department_of in places:
            whole = places[one.department_of]
            part = "department" if words.is_a(whole["@type"], "Organization") else "containsPlace"
            whole.setdefault(part, []).append({"@id": places[one.name]["@id"]})
    return organisation, web_site, places


class SiteNodes(msgspec.Struct, frozen=True):
    """The nodes that all pages share: the publisher and the web site, and its places by name; with
    the issues of the first two."""

    first: tuple[Node, Node]
    places: dict[str, Node]
    validator: Validator
    issues: list[Issue]
    wrong: list[Issue]
    #: The @ids of the first two, which stand in the graph of every page.
    ids: frozenset[str]


#: What `site_nodes` made, by the site file it was made for.
_MADE: dict[int, tuple[HeadSettings, SiteNodes]] = {}


def site_nodes(settings: HeadSettings) -> SiteNodes:
    """The nodes that all pages of a site share."""
    had = _MADE.get(id(settings))
    if had is None or had[0] is not settings:
        if len(_MADE) > 16:
            _MADE.clear()
        organisation, web_site, places = _site_nodes(settings)
        first = (organisation, web_site)
        features = json.dumps(settings.structured.features, sort_keys=True)
        validator = _validator(features)
        issues = validator.validate(first)
        wrong = [one for one in issues if one.code in INVALID]
        ids = frozenset(node["@id"] for node in first)
        made = SiteNodes(first, places, validator, issues, wrong, ids)
        had = _MADE[id(settings)] = (settings, made)
    return had[1]


def _address(address: Address) -> Node | None:
    node = nodes.given(
        {
            "@type": "PostalAddress", "streetAddress": address.street,
            "addressLocality": address.locality, "addressRegion": address.region,
            "postalCode": address.postal_code, "addressCountry": address.country,
        }
    )  # fmt: skip
    return node if len(node) > 1 else None


def _place(place: Place, settings: HeadSettings) -> Node:
    url = settings.site.url
    base = f"{url}/"
    slug = "".join(c if c.isalnum() else "-" for c in place.name.lower()).strip("-")
    geo = None
    if place.latitude is not None and place.longitude is not None:
        geo = {"@type": "GeoCoordinates", "latitude": place.latitude, "longitude": place.longitude}
    return {
        **nodes.given(
            {
                "@type": place.kind, "@id": f"{url}/#place-{slug}", "name": place.name,
                "url": urljoin(base, place.page), "address": _address(place.address), "geo": geo,
                "telephone": place.telephone, "email": place.email, "priceRange": place.price_range,
                "image": urljoin(base, place.image) if place.image else None,
                "openingHoursSpecification": parse_hours(place.hours),
                "parentOrganization": {"@id": f"{url}/#publisher"}
                if vocabulary().is_a(place.kind, "Organization")
                else None,
            }
        ),
        **place.data,
    }  # fmt: skip
