"""The simulated engine's interface over HTTP, and a server for a folder, both on loopback.

| request                                        | answer                                    |
|------------------------------------------------|-------------------------------------------|
| `GET /`                                        | what this is, and that it is simulated    |
| `POST /indexnow`, `GET /indexnow?url=&key=`    | IndexNow: 200, 400, 403, 422, 429         |
| `PUT /sites/{site}/sitemaps/{sitemap}`         | 202; site and sitemap percent-encoded     |
| `GET /sites/{site}/sitemaps`                   | `{"sitemaps": [{"loc", "state", …}]}`     |
"""

from __future__ import annotations

import asyncio
import json
import re
import socket
import threading
import time
from collections.abc import Awaitable, Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import uvicorn
from starlette.applications import Starlette
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.routing import Mount, Route
from starlette.staticfiles import StaticFiles

from jovial_atlas import addresses
from jovial_atlas.engines.indexnow import BATCH
from jovial_atlas.errors import AtlasError
from jovial_atlas.standin.engine import SimulatedEngine

_KEY = re.compile(r"[A-Za-z0-9-]{8,128}")
_LARGEST_BODY = 32 * 1024 * 1024


@dataclass(frozen=True, slots=True)
class Trouble:
    """A fault the stand-in plays, for trying how announcing copes: a status for every
    announcement, with Retry-After seconds, or no answer for `hang` seconds."""

    status: int = 0
    retry_after: int = 0
    hang: float = 0.0


def engine_app(
    engine: SimulatedEngine, token: str = "", trouble: Trouble | None = None
) -> Starlette:
    """The engine's interface. With a `token`, calls about sites need it as a bearer token."""
    trouble = trouble or Trouble()

    async def about(_request: Request) -> Response:
        return JSONResponse(
            {
                "name": engine.name,
                "note": "This is a simulated search engine for trying Jovial Atlas. "
                "It fetches from this machine only and indexes nothing.",
            }
        )

    async def indexnow(request: Request) -> Response:
        if (spoiled := await _play(trouble)) is not None:
            return spoiled
        if request.method == "GET":
            query = request.query_params
            message: Any = {
                "key": query.get("key", ""),
                "urlList": [query.get("url", "")],
                "keyLocation": query.get("keyLocation"),
            }
        else:
            body = await request.body()
            try:
                message = json.loads(body) if len(body) <= _LARGEST_BODY else None
            except ValueError:
                message = None
        return await run_in_threadpool(_take_addresses, engine, message)

    async def sites(request: Request) -> Response:
        if (spoiled := await _play(trouble)) is not None:
            return spoiled
        if token and request.headers.get("Authorization") != f"Bearer {token}":
            return _said(401, "The bearer token is missing or not valid.")
        raw = request.scope["raw_path"].decode("ascii", "replace").split("?")[0]
        parts = [unquote(part) for part in raw.strip("/").split("/")]
        try:
            site = addresses.origin(addresses.normalise(parts[1]))
            if request.method == "GET" and parts[2:] == ["sitemaps"]:
                return JSONResponse({"sitemaps": engine.reports(site)})
            if request.method in ("PUT", "POST") and len(parts) == 4:
                loc = addresses.normalise(parts[3])
                if addresses.origin(loc) != site:
                    return _said(422, f"{loc} is not of {site}.")
                engine.take_sitemap(site, loc)
                return _said(202, "It will be read soon.")
        except (ValueError, IndexError) as error:
            return _said(400, str(error))
        return _said(404, "There is nothing here.")

    return Starlette(
        routes=[
            Route("/", about),
            Route("/indexnow", indexnow, methods=["GET", "POST"]),
            Mount("/sites", app=_as_app(sites)),
        ]
    )


def _as_app(handler: Callable[[Request], Awaitable[Response]]) -> Any:
    async def app(scope: Any, receive: Any, send: Any) -> None:
        await (await handler(Request(scope, receive)))(scope, receive, send)

    return app


async def _play(trouble: Trouble) -> Response | None:
    if trouble.hang:
        await asyncio.sleep(trouble.hang)
    if trouble.status:
        headers = {"Retry-After": str(trouble.retry_after)} if trouble.retry_after else {}
        return JSONResponse(
            {"detail": f"Simulated trouble: status {trouble.status}."}, trouble.status, headers
        )
    return None


def _said(status: int, text: str) -> Response:
    return JSONResponse({"detail": text}, status)


def _take_addresses(engine: SimulatedEngine, message: Any) -> Response:
    """IndexNow's rules in their order: form, addresses of one host, key file."""
    if not isinstance(message, dict) or not isinstance(message.get("urlList"), list):
        return _said(400, "The message is not a JSON object with a urlList.")
    key = str(message.get("key", ""))
    try:
        locs = [addresses.normalise(str(loc)) for loc in message["urlList"]]
    except ValueError as error:
        return _said(400, str(error))
    if not _KEY.fullmatch(key) or not locs:
        return _said(400, "There is no usable key, or no address.")
    origins = {addresses.origin(loc) for loc in locs}
    host = str(message.get("host") or next(iter(origins)).partition("://")[2])
    if len(locs) > BATCH or {origin.partition("://")[2] for origin in origins} != {host}:
        return _said(422, f"More than {BATCH:,} addresses, or addresses of another host.")
    place = str(message.get("keyLocation") or f"{next(iter(origins))}/{key}.txt")
    try:
        page = engine.web.get(addresses.normalise(place))
    except ValueError as error:
        return _said(400, str(error))
    if page.status != 200 or page.body.decode("utf-8", "replace").strip() != key:
        return _said(403, f"The key file {place} does not show the key.")
    engine.take_addresses(locs)
    return _said(200, f"{len(locs)} addresses taken.")


def site_app(folder: Path) -> Starlette:
    """A folder served as a web site: index files for folders, 404.html for what is missing."""
    return Starlette(routes=[Mount("/", app=StaticFiles(directory=folder, html=True))])


def listen(port: int) -> socket.socket:
    """A listening socket on loopback; port 0 takes a free one. Raises AtlasError."""
    # With its protocol named, asyncio turns off delayed sending for its connections.
    sock = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        sock.bind(("127.0.0.1", port))
        sock.listen(128)
    except OSError as error:
        sock.close()
        raise AtlasError(
            f"Port {port} cannot be used ({error.strerror}). "
            "Another program has it; choose another with --port, or 0 for a free one."
        ) from error
    return sock


class Serving:
    """An application served on a socket, in a thread, until `stop`."""

    def __init__(self, app: Starlette, sock: socket.socket) -> None:
        self.address = f"127.0.0.1:{sock.getsockname()[1]}"
        self._socket = sock
        config = uvicorn.Config(app, log_level="error", lifespan="off", timeout_graceful_shutdown=1)
        self._server = uvicorn.Server(config)
        self._thread = threading.Thread(
            target=self._server.run, kwargs={"sockets": [sock]}, daemon=True
        )

    def start(self) -> Serving:
        """Begin to serve; returns once requests are taken. Raises AtlasError."""
        self._thread.start()
        deadline = time.monotonic() + 10
        while not self._server.started:
            if time.monotonic() > deadline or not self._thread.is_alive():
                raise AtlasError(f"The server on {self.address} did not start.")
            time.sleep(0.01)
        return self

    def stop(self) -> None:
        """End serving and let the port go."""
        self._server.should_exit = True
        self._thread.join(timeout=5)
        self._socket.close()
