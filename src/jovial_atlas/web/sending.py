"""What really goes over the network: requests by httpx, their failures as errors of our own.

Loaded when the first request is sent: most runs send none, and loading it takes long.
"""

from __future__ import annotations

import ssl
import threading
import time
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from typing import Any

import httpcore
import httpx

from jovial_atlas import foreign
from jovial_atlas.errors import NetworkError, UnansweredError
from jovial_atlas.web.values import LONGEST_WAIT, Answer, Client, Request


class _Deadline(threading.local):
    """Until when the request that this thread is at may take (`time.monotonic`)."""

    at: float | None = None


_deadline = _Deadline()


@contextmanager
def _within(seconds: float | None) -> Iterator[None]:
    """Whatever is read in the block must have come by then: a server that sends an octet now and
    then would be within every limit between two of them, and never be done."""
    before = _deadline.at
    _deadline.at = None if seconds is None else time.monotonic() + seconds
    try:
        yield
    finally:
        _deadline.at = before


def _left(timeout: float | None) -> float | None:
    if _deadline.at is None:
        return timeout
    left = _deadline.at - time.monotonic()
    if left <= 0:
        raise httpcore.ReadTimeout("the whole answer took too long")
    return left if timeout is None else min(timeout, left)


class _Stream(httpcore.NetworkStream):
    """A connection whose reads and writes end with the deadline."""

    def __init__(self, inner: httpcore.NetworkStream) -> None:
        self._inner = inner

    def read(self, max_bytes: int, timeout: float | None = None) -> bytes:
        return self._inner.read(max_bytes, _left(timeout))

    def write(self, buffer: bytes, timeout: float | None = None) -> None:
        self._inner.write(buffer, _left(timeout))

    def close(self) -> None:
        self._inner.close()

    def start_tls(
        self,
        ssl_context: ssl.SSLContext,
        server_hostname: str | None = None,
        timeout: float | None = None,
    ) -> httpcore.NetworkStream:
        return _Stream(self._inner.start_tls(ssl_context, server_hostname, _left(timeout)))

    def get_extra_info(self, info: str) -> Any:
        return self._inner.get_extra_info(info)


class _Network(httpcore.NetworkBackend):
    """The network, with streams that know the deadline."""

    def __init__(self) -> None:
        self._inner = httpcore.SyncBackend()

    def connect_tcp(
        self,
        host: str,
        port: int,
        timeout: float | None = None,
        local_address: str | None = None,
        socket_options: Iterable[httpcore.SOCKET_OPTION] | None = None,
    ) -> httpcore.NetworkStream:
        options = list(socket_options or [])
        return _Stream(self._inner.connect_tcp(host, port, _left(timeout), local_address, options))


class _Transport(httpx.HTTPTransport):
    """HTTP and HTTPS over that network."""

    def __init__(self, *, secure: bool) -> None:
        super().__init__(verify=False, trust_env=False)
        self._pool.close()
        context = httpx.create_ssl_context(trust_env=False) if secure else None
        self._pool = httpcore.ConnectionPool(
            ssl_context=context, max_connections=100, max_keepalive_connections=20,
            keepalive_expiry=5.0, network_backend=_Network(),
        )  # fmt: skip


class _OnceSecure(httpx.BaseTransport):
    """HTTPS whose certificates are read when they are first needed: most runs need none."""

    def __init__(self) -> None:
        self._inner: httpx.HTTPTransport | None = None

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        if self._inner is None:
            self._inner = _Transport(secure=True)
        return self._inner.handle_request(request)

    def close(self) -> None:
        if self._inner is not None:
            self._inner.close()


def make_client(timeout: float) -> httpx.Client:
    """A client with time limits that follows no redirect and reads no proxy settings."""
    return httpx.Client(
        timeout=httpx.Timeout(timeout, connect=min(timeout, 5.0)),
        follow_redirects=False,
        trust_env=False,
        headers={"User-Agent": "jovial-atlas"},
        # Without TLS: only http:// comes here.
        transport=_Transport(secure=False),
        mounts={"https://": _OnceSecure()},
    )


def ask_once(
    client: Client, request: Request, largest: int, cut: bool, within: float | None
) -> Answer:
    """Send a request once. Raises NetworkError, as `web.send`; UnansweredError where it may have
    arrived."""
    try:
        host = httpx.URL(request.url).netloc.decode("ascii", "replace")
    except (httpx.InvalidURL, ValueError) as error:
        raise NetworkError(f"{request.url[:200]!r} is no address to ask ({error}).") from None
    try:
        with (
            _within(within),
            client.stream(
                request.method, request.url, headers=dict(request.headers), content=request.body
            ) as response,
        ):
            body, whole = _body(response, host, largest, cut)
            return Answer(
                response.status_code,
                body,
                _seconds(response.headers.get("Retry-After")),
                _fields(response.headers),
                not whole,
            )
    except (httpx.ConnectTimeout, httpx.PoolTimeout, httpx.WriteTimeout):
        raise NetworkError(f"{host} took no message in time.") from None
    except httpx.TimeoutException:
        raise UnansweredError(
            f"{host} did not answer in time; whether it took the message is not known."
        ) from None
    except httpx.ConnectError as error:
        raise NetworkError(f"{host} {_why_not_reached(error)}") from None
    except (httpx.ReadError, httpx.RemoteProtocolError) as error:
        raise UnansweredError(
            f"{host} broke off without an answer ({error}); whether it took the message is not "
            "known."
        ) from None
    except (httpx.HTTPError, httpx.InvalidURL, ValueError) as error:
        # A header field or an address that cannot be sent is a ValueError there.
        raise NetworkError(f"{host} could not be asked ({error}).") from None


def _why_not_reached(error: BaseException) -> str:
    """Why no connection came about, as the rest of a sentence that begins with the host."""
    cause: BaseException | None = error
    while cause is not None and not isinstance(cause, ssl.SSLError):
        cause = cause.__cause__ or cause.__context__
    if isinstance(cause, ssl.SSLCertVerificationError):
        return (
            f"has a certificate that is not trusted ({cause.verify_message}); browsers warn of it. "
            "Renew it, or ask whoever runs the server."
        )
    if cause is not None:
        reason = str(cause.reason or cause).replace("_", " ").lower()
        return (
            f"makes no secure connection ({reason}). If the server has none, write the address "
            "with http://."
        )
    return f"cannot be reached ({error})."


def _fields(headers: httpx.Headers) -> dict[str, str]:
    """Header fields by their names in lower case. Of `X-Robots-Tag` each field is for crawlers of
    its own, so several are kept as lines; of others they count as one list."""
    found = {key.lower(): value for key, value in headers.items()}
    if tags := headers.get_list("x-robots-tag"):
        found["x-robots-tag"] = "\n".join(tags)
    return found


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
    wait = foreign.seconds(value)
    return LONGEST_WAIT + 1 if wait is None else float(min(wait, 366 * 86_400))
