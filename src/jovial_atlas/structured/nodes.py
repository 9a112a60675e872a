"""Nodes of the vocabulary, each with a stable `@id`, so that they refer to each other.

organisation ← web site ← web page ← video
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

Node = dict[str, Any]


def given(node: Node) -> Node:
    """A node without properties that hold nothing."""
    return {key: value for key, value in node.items() if value not in (None, "", [], ())}


def publisher(
    site_url: str,
    *,
    kind: str,
    name: str,
    logo: str | None = None,
    telephone: str = "",
    email: str = "",
    profiles: Sequence[str] = (),
) -> Node:
    """An Organization, or a Person, with `logo` (an absolute address) as its picture."""
    person = kind == "person"
    return given(
        {
            "@type": "Person" if person else "Organization",
            "@id": f"{site_url}/#publisher",
            "name": name,
            "url": f"{site_url}/",
            "image" if person else "logo": logo,
            "telephone": telephone,
            "email": email,
            "sameAs": list(profiles),
        }
    )


def web_site(site_url: str, *, name: str, short_name: str, language: str) -> Node:
    """The WebSite, published by the publisher."""
    return given(
        {
            "@type": "WebSite",
            "@id": f"{site_url}/#website",
            "url": f"{site_url}/",
            "name": name,
            "alternateName": short_name if short_name != name else None,
            "inLanguage": language,
            "publisher": {"@id": f"{site_url}/#publisher"},
        }
    )


def web_page(
    site_url: str, loc: str, *, name: str | None, description: str | None, language: str | None
) -> Node:
    """The WebPage at `loc`, part of the web site."""
    return given(
        {
            "@type": "WebPage",
            "@id": f"{loc}#webpage",
            "url": loc,
            "name": name,
            "description": description,
            "inLanguage": language,
            "isPartOf": {"@id": f"{site_url}/#website"},
        }
    )


def video(site_url: str, loc: str, number: int, values: Mapping[str, Any]) -> Node | None:
    """The VideoObject number `number` (from 1) of a page, or None where name, thumbnail or
    upload date, which the type requires, is not known. `values` are the fields of a video."""
    if not (values["title"] and values["thumbnail"] and values["published"]):
        return None
    how, _, places = (values["countries"] or "").partition(" ")
    views = values["views"]
    return given(
        {
            "@type": "VideoObject",
            "@id": f"{loc}#video-{number}",
            "name": values["title"],
            "description": values["description"],
            "thumbnailUrl": values["thumbnail"],
            "uploadDate": values["published"],
            "contentUrl": values["content"],
            "embedUrl": values["player"],
            "duration": iso_duration(values["duration"]) if values["duration"] else None,
            "width": values["width"],
            "height": values["height"],
            "expires": values["expires"],
            "genre": values["category"],
            "keywords": values["tags"],
            "isFamilyFriendly": values["family_friendly"],
            "requiresSubscription": values["subscription"],
            "regionsAllowed": places.split() if how == "allow" else None,
            "ineligibleRegion": places.split() if how == "deny" else None,
            "interactionStatistic": {
                "@type": "InteractionCounter",
                "interactionType": {"@type": "WatchAction"},
                "userInteractionCount": views,
            }
            if views is not None
            else None,
            "publication": given(
                {
                    "@type": "BroadcastEvent",
                    "isLiveBroadcast": True,
                    "startDate": values["published"],
                    "endDate": values["expires"],
                }
            )
            if values["live"]
            else None,
            "creator": given(
                {
                    "@type": "Person",
                    "name": values["uploader"],
                    "url": values["uploader_page"],
                }
            )
            if values["uploader"]
            else None,
            "publisher": {"@id": f"{site_url}/#publisher"},
            "isPartOf": {"@id": f"{loc}#webpage"},
        }
    )


def iso_duration(seconds: int) -> str:
    """Seconds as ISO 8601: `PT1H2M3S`."""
    hours, rest = divmod(seconds, 3600)
    minutes, last = divmod(rest, 60)
    parts = (hours, "H"), (minutes, "M"), (last, "S")
    return "PT" + "".join(f"{value}{sign}" for value, sign in parts if value)


def graph(nodes: Sequence[Node]) -> Node:
    """One connected JSON-LD document of nodes."""
    return {"@context": "https://schema.org", "@graph": list(nodes)}
