"""Asking another machine: limits of time, between two octets and for a whole answer, bounded
retries with back-off, a ceiling on answers.

The only module that sends requests for sources, checks and engines; client and waiting are
handed in. Redirects are never followed by themselves: where they may lead is the caller's
to decide.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Collection
from contextlib import AbstractContextManager
from threading import Lock
from types import TracebackType
from typing import TYPE_CHECKING

from jovial_atlas.errors import NetworkError
from jovial_atlas.redact import redacted, redacted_bytes, secrets_in
from jovial_atlas.values import replace
from jovial_atlas.web.values import LONGEST_WAIT, Answer, Client, Request

if TYPE_CHECKING:
    import httpx

__all__ = [
    "LARGEST_ANSWER",
    "LONGEST_WAIT",
    "TRIES",
    "WHOLE",
    "Answer",
    "Client",
    "LateClient",
    "Request",
    "new_client",
    "send",
    "simulated_client",
]

TRIES = 3
LARGEST_ANSWER = 8 * 1024 * 1024
#: A whole answer may take so many times as long as a server may be silent.
WHOLE = 12
_RETRIED = frozenset({429, 500, 502, 503, 504})


class LateClient:
    """A client that is made when the first request is sent. Use as a context: leaving closes it."""

    def __init__(self, timeout: float) -> None:
        self._timeout = timeout
        #: Seconds that a whole answer may take; a server may be silent for `timeout` of them.
        self.whole = WHOLE * timeout
        self._made: httpx.Client | None = None
        # Several threads may send the first.
        self._lock = Lock()

    def __enter__(self) -> LateClient:
        return self

    def __exit__(
        self,
        _kind: type[BaseException] | None,
        _error: BaseException | None,
        _trace: TracebackType | None,
    ) -> None:
        if self._made:
            self._made.close()

    def stream(
        self, method: str, url: str, *, headers: dict[str, str], content: bytes
    ) -> AbstractContextManager[httpx.Response]:
        """As that of `Client`."""
        with self._lock:
            if self._made is None:
                from jovial_atlas.web.sending import make_client

                self._made = make_client(self._timeout)
        return self._made.stream(method, url, headers=headers, content=content)


def simulated_client() -> Client:
    """A client that reaches nobody: whoever is asked takes what is sent, and knows nothing (status
    200 and an empty object)."""
    import httpx

    answers = httpx.MockTransport(lambda _request: httpx.Response(200, json={}))
    return httpx.Client(transport=answers)


def new_client(timeout: float = 10.0) -> LateClient:
    """A client with time limits that follows no redirect and reads no proxy settings."""
    return LateClient(timeout)


def send(
    client: Client,
    request: Request,
    *,
    pause: Callable[[float], None] = time.sleep,
    tries: int = TRIES,
    largest: int = LARGEST_ANSWER,
    cut: bool = False,
) -> Answer:
    """Send a request, again after 429 and 5xx where the wait is short.

    Raises NetworkError where no answer came in time, or, unless `cut`, one of more than `largest`
    bytes or half of one; UnansweredError where the message may have arrived, which is not tried
    again.
    """
    from jovial_atlas.web.sending import ask_once

    wait = 0.5
    secrets = secrets_in(request.headers.items())
    for attempt in range(1, tries + 1):
        try:
            answer = ask_once(client, request, largest, cut, getattr(client, "whole", None))
        except NetworkError as error:
            # Whatever it is that holds a secret, it goes no further than here.
            raise type(error)(redacted(str(error), secrets)) from None
        if secrets:
            answer = _without(answer, secrets)
        longest = wait if answer.retry_after is None else answer.retry_after
        if answer.status not in _RETRIED or attempt == tries or longest > LONGEST_WAIT:
            return answer
        pause(longest)
        wait *= 2
    raise AssertionError("unreachable")


def _without(answer: Answer, secrets: Collection[str]) -> Answer:
    """An answer without the secrets of its request, which some servers send back."""
    headers = {name: redacted(value, secrets) for name, value in answer.headers.items()}
    return replace(answer, body=redacted_bytes(answer.body, secrets), headers=headers)
