"""Nodes of the vocabulary, each with a stable `@id`, so that they refer to each other.

organisation ← web site ← web page ← video
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Protocol

#: A node while it is made, and one that is only looked at.
Node = dict[str, Any]
NodeView = Mapping[str, Any]


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
    node: Node = {"@type": "WebPage", "@id": f"{loc}#webpage", "url": loc}
    # Every page has one: this takes half the time of `given`.
    if name:
        node["name"] = name
    if description:
        node["description"] = description
    if language:
        node["inLanguage"] = language
    node["isPartOf"] = {"@id": f"{site_url}/#website"}
    return node


class VideoFields(Protocol):
    """What `video` is made of: texts, addresses, seconds, pixels, dates; None for what is not
    known. `countries` is `allow` or `deny` with codes behind it."""

    @property
    def content(self) -> str | None: ...
    @property
    def player(self) -> str | None: ...
    @property
    def thumbnail(self) -> str | None: ...
    @property
    def title(self) -> str | None: ...
    @property
    def description(self) -> str | None: ...
    @property
    def duration(self) -> int | None: ...
    @property
    def width(self) -> int | None: ...
    @property
    def height(self) -> int | None: ...
    @property
    def published(self) -> str | None: ...
    @property
    def expires(self) -> str | None: ...
    @property
    def category(self) -> str | None: ...
    @property
    def tags(self) -> list[str] | None: ...
    @property
    def views(self) -> int | None: ...
    @property
    def family_friendly(self) -> bool | None: ...
    @property
    def live(self) -> bool | None: ...
    @property
    def subscription(self) -> bool | None: ...
    @property
    def countries(self) -> str | None: ...
    @property
    def uploader(self) -> str | None: ...
    @property
    def uploader_page(self) -> str | None: ...


def video(site_url: str, loc: str, number: int, fields: VideoFields) -> Node | None:
    """The VideoObject number `number` (from 1) of a page, or None where name, thumbnail or
    upload date, which the type requires, is not known."""
    if not (fields.title and fields.thumbnail and fields.published):
        return None
    how, _, places = (fields.countries or "").partition(" ")
    return given(
        {
            "@type": "VideoObject",
            "@id": f"{loc}#video-{number}",
            "name": fields.title,
            "description": fields.description,
            "thumbnailUrl": fields.thumbnail,
            "uploadDate": fields.published,
            "contentUrl": fields.content,
            "embedUrl": fields.player,
            "duration": iso_duration(fields.duration) if fields.duration else None,
            "width": fields.width,
            "height": fields.height,
            "expires": fields.expires,
            "genre": fields.category,
            "keywords": fields.tags,
            "isFamilyFriendly": fields.family_friendly,
            "requiresSubscription": fields.subscription,
            "regionsAllowed": places.split() if how == "allow" else None,
            "ineligibleRegion": places.split() if how == "deny" else None,
            "interactionStatistic": _watched(fields.views),
            "publication": _broadcast(fields) if fields.live else None,
            "creator": given(
                {"@type": "Person", "name": fields.uploader, "url": fields.uploader_page}
            )
            if fields.uploader
            else None,
            "publisher": {"@id": f"{site_url}/#publisher"},
            "isPartOf": {"@id": f"{loc}#webpage"},
        }
    )


def _watched(views: int | None) -> Node | None:
    if views is None:
        return None
    return {
        "@type": "InteractionCounter",
        "interactionType": {"@type": "WatchAction"},
        "userInteractionCount": views,
    }


def _broadcast(fields: VideoFields) -> Node:
    return given(
        {
            "@type": "BroadcastEvent",
            "isLiveBroadcast": True,
            "startDate": fields.published,
            "endDate": fields.expires,
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
