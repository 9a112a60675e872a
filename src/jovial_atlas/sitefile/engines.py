"""`[[engine]]`: the search engines a site is announced to, and the channels that reach them."""

import ipaddress
import re
from typing import Annotated, Any, ClassVar, Literal

from msgspec import Meta, field

from jovial_atlas import addresses, installed
from jovial_atlas.sitefile.added import added, check_settings
from jovial_atlas.sitefile.parts import Part, check, check_whole, says
from jovial_atlas.sitefile.publisher import country_of


class IndexNowChannel(Part, frozen=True, kw_only=True, tag_field="kind", tag="indexnow"):
    """A channel of kind `indexnow`."""

    kind: ClassVar[Literal["indexnow"]] = "indexnow"
    endpoint: Annotated[str, says("address that takes the announcements")]
    per_day: Annotated[
        Annotated[int, Meta(ge=1)] | None,
        says("addresses announced within 24 hours, at most; the rest waits"),
    ] = None
    key: Annotated[str, says("key to use (it is public); one is made where this is left out")] = ""

    @check("endpoint")
    @classmethod
    def _address(cls, value: str) -> str:
        addresses.split(value)
        return value

    @check("key")
    @classmethod
    def _key(cls, value: str) -> str:
        if value and not re.fullmatch(r"[A-Za-z0-9-]{8,128}", value):
            raise ValueError("a key has 8 to 128 letters, digits and hyphens")
        return value


class WebSubChannel(Part, frozen=True, kw_only=True, tag_field="kind", tag="websub"):
    """A channel of kind `websub`: a hub that is told when a feed changed."""

    kind: ClassVar[Literal["websub"]] = "websub"
    hub: Annotated[str, says("address of the hub; the feeds name it")]

    @check("hub")
    @classmethod
    def _address(cls, value: str) -> str:
        addresses.split(value)
        return value


class RobotsChannel(Part, frozen=True, kw_only=True, tag_field="kind", tag="robots"):
    """A channel of kind `robots`: the engine finds the sitemap by its line in robots.txt."""

    kind: ClassVar[Literal["robots"]] = "robots"


class HandChannel(Part, frozen=True, kw_only=True, tag_field="kind", tag="hand"):
    """A channel of kind `hand`: the owner tells the engine, and says when that is done."""

    kind: ClassVar[Literal["hand"]] = "hand"
    say: Annotated[str, says("what to do, with {site} and {sitemap}")] = (
        "Paste {sitemap} where the engine takes sitemaps."
    )


#: What a described call can be for → the placeholder without which it would name nothing.
CALLS = {
    "submit-sitemap": "{sitemap}",
    "remove-sitemap": "{sitemap}",
    "read-sitemaps": "",
    "index-page": "{page}",
    "read-pages": "",
    "read-page": "{page}",
    "read-performance": "",
    "verify-site": "",
}
CallName = Literal[
    "submit-sitemap", "remove-sitemap", "read-sitemaps", "index-page", "read-pages", "read-page",
    "read-performance", "verify-site",
]  # fmt: skip


class CallChannel(Part, frozen=True, kw_only=True, tag_field="kind", tag="call"):
    """A channel of kind `call`: one HTTP call of an engine's interface, described."""

    kind: ClassVar[Literal["call"]] = "call"
    name: Annotated[
        CallName,
        says(
            "what the call is for: submit or remove one sitemap, read what came of all, "
            "ask to index one page, read what it knows of all pages or of one, read what was "
            "searched and clicked, or have it look for the proof of ownership"
        ),
    ]
    method: Annotated[
        Literal["GET", "POST", "PUT", "DELETE"],
        says("HTTP method: GET for reading; PUT or POST, as the engine asks, for submitting"),
    ]
    url: Annotated[
        str,
        says(
            "address with {site}, {sitemap} and {page}, put in percent-encoded; of "
            "read-performance also {from} and {to}, the first and last day, and {skip}, how many "
            "rows came before"
        ),
    ]
    headers: Annotated[dict[str, str], says("further header fields")] = field(default_factory=dict)
    body: Annotated[str, says("body, with the same, as they are")] = ""
    per_day: Annotated[
        Annotated[int, Meta(ge=1)] | None, says("calls of index-page within 24 hours, at most")
    ] = None
    token_env: Annotated[
        str, says("environment variable that holds the bearer token; never the token itself")
    ] = ""
    success: Annotated[tuple[int, ...], says("statuses that mean success")] = (200, 201, 202, 204)
    items: Annotated[
        str | None,
        says(
            "where in the answer the list stands; `sitemaps`, `pages` or `rows`, and for read-page "
            "the whole answer, where it is left out"
        ),
    ] = None
    next: Annotated[
        str, says("where in the answer of a list the address of its next part stands")
    ] = ""
    fields: Annotated[dict[str, str], says("our field → theirs, where the names differ")] = field(
        default_factory=dict
    )

    @check("url")
    @classmethod
    def _address(cls, value: str) -> str:
        addresses.split(re.sub(r"\{(site|sitemap|page|from|to|skip)\}", r"\1", value))
        return value

    @check_whole
    def _names_what_it_is_about(self) -> None:
        needed = CALLS[self.name]
        if needed and needed not in self.url + self.body:
            what = needed.strip("{}")
            raise ValueError(f"neither url nor body has {needed}, so no {what} would be named")

    @property
    def list_key(self) -> str:
        """Where in the answer the list stands."""
        if self.items is not None:
            return self.items
        lists = {"read-sitemaps": "sitemaps", "read-pages": "pages", "read-performance": "rows"}
        return lists.get(self.name, "")


