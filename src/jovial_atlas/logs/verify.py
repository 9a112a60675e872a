"""Whether a crawler is who it says: by published ranges of addresses, or by reverse DNS and forward
DNS of the name that it gives."""

from __future__ import annotations

import ipaddress
import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass

#: Names of an address, and addresses of a name; empty where there are none.
Reverse = Callable[[str], Sequence[str]]
Forward = Callable[[str], Sequence[str]]


@dataclass(frozen=True, slots=True)
class Resolver:
    """How names are found out; handed in, since tests and careful owners ask no name server."""

    reverse: Reverse
    forward: Forward


def is_genuine(
    address: str, ranges: Sequence[str], hosts: Sequence[str], resolver: Resolver | None
) -> bool | None:
    """Whether an address belongs to a crawler, by its ranges (`192.0.2.0/24`), else by its hosts
    (`*.crawl.lantern.example`). None where nothing tells: no ranges, and no resolver to ask."""
    try:
        ip = ipaddress.ip_address(address)
    except ValueError:
        return False if ranges else None
    networks = [ipaddress.ip_network(one, strict=False) for one in ranges]
    if any(ip in one for one in networks if one.version == ip.version):
        return True
    if not hosts:
        return False if ranges else None
    if resolver is None:
        return None
    wanted = [re.compile(re.escape(one).replace(r"\*", r"[a-z0-9.-]+"), re.I) for one in hosts]
    for name in resolver.reverse(address):
        bare = name.rstrip(".")
        # A name alone proves nothing: whoever owns the address writes it.
        if any(one.fullmatch(bare) for one in wanted) and _same(ip, resolver.forward(bare)):
            return True
    return False


def _same(ip: ipaddress.IPv4Address | ipaddress.IPv6Address, found: Iterable[str]) -> bool:
    for one in found:
        try:
            if ipaddress.ip_address(one) == ip:
                return True
        except ValueError:
            continue
    return False
