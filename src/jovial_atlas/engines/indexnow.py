"""IndexNow messages, without any sending: keys, bodies, what answers mean.

https://www.indexnow.org/documentation: a key of 8 to 128 letters, digits and hyphens,
shown in a file on the host; at most 10,000 addresses of one host in a message.
"""

from __future__ import annotations

import json
import secrets
from collections.abc import Iterator, Sequence
from itertools import islice
from urllib.parse import urlsplit

BATCH = 10_000
CONTENT_TYPE = "application/json; charset=utf-8"

#: What each status means, and what to do about it.
ANSWERS = {
    200: "taken",
    202: "taken; the engine has yet to verify the key file",
    400: "refused as a bad request; this is a fault of ours or of the endpoint's address",
    403: "refused: the key is not valid there. Check that the key file is public and unchanged",
    422: "refused: addresses are not of this host, or the key is of another. "
    "Check `site.url` and the key file",
    429: "refused: too many requests. Wait, then run `jovial-atlas submit` again",
}


def new_key() -> str:
    """A fresh key of 32 hexadecimal digits."""
    return secrets.token_hex(16)


def key_file(key: str) -> tuple[str, bytes]:
    """Name and bytes of the key file at the root of the host."""
    return f"{key}.txt", key.encode()


def batches(locs: Sequence[str], size: int = BATCH) -> Iterator[list[str]]:
    """The addresses in pieces of at most `size`."""
    rest = iter(locs)
    while piece := list(islice(rest, size)):
        yield piece


def body(site_url: str, key: str, locs: Sequence[str]) -> bytes:
    """The message that announces `locs`, all of them of the site's host."""
    message = {
        "host": urlsplit(site_url).netloc,
        "key": key,
        "keyLocation": f"{site_url}/{key}.txt",
        "urlList": list(locs),
    }
    return json.dumps(message, ensure_ascii=False).encode()
