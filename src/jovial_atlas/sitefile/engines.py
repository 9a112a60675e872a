"""`[[engine]]`: the search engines a site is announced to, and the channels that reach them."""

from __future__ import annotations

import ipaddress
import re
from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from jovial_atlas import addresses
from jovial_atlas.sitefile.sources import Part


class IndexNowChannel(Part):
    """A channel of kind `indexnow`."""

    kind: Literal["indexnow"] = Field(description='"indexnow"')
    endpoint: str = Field(description="address that takes the announcements")
    per_day: int | None = Field(
        None, ge=1, description="addresses announced within 24 hours, at most; the rest waits"
    )
    key: str = Field(
        "", description="key to use (it is public); one is made where this is left out"
    )

    @field_validator("endpoint")
    @classmethod
    def _address(cls, value: str) -> str:
        addresses.split(value)
        return value

    @field_validator("key")
    @classmethod
    def _key(cls, value: str) -> str:
        if value and not re.fullmatch(r"[A-Za-z0-9-]{8,128}", value):
            raise ValueError("a key has 8 to 128 letters, digits and hyphens")
        return value


class WebSubChannel(Part):
    """A channel of kind `websub`: a hub that is told when a feed changed."""

    kind: Literal["websub"] = Field(description='"websub"')
    hub: str = Field(description="address of the hub; the feeds name it")

    @field_validator("hub")
    @classmethod
    def _address(cls, value: str) -> str:
        addresses.split(value)
        return value


class RobotsChannel(Part):
    """A channel of kind `robots`: the engine finds the sitemap by its line in robots.txt."""

    kind: Literal["robots"] = Field(description='"robots"')


class HandChannel(Part):
    """A channel of kind `hand`: the owner tells the engine, and says when that is done."""

    kind: Literal["hand"] = Field(description='"hand"')
    say: str = Field(
        "Paste {sitemap} where the engine takes sitemaps.",
        description="what to do, with {site} and {sitemap}",
    )


#: What a described call can be for → the placeholder without which it would name nothing.
CALLS = {
    "submit-sitemap": "{sitemap}",
    "remove-sitemap": "{sitemap}",
    "read-sitemaps": "",
    "index-page": "{page}",
    "read-pages": "",
    "read-page": "{page}",
    "verify-site": "",
}
CallName = Literal[
    "submit-sitemap", "remove-sitemap", "read-sitemaps", "index-page", "read-pages", "read-page",
    "verify-site",
]  # fmt: skip


class CallChannel(Part):
    """A channel of kind `call`: one HTTP call of an engine's interface, described."""

    kind: Literal["call"] = Field(description='"call"')
    name: CallName = Field(
        description="what the call is for: submit or remove one sitemap, read what came of all, "
        "ask to index one page, read what it knows of all pages or of one, or have it look for "
        "the proof of ownership"
    )
    method: Literal["GET", "POST", "PUT", "DELETE"] = Field(
        description="HTTP method: GET for reading; PUT or POST, as the engine asks, for submitting"
    )
    url: str = Field(
        description="address with {site}, {sitemap} and {page}, put in percent-encoded"
    )
    headers: dict[str, str] = Field(default_factory=dict, description="further header fields")
    body: str = Field("", description="body, with {site}, {sitemap} and {page} as they are")
    per_day: int | None = Field(
        None, ge=1, description="calls of index-page within 24 hours, at most"
    )
    token_env: str = Field(
        "", description="environment variable that holds the bearer token; never the token itself"
    )
    success: tuple[int, ...] = Field((200, 201, 202, 204), description="statuses that mean success")
    items: str | None = Field(
        None,
        description="where in the answer the list stands; `sitemaps` or `pages`, and for read-page "
        "the whole answer, where it is left out",
    )
    next: str = Field(
        "", description="where in the answer of read-pages the address of the next part stands"
    )
    fields: dict[str, str] = Field(
        default_factory=dict, description="our field → theirs, where the names differ"
    )

    @field_validator("url")
    @classmethod
    def _address(cls, value: str) -> str:
        addresses.split(re.sub(r"\{(site|sitemap|page)\}", r"\1", value))
        return value

    @model_validator(mode="after")
    def _names_what_it_is_about(self) -> CallChannel:
        needed = CALLS[self.name]
        if needed and needed not in self.url + self.body:
            what = needed.strip("{}")
            raise ValueError(f"neither url nor body has {needed}, so no {what} would be named")
        return self

    @property
    def list_key(self) -> str:
        """Where in the answer the list stands."""
        if self.items is not None:
            return self.items
        return {"read-sitemaps": "sitemaps", "read-pages": "pages"}.get(self.name, "")


class Ownership(Part):
    """How an engine wants to see that the site is the owner's: any of the three."""

    meta: dict[str, str] = Field(
        default_factory=dict, description="name of a meta tag on the home page → its token"
    )
    file: str = Field("", description="name of a file at the root of the site")
    content: str = Field("", description="what stands in that file")
    dns: str = Field("", description="text of a TXT record on the domain")

    @model_validator(mode="after")
    def _whole(self) -> Ownership:
        if self.file and not re.fullmatch(r"[A-Za-z0-9_~-][A-Za-z0-9._~-]*", self.file):
            raise ValueError(f"{self.file!r} is no name of a file at the root")
        if bool(self.file) != bool(self.content):
            raise ValueError("file and content belong together")
        return self


Channel = IndexNowChannel | CallChannel | WebSubChannel | RobotsChannel | HandChannel


class LedgerPlace(Part):
    """`[ledger]`: where the record is kept, if not in a file of the state folder."""

    connect: str = Field(
        "",
        description="address of a PostgreSQL database that several people or machines share, "
        "without a password",
    )
    password_env: str = Field("", description="environment variable that holds the password")
    wait: float = Field(
        60.0, ge=0, description="seconds to wait for another `submit` on the same ledger"
    )


class Export(Part):
    """A table that an engine exports as CSV: what it tells of, and how its columns are called."""

    kind: Literal["sitemaps", "reasons", "addresses"] = Field(description="what it tells of")
    columns: dict[str, str] = Field(
        default_factory=dict, description="our column → theirs, where the names differ"
    )


class Engine(Part):
    """`[[engine]]`: a search engine the site is announced to."""

    name: str = Field(min_length=1, description="name of the engine")
    crawlers: tuple[str, ...] = Field((), description="product tokens of its crawlers")
    ownership: Ownership = Field(
        default_factory=Ownership, description="what proves to it that the site is the owner's"
    )
    profiles: tuple[str, ...] = Field(
        (), description="profiles elsewhere, letter by letter as they were given to it"
    )
    country: str = Field(
        "", pattern=r"^([A-Z]{2})?$", description="country that was given to it, as in GB"
    )
    exports: tuple[Export, ...] = Field((), description="tables that it exports, for `hear`")
    crawler_ranges: tuple[str, ...] = Field(
        (), description="addresses that its crawlers come from, as in 192.0.2.0/24"
    )
    crawler_hosts: tuple[str, ...] = Field(
        (), description="names of the hosts they come from, as in *.crawl.lantern.example"
    )
    channels: tuple[Annotated[Channel, Field(discriminator="kind")], ...] = Field(
        (), description="ways to reach it"
    )

    @field_validator("crawler_ranges")
    @classmethod
    def _ranges(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for one in value:
            try:
                ipaddress.ip_network(one, strict=False)
            except ValueError:
                raise ValueError(f"{one!r} is no range; write it as 192.0.2.0/24") from None
        return value
