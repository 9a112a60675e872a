"""Requests and answers as values, and what they are sent with."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import AbstractContextManager
from typing import TYPE_CHECKING, Protocol

import msgspec

if TYPE_CHECKING:
    import httpx

#: A longer Retry-After is told to the owner instead of waited for.
LONGEST_WAIT = 5.0


class Request(msgspec.Struct, frozen=True):
    """One request to send: method, URL, header fields, body."""

    method: str
    url: str
    headers: Mapping[str, str] = msgspec.field(default_factory=dict)
    body: bytes = b""


class Answer(msgspec.Struct, frozen=True):
    """Status, body and header fields (names in lower case) of an answer, and the seconds that
    it asks to wait, if it does. `cut` says that the body was longer than asked for, or
    broke off."""

    status: int
    body: bytes
    retry_after: float | None
    headers: Mapping[str, str] = msgspec.field(default_factory=dict)
    cut: bool = False


class Client(Protocol):
    """What requests are sent with."""

    def stream(
        self, method: str, url: str, *, headers: dict[str, str], content: bytes
    ) -> AbstractContextManager[httpx.Response]:
        """Send a request, and give its answer to be read piece by piece."""
        ...
