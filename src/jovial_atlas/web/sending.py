"""What really goes over the network: requests by httpx, their failures as errors of our own.

Loaded when the first request is sent: most runs send none, and loading it takes long.
"""

from __future__ import annotations

import httpx

from jovial_atlas.errors import NetworkError, UnansweredError
from jovial_atlas.web import LONGEST_WAIT, Answer, Client, Request


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


def make_client(timeout: float) -> httpx.Client:
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


def ask_once(client: Client, request: Request, largest: int, cut: bool) -> Answer:
    """Send a request once; errors as those of `web.send`."""
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
