"""Asking another machine: time limits, bounded retries with back-off, a ceiling on answers.

The only module that sends requests for sources, checks and engines; client and waiting are
handed in. Redirects are never followed by themselves: where they may lead is the caller's
to decide.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import httpx

from jovial_atlas.errors import NetworkError, UnansweredError

TRIES = 3
#: A longer Retry-After is told to the owner instead of waited for.
LONGEST_WAIT = 5.0
LARGEST_ANSWER = 8 * 1024 * 1024
_RETRIED = frozenset({429, 500, 502, 503, 504})


@dataclass(frozen=True, slots=True)
class Request:
    """One request to send: method, URL, header fields, body."""

    method: str
    url: str
    headers: Mapping[str, str] = field(default_factory=dict)
    body: bytes = b""


@dataclass(frozen=True, slots=True)
class Answer:
    """Status, body and header fields (names in lower case) of an answer, and the seconds that
    it asks to wait, if it does. `cut` says that the body was longer than asked for, or
    broke off."""

    status: int
    body: bytes
    retry_after: float | None
    headers: Mapping[str, str] = field(default_factory=dict)
    cut: bool = False


class _OnceSecure(httpx.BaseTransport):
    """HTTPS whose certificates are read when they are first needed: most runs need none."""

    def __init__(self) -> None:
        self._inner: httpx.HTTPTransport | None = None

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        if self._inner is None:
            self._inner = httpx.HTTPTransport(trust_env=False)
        return self._inner.handle_request(request)

    def close(self) -> None:
        if self._inner is not None:
            self._inner.close()


def new_client(timeout: float = 10.0) -> httpx.Client:
    """A client with time limits that follows no redirect and reads no proxy settings."""
    return httpx.Client(
        timeout=httpx.Timeout(timeout, connect=min(timeout, 5.0)),
        follow_redirects=False,
        trust_env=False,
        headers={"User-Agent": "jovial-atlas"},
        # Without TLS: only http:// comes here.
        transport=httpx.HTTPTransport(verify=False, trust_env=False),
        mounts={"https://": _OnceSecure()},
    )


def send(
    client: httpx.Client,
    request: Request,
    *,
    pause: Callable[[float], None] = time.sleep,
    tries: int = TRIES,
    largest: int = LARGEST_ANSWER,
    cut: bool = False,
) -> Answer:
    """Send a request, again after 429 and 5xx where the wait is short.

    Raises NetworkError where no answer came, or, unless `cut`, one of more than `largest`
    bytes or half of one; UnansweredError where the message may have arrived, which is not tried
    again.
    """
    wait = 0.5
    for attempt in range(1, tries + 1):
        answer = _once(client, request, largest, cut)
        longest = wait if answer.retry_after is None else answer.retry_after
        if answer.status not in _RETRIED or attempt == tries or longest > LONGEST_WAIT:
            return answer
        pause(longest)
        wait *= 2
    raise AssertionError("unreachable")


def _once(client: httpx.Client, request: Request, largest: int, cut: bool) -> Answer:
    host = httpx.URL(request.url).netloc.decode("ascii", "replace")
    try:
        with client.stream(
            request.method, request.url, headers=dict(request.headers), content=request.body
        ) as response:
            body, whole = _body(response, host, largest, cut)
            return Answer(
                response.status_code,
                body,
                _seconds(response.headers.get("Retry-After")),
                {key.lower(): value for key, value in response.headers.items()},
                not whole,
            )
    except (httpx.ConnectTimeout, httpx.PoolTimeout, httpx.WriteTimeout):
        raise NetworkError(f"{host} took no message in time.") from None
    except httpx.TimeoutException:
        raise UnansweredError(
            f"{host} did not answer in time; whether it took the message is not known."
        ) from None
    except httpx.ConnectError as error:
        raise NetworkError(f"{host} cannot be reached ({error}).") from None
    except (httpx.ReadError, httpx.RemoteProtocolError) as error:
        raise UnansweredError(
            f"{host} broke off without an answer ({error}); whether it took the message is not "
            "known."
        ) from None
    except (httpx.HTTPError, httpx.InvalidURL) as error:
        raise NetworkError(f"{host} could not be asked ({error}).") from None


def _body(response: httpx.Response, host: str, largest: int, cut: bool) -> tuple[bytes, bool]:
    """The body, and whether it is whole; what is cut short is only good where `cut` allows it."""
    body = bytearray()
    try:
        for piece in response.iter_bytes():
            body += piece
            if len(body) > largest and cut:
                break
            if len(body) > largest:
                raise NetworkError(
                    f"{host} answered with more than {largest:,} bytes; it is not read."
                )
    except httpx.HTTPError:
        if not cut:
            raise
        return bytes(body[:largest]), False
    return bytes(body[:largest]), len(body) <= largest


def _seconds(value: str | None) -> float | None:
    """Retry-After in seconds (RFC 9110 §10.2.3); its date form counts as too long to wait."""
    if value is None:
        return None
    return float(value) if value.strip().isdigit() else LONGEST_WAIT + 1
