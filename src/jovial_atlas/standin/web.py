"""The stand-in's view of the web: hosts it was told of, on loopback, and nothing else."""

from __future__ import annotations

import ipaddress
from collections.abc import Mapping
from dataclasses import dataclass

import httpx

from jovial_atlas import addresses
from jovial_atlas.errors import AtlasError

_LARGEST = 53_000_000


@dataclass(frozen=True, slots=True)
class ServedPage:
    """What a fetch gave: status (0 where there was no answer), header fields, body."""

    status: int
    headers: Mapping[str, str]
    body: bytes


def loopback(place: str) -> str:
    """`127.0.0.1:8800` checked to be a loopback address with a port. Raises AtlasError."""
    host, _, port = place.rpartition(":")
    host = "127.0.0.1" if host == "localhost" else host.strip("[]")
    try:
        if ipaddress.ip_address(host).is_loopback and 0 < int(port) < 65_536:
            return place
    except ValueError:
        pass
    raise AtlasError(
        f"{place!r} is no loopback address with a port; a stand-in fetches only from this "
        "machine. Give it like www.marrowfen.example=127.0.0.1:8800"
    )


class LoopbackWeb:
    """Fetches addresses of the hosts in `served` (host → loopback address with port)."""

    def __init__(self, served: Mapping[str, str], agent: str) -> None:
        self.served = {host.lower(): loopback(place) for host, place in served.items()}
        self._client = httpx.Client(
            timeout=5.0, trust_env=False, headers={"User-Agent": f"{agent}/1.0 (simulated)"}
        )

    def get(self, address: str) -> ServedPage:
        """Fetch one address; redirects are not followed. Status 0 where nothing answered."""
        host = addresses.origin(address).partition("://")[2]
        place = self.served.get(host)
        if place is None:
            return ServedPage(0, {}, b"")
        try:
            with self._client.stream(
                "GET",
                f"http://{place}{addresses.path_and_query(address)}",
                headers={"Host": host},
            ) as response:
                body = bytearray()
                for piece in response.iter_bytes():
                    body += piece
                    if len(body) > _LARGEST:
                        break
                return ServedPage(response.status_code, response.headers, bytes(body))
        except (httpx.HTTPError, httpx.InvalidURL):
            return ServedPage(0, {}, b"")
