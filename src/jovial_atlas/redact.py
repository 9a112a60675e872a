"""Secrets out of texts that came from outside: tokens, passwords, values of `Authorization`."""

from __future__ import annotations

import base64
import json
from collections.abc import Collection, Iterator
from urllib.parse import quote

#: What stands where a secret stood.
HIDDEN = "…"
#: Shorter ones would be found in every other word; none that is worth its name is.
_SHORTEST = 4
#: Header fields whose values are secrets (RFC 9110 §11.6.2, RFC 6265, and the usual others).
SECRET_FIELDS = frozenset(
    {"authorization", "proxy-authorization", "cookie", "x-api-key", "api-key", "x-auth-token"}
)


def redacted(text: str, secrets: Collection[str]) -> str:
    """A text without these secrets, in whichever spelling they stand there."""
    for one in _spellings(secrets):
        text = text.replace(one, HIDDEN)
    return text


def redacted_bytes(data: bytes, secrets: Collection[str]) -> bytes:
    """As `redacted`, for bytes."""
    for one in _spellings(secrets):
        data = data.replace(one.encode("utf-8", "replace"), HIDDEN.encode())
    return data


def _spellings(secrets: Collection[str]) -> Iterator[str]:
    for secret in sorted({one for one in secrets if len(one) >= _SHORTEST}, key=len, reverse=True):
        octets = secret.encode("utf-8", "replace")
        yield from dict.fromkeys(
            (
                secret,
                json.dumps(secret)[1:-1],
                quote(secret, safe=""),
                base64.b64encode(octets).decode(),
                base64.urlsafe_b64encode(octets).decode().rstrip("="),
            )
        )


def secrets_in(headers: Collection[tuple[str, str]]) -> list[str]:
    """The secrets among header fields."""
    secrets = []
    for name, value in headers:
        if name.lower() in SECRET_FIELDS:
            # "Bearer TOKEN": the scheme before it is no secret.
            secrets.append(value.split(" ", 1)[-1])
    return secrets