class Ownership(Part, frozen=True, kw_only=True):
    """How an engine wants to see that the site is the owner's: any of the three."""

    meta: Annotated[dict[str, str], says("name of a meta tag on the home page → its token")] = (
        field(default_factory=dict)
    )
    file: Annotated[str, says("name of a file at the root of the site")] = ""
    content: Annotated[str, says("what stands in that file")] = ""
    dns: Annotated[str, says("text of a TXT record on the domain")] = ""

    @check_whole
    def _whole(self) -> None:
        if self.file and not re.fullmatch(r"[A-Za-z0-9_~-][A-Za-z0-9._~-]*", self.file):
            raise ValueError(f"{self.file!r} is no name of a file at the root")
        if bool(self.file) != bool(self.content):
            raise ValueError("file and content belong together")


class PackageChannel(Part, frozen=True, kw_only=True, tag_field="kind", tag="package"):
    """A channel of kind `package`: another installed package makes its messages."""

    kind: ClassVar[Literal["package"]] = "package"
    package: Annotated[str, says("name under which the package adds its channel")]
    settings: Annotated[dict[str, Any], says("what the package is to know; see its manual")] = (
        field(default_factory=dict)
    )
    token_env: Annotated[str, says("environment variable that holds its token, if any")] = ""

    @check("package")
    @classmethod
    def _installed(cls, value: str) -> str:
        added(installed.CHANNELS, value)
        return value

    @check_whole
    def _settings(self) -> None:
        check_settings(installed.CHANNELS, self.package, self.settings)


Channel = (
    IndexNowChannel | CallChannel | WebSubChannel | RobotsChannel | HandChannel | PackageChannel
)


class LedgerPlace(Part, frozen=True, kw_only=True):
    """`[ledger]`: where the record is kept, if not in a file of the state folder."""

    connect: Annotated[
        str,
        says(
            "address of a PostgreSQL database that several people or machines share, "
            "without a password"
        ),
    ] = ""
    password_env: Annotated[str, says("environment variable that holds the password")] = ""
    wait: Annotated[
        float, says("seconds to wait for another `submit` on the same ledger", ge=0)
    ] = 60.0


class Export(Part, frozen=True, kw_only=True):
    """A table that an engine exports: what it tells of, and how its columns are called."""

    kind: Annotated[
        Literal["sitemaps", "reasons", "addresses", "performance"],
        says("what it tells of: sitemaps, reasons, addresses, or what was searched and clicked"),
    ]
    columns: Annotated[dict[str, str], says("our column → theirs, where the names differ")] = field(
        default_factory=dict
    )


class Engine(Part, frozen=True, kw_only=True):
    """`[[engine]]`: a search engine the site is announced to."""

    name: Annotated[str, says("name of the engine", min_length=1)]
    crawlers: Annotated[tuple[str, ...], says("product tokens of its crawlers")] = ()
    ownership: Annotated[Ownership, says("what proves to it that the site is the owner's")] = field(
        default_factory=Ownership
    )
    profiles: Annotated[
        tuple[str, ...], says("profiles elsewhere, letter by letter as they were given to it")
    ] = ()
    country: Annotated[str, says("country that was given to it, as in GB")] = ""
    exports: Annotated[tuple[Export, ...], says("tables that it exports, for `hear`")] = ()
    crawler_ranges: Annotated[
        tuple[str, ...], says("addresses that its crawlers come from, as in 192.0.2.0/24")
    ] = ()
    crawler_hosts: Annotated[
        tuple[str, ...], says("names of the hosts they come from, as in *.crawl.lantern.example")
    ] = ()
    channels: Annotated[tuple[Channel, ...], says("ways to reach it")] = ()

    @check("country")
    @classmethod
    def _country(cls, value: str) -> str:
        return country_of(value)

    @check("crawler_ranges")
    @classmethod
    def _ranges(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for network in value:
            try:
                ipaddress.ip_network(network, strict=False)
            except ValueError:
                raise ValueError(f"{network!r} is no range; write it as 192.0.2.0/24") from None
        return value
