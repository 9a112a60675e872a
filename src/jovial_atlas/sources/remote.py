"""Files and answers that a source names by path or by http(s) address."""

from __future__ import annotations

from pathlib import Path

from jovial_atlas import addresses
from jovial_atlas.errors import ContentError, NetworkError
from jovial_atlas.robots import RobotsFile, parse_robots
from jovial_atlas.robots.parse import READ_LIMIT
from jovial_atlas.web import Answer, Client, Request, send

#: A feed, a list or a page of records is not larger than this.
LARGEST = 64 * 1024 * 1024
_HOPS = 5


def get(
    client: Client,
    address: str,
    headers: dict[str, str] | None = None,
    largest: int = LARGEST,
) -> Answer:
    """A GET with up to five redirects, all on the same host. Raises ContentError."""
    here = address
    for _ in range(_HOPS + 1):
        try:
            answer = send(client, Request("GET", here, headers or {}), largest=largest)
        except NetworkError as error:
            raise ContentError(f"{address}: {error}") from error
        if not 300 <= answer.status < 400:
            break
        target = addresses.resolve(here, answer.headers.get("location", ""))
        if target is None or addresses.origin(target) != addresses.origin(
            addresses.normalise(here)
        ):
            raise ContentError(
                f"{address} redirects to another host ({target}); it is not followed."
            )
        here = target
    if answer.status != 200:
        raise ContentError(f"{address} answers with status {answer.status}.")
    return answer


def get_anywhere(
    client: Client, address: str, *, largest: int = LARGEST, cut: bool = False
) -> tuple[str, Answer]:
    """A GET with up to five redirects, which may lead to other hosts: where its answer came from,
    and that. A public site that sends into a private network is not followed. Raises
    NetworkError."""
    here, inside = address, addresses.is_local(address)
    for hop in range(_HOPS + 1):
        answer = send(client, Request("GET", here), tries=2, largest=largest, cut=cut)
        if not 300 <= answer.status < 400 or hop == _HOPS:
            break
        target = addresses.resolve(here, answer.headers.get("location", ""))
        if target is None:
            raise NetworkError(f"{here} redirects to no address of the web.")
        if addresses.is_local(target) and not inside:
            raise NetworkError(
                f"{here} redirects to {target}, in a private network; it is not followed."
            )
        here = target
    return here, answer


def get_robots(client: Client, address: str) -> Answer:
    """The robots.txt at an address, behind redirects as in `get_anywhere` (RFC 9309 §2.3.1.2); what
    is behind more of them counts as not there. Raises NetworkError."""
    _, answer = get_anywhere(client, address, largest=READ_LIMIT, cut=True)
    return Answer(404, b"", None) if 300 <= answer.status < 400 else answer


def robots_at(client: Client, origin: str) -> RobotsFile:
    """The robots.txt of an origin, read (RFC 9309 §2.3.1): 4xx bars nothing. Raises ContentError
    where it cannot be had, since 5xx and silence bar everything."""
    address = f"{origin}/robots.txt"
    try:
        answer = get_robots(client, address)
    except NetworkError as error:
        raise ContentError(f"{address}: {error}") from error
    if answer.status >= 500:
        raise ContentError(
            f"{address} answers with status {answer.status}; until it can be read, nothing may "
            "be fetched."
        )
    return parse_robots(answer.body) if answer.status == 200 else RobotsFile()


def read(path: str, folder: Path, client: Client) -> bytes:
    """The bytes of a file relative to `folder`, or of an address. Raises ContentError."""
    if path.startswith(("http://", "https://")):
        return get(client, path).body
    file = folder / path
    try:
        return file.read_bytes()
    except FileNotFoundError:
        raise ContentError(f"There is no file {file}. Correct `path` in its [[source]].") from None
    except OSError as error:
        raise ContentError(f"{file} cannot be read ({error.strerror}).") from error
