"""Other spellings of an address asked for at a server: each must lead in one hop, and for good, to
the one address: scheme, host with and without `www`, host with a trailing dot, capital letters,
doubled slashes, index files, the last slash (RFC 3986 §6.2)."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator
from urllib.parse import urljoin, urlsplit

import msgspec

from jovial_atlas.addresses import normalise
from jovial_atlas.errors import NetworkError
from jovial_atlas.faults import Fault
from jovial_atlas.moves.spellings import twin_host
from jovial_atlas.web import Answer, Client, Request, send

_PAGE_BYTES = 200_000
#: So many hops are followed.
_MOST_HOPS = 10
_FOR_GOOD = (301, 308)


class AddressVariant(msgspec.Struct, frozen=True):
    """Another spelling: the address as it is asked for, of which page, and what is other about
    it."""

    asked: str
    loc: str
    what: str


def variants_of(
    loc: str, hosts: Collection[str], *, spellings: bool = True
) -> list[AddressVariant]:
    """The other spellings of an address. `hosts` are further origins that serve the site;
    `spellings` asks for those of the path too."""
    parts = urlsplit(loc)
    rest = loc[len(f"{parts.scheme}://{parts.netloc}") :]
    found = []
    for origin, what in _origins(parts.scheme, parts.netloc, hosts):
        found.append(AddressVariant(origin + rest, loc, what))
    own = f"{parts.scheme}://{parts.netloc}"
    for path, what in _paths(parts.path) if spellings else ():
        query = f"?{parts.query}" if parts.query else ""
        found.append(AddressVariant(own + path + query, loc, what))
    return found


def _origins(scheme: str, host: str, hosts: Collection[str]) -> Iterator[tuple[str, str]]:
    other = "http" if scheme == "https" else "https"
    twin = twin_host(host)
    yield f"{other}://{host}", f"asked for by {other}"
    if ":" not in host and "." in host.removeprefix("www."):
        with_www = "without www" if host.startswith("www.") else "with www"
        yield f"{scheme}://{twin}", with_www
        yield f"{other}://{twin}", f"{with_www}, by {other}"
        yield f"{scheme}://{host}.", "with a dot behind the host"
    for origin in hosts:
        yield origin, f"on the other host {urlsplit(origin).netloc}"


def _paths(path: str) -> Iterator[tuple[str, str]]:
    if any(one.islower() for one in path.replace("%", "")) and "%" not in path:
        yield path.upper(), "in capital letters"
    if path.endswith("/"):
        yield f"{path}index.html", "with its index file"
        if path != "/":
            yield path[:-1], "without its last slash"
    elif "." not in path.rpartition("/")[2]:
        yield f"{path}/", "with a slash behind it"
    if path != "/":
        yield f"/{path}", "with a doubled slash"


def check_variants(
    variants: Iterable[AddressVariant], client: Client, server: str | None
) -> Iterator[Fault]:
    """Ask for each spelling; where a `server` stands for the site's own, that one, which is told
    the host that is meant."""
    for one in variants:
        yield from _check(one, client, server)


def _check(one: AddressVariant, client: Client, server: str | None) -> Iterator[Fault]:
    try:
        answer = _ask(one.asked, client, server)
    except NetworkError as error:
        if "certificate" in str(error):
            sentence = f"{one.what.capitalize()} ({one.asked}) browsers warn of it: {error}"
            yield Fault("variant-warned", one.loc, sentence)
        return  # else nobody is there, so nothing can be found there
    if answer.status in (404, 410):
        if one.asked.startswith(one.loc.partition("://")[0]) and _same_host(one):
            sentence = f"{one.what.capitalize()} ({one.asked}) it is not found."
            yield Fault("variant-lost", one.loc, sentence)
        return
    if not 300 <= answer.status < 400:
        if answer.status == 200:
            sentence = f"{one.what.capitalize()} ({one.asked}) it answers by itself."
            yield Fault(
                "variant-open" if not _same_host(one) else "variant-twice", one.loc, sentence
            )
        return
    yield from _led(one, answer, client, server)


def _led(
    one: AddressVariant, answer: Answer, client: Client, server: str | None
) -> Iterator[Fault]:
    """Whether a spelling that sends visitors on does so in one hop, for good, to the right page."""
    hops, at, temporary = 0, one.asked, False
    while 300 <= answer.status < 400 and hops < _MOST_HOPS:
        temporary = temporary or answer.status not in _FOR_GOOD
        hops += 1
        at = urljoin(at, answer.headers.get("location", ""))
        if _normal(at) == one.loc:
            break
        try:
            answer = _ask(at, client, server)
        except NetworkError:
            break
    if _normal(at) != one.loc:
        sentence = f"{one.what.capitalize()} ({one.asked}) it leads to {at}."
        yield Fault("variant-elsewhere", one.loc, sentence)
    elif hops > 1:
        sentence = f"{one.what.capitalize()} ({one.asked}) it takes {hops} hops."
        yield Fault("variant-hops", one.loc, sentence)
    elif temporary:
        sentence = f"{one.what.capitalize()} ({one.asked}) it is sent on for a time only."
        yield Fault("variant-temporary", one.loc, sentence)


def _ask(address: str, client: Client, server: str | None) -> Answer:
    parts = urlsplit(address)
    headers = {}
    asked = address
    if server is not None:
        headers["Host"] = parts.netloc
        asked = server + address[len(f"{parts.scheme}://{parts.netloc}") :]
    return send(client, Request("GET", asked, headers), tries=1, largest=_PAGE_BYTES, cut=True)


def _same_host(one: AddressVariant) -> bool:
    asked, loc = urlsplit(one.asked), urlsplit(one.loc)
    return (asked.scheme, asked.netloc) == (loc.scheme, loc.netloc)


def _normal(address: str) -> str:
    try:
        # A dot behind the host is another spelling here, not the same.
        return normalise(address) if "./" not in address.partition("://")[2][:255] else address
    except ValueError:
        return address
