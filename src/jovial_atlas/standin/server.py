"""The simulated engine's interface over HTTP, and serving on loopback.

| request                                        | answer                                        |
|------------------------------------------------|-----------------------------------------------|
| `GET /`                                        | what this is, and that it is simulated        |
| `GET /report`                                  | a page for people                             |
| `POST /indexnow`, `GET /indexnow?url=&key=`    | IndexNow: 200, 400, 403, 422, 429             |
| `GET /sites/{site}/proof`                      | the token that the owner is to show, and where|
| `POST /sites/{site}/proof`                     | look for it: 200, 403                         |
| `PUT /sites/{site}/sitemaps/{sitemap}`         | 202; site and sitemap percent-encoded         |
| `DELETE /sites/{site}/sitemaps/{sitemap}`      | 204, 404                                      |
| `GET /sites/{site}/sitemaps`                   | `{"sitemaps": [{"loc", "state", …}]}`         |
| `GET /sites/{site}/pages?from=N`               | `{"pages": […], "next": "…"}`, 500 at a time  |
| `GET /sites/{site}/performance?from=DAY&to=DAY` | `{"rows": [{"keys": [day, page, search], …}]}` |
| `GET /sites/{site}/performance.csv?from=DAY&to=DAY` | the same in the engine's own words |
| `GET /sites/{site}/pages/{page}`               | what is known of one page; 404                |
| `POST /sites/{site}/pages/{page}`              | ask for it: 202, 429                          |
| `GET /sites/{site}/sitemaps.csv`, `pages.csv`, `reasons.csv` | tables in the engine's own words |
| `GET /messages`                                | every message that was taken                  |
| `POST /clock?hours=N`                          | put the clock forward; `GET` tells the time   |
"""

from __future__ import annotations

import asyncio
import json
import re
import socket
import threading
import time
from collections import Counter
from collections.abc import Awaitable, Callable
from datetime import date
from typing import Any
from urllib.parse import unquote

import uvicorn
from starlette.applications import Starlette
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, Response
from starlette.routing import Mount, Route

from jovial_atlas import addresses, dates
from jovial_atlas.engines.indexnow import BATCH
from jovial_atlas.errors import AtlasError
from jovial_atlas.standin.engine import SimulatedEngine
from jovial_atlas.standin.scenario import Trouble
from jovial_atlas.standin.searches import as_exported, performance_of, performance_rows
from jovial_atlas.standin.showing import EXPORTS, as_csv, as_page

_KEY = re.compile(r"[A-Za-z0-9-]{8,128}")
_LARGEST_BODY = 32 * 1024 * 1024
_PART, _ROWS = 500, 5_000
_HOURS_MOST = 24 * 400

Handler = Callable[[Request], Awaitable[Response]]


class _Half(Response):
    """An answer that promises more than it sends."""

    def __init__(self, whole: Response) -> None:
        super().__init__(bytes(whole.body)[: len(bytes(whole.body)) // 2], whole.status_code)
        self.headers["content-length"] = str(len(bytes(whole.body)) + 100)


def engine_app(engine: SimulatedEngine, token: str = "") -> Starlette:
    """The engine's interface. With a `token`, calls about sites need it as a bearer token. The
    trouble of its scenario is played on the calls that it names."""
    answers = _Interface(engine, token)
    indexnow = answers.with_trouble("indexnow", answers.indexnow)
    return Starlette(
        routes=[
            Route("/", answers.about),
            Route("/report", answers.report),
            Route("/messages", answers.messages),
            Route("/clock", answers.clock, methods=["GET", "POST"]),
            Route("/indexnow", indexnow, methods=["GET", "POST"]),
            Mount("/sites", app=_as_app(answers.with_trouble("", answers.sites))),
        ]
    )


class _Interface:
    """What the engine answers, call by call."""

    def __init__(self, engine: SimulatedEngine, token: str) -> None:
        self.engine, self.token = engine, token
        #: How often each trouble of the scenario was played, by its number.
        self._played: Counter[int] = Counter()

    async def about(self, _request: Request) -> Response:
        return JSONResponse(
            {
                "name": self.engine.name,
                "note": "This is a simulated search engine for trying Jovial Atlas. "
                "It fetches from this machine only and indexes nothing.",
            }
        )

    async def report(self, _request: Request) -> Response:
        return HTMLResponse(await run_in_threadpool(as_page, self.engine))

    async def messages(self, _request: Request) -> Response:
        return JSONResponse({"messages": await run_in_threadpool(self.engine.messages)})

    async def clock(self, request: Request) -> Response:
        if request.method == "POST":
            try:
                hours = float(request.query_params.get("hours", ""))
            except ValueError:
                hours = -1.0
            if not 0 <= hours <= _HOURS_MOST:
                return _said(400, f"hours= is a number from 0 to {_HOURS_MOST:,}.")
            await run_in_threadpool(self.engine.forward, hours)
        return JSONResponse({"now": dates.write(self.engine.clock.present())})

    async def indexnow(self, request: Request) -> Response:
        message = await _message(request)
        return await run_in_threadpool(_take_addresses, self.engine, message)

    async def sites(self, request: Request) -> Response:
        if self.token and request.headers.get("Authorization") != f"Bearer {self.token}":
            return _said(401, "The bearer token is missing or not valid.")
        raw = request.scope["raw_path"].decode("ascii", "replace").split("?")[0]
        parts = [unquote(part) for part in raw.strip("/").split("/")][1:]
        try:
            site = addresses.origin(addresses.normalise(parts[0]))
            return await run_in_threadpool(_about_site, self.engine, site, parts[1:], request)
        except (ValueError, IndexError) as error:
            return _said(400, str(error))

    def with_trouble(self, name: str, handler: Handler) -> Handler:
        """A handler that plays the trouble of the scenario where its time has come; `name` is that
        of its call, "" for those about sites."""

        async def troubled(request: Request) -> Response:
            trouble = self._trouble(name or _call_of(request.url.path))
            return await (_play(trouble, handler, request) if trouble else handler(request))

        return troubled

    def _trouble(self, call: str) -> Trouble | None:
        """The first trouble that is due for a call."""
        hours = (self.engine.clock.present() - self.engine.began).total_seconds() / 3600
        for number, trouble in enumerate(self.engine.scenario.trouble):
            spent = trouble.times and self._played[number] >= trouble.times
            if (
                trouble.on in ("*", call)
                and trouble.from_hour <= hours < trouble.until_hour
                and not spent
            ):
                self._played[number] += 1
                return trouble
        return None


def _call_of(path: str) -> str:
    """What a call about a site is for, by its path."""
    parts = path.split("/")
    return "verify" if "proof" in parts else "pages" if "pages" in parts else "sitemaps"


def _as_app(handler: Handler) -> Any:
    async def app(scope: Any, receive: Any, send: Any) -> None:
        await (await handler(Request(scope, receive)))(scope, receive, send)

    return app


async def _play(trouble: Trouble, handler: Handler, request: Request) -> Response:
    """Misbehave as the scenario says."""
    if trouble.hang and not trouble.taken:
        await asyncio.sleep(trouble.hang)
    if trouble.status:
        headers = {"Retry-After": str(trouble.retry_after)} if trouble.retry_after else {}
        return JSONResponse(
            {"detail": f"Simulated trouble: status {trouble.status}."}, trouble.status, headers
        )
    answer = await handler(request)
    if trouble.hang and trouble.taken:
        await asyncio.sleep(trouble.hang)
    return _Half(answer) if trouble.half else answer


def _said(status: int, text: str) -> Response:
    return JSONResponse({"detail": text}, status)


async def _message(request: Request) -> Any:
    """What an IndexNow message says; None where it says nothing."""
    if request.method == "GET":
        query = request.query_params
        return {
            "key": query.get("key", ""),
            "urlList": [query.get("url", "")],
            "keyLocation": query.get("keyLocation"),
        }
    body = await request.body()
    try:
        return json.loads(body) if len(body) <= _LARGEST_BODY else None
    except ValueError:
        return None


def _about_site(engine: SimulatedEngine, site: str, parts: list[str], request: Request) -> Response:
    """Calls about one site."""
    method = request.method
    if parts == ["proof"]:
        return _proof(engine, site, method)
    if not engine.is_verified(site):
        return _said(403, f"It is not proved that {site} is yours: see /proof.")
    match (method, *parts):
        case ("GET", "sitemaps"):
            return JSONResponse({"sitemaps": engine.reports(site)})
        case ("GET", "pages"):
            return _pages(engine, site, request)
        case ("GET", "performance" | "performance.csv" as kind):
            return _performance(engine, site, request, exported=kind != "performance")
        case ("GET", str(name)) if name.removesuffix(".csv") in EXPORTS and "." in name:
            text = as_csv(engine, site, name.removesuffix(".csv"))
            return Response(text, media_type="text/csv; charset=utf-8")
        case (_, "sitemaps" | "pages" as kind, str(given)):
            loc = addresses.normalise(given)
            if addresses.origin(loc) != site:
                return _said(422, f"{loc} is not of {site}.")
            return _one(engine, site, method, kind, loc)
    return _said(404, "There is nothing here.")


def _one(engine: SimulatedEngine, site: str, method: str, kind: str, loc: str) -> Response:
    if kind == "sitemaps" and method in ("PUT", "POST"):
        engine.take_sitemap(site, loc)
        return _said(202, "It will be read.")
    if kind == "sitemaps" and method == "DELETE":
        known = engine.drop_sitemap(site, loc)
        return Response(status_code=204) if known else _said(404, "It is not known.")
    if kind == "pages" and method == "POST":
        if engine.ask_page(site, loc):
            return _said(202, "It will be fetched.")
        return JSONResponse({"detail": "The day's quota is used up."}, 429, {"Retry-After": "3600"})
    if kind == "pages" and method == "GET":
        found = next((one for one in engine.pages(site) if one["loc"] == loc), None)
        return JSONResponse(found) if found else _said(404, "It is not known.")
    return _said(404, "There is nothing here.")


def _pages(engine: SimulatedEngine, site: str, request: Request) -> Response:
    given = request.query_params.get("from", "0")
    start = int(given) if re.fullmatch(r"[0-9]{1,9}", given) else 0
    pages = engine.pages(site)
    onward = f"?from={start + _PART}" if len(pages) > start + _PART else None
    return JSONResponse({"pages": pages[start : start + _PART], "next": onward})


def _performance(
    engine: SimulatedEngine, site: str, request: Request, *, exported: bool
) -> Response:
    """What was searched and clicked on pages that are indexed, by day, page and search: in parts,
    or as the table that is exported."""
    asked = request.query_params
    try:
        begins, ends = (date.fromisoformat(asked.get(name, "")) for name in ("from", "to"))
        start = int(asked.get("start", "0"))
    except ValueError:
        return _said(422, "from and to are days, as 2026-10-01; start is a number.")
    indexed = [one["loc"] for one in engine.pages(site) if one["indexed"]]
    table = performance_of(engine.name, indexed, begins, min(ends, engine.clock.now().date()))
    if exported:
        text = as_exported(table, engine.name)
        return Response(text, media_type="text/csv; charset=utf-8")
    rows = performance_rows(table)
    onward = None
    if len(rows) > start + _ROWS:
        onward = f"?from={begins}&to={ends}&start={start + _ROWS}"
    return JSONResponse({"rows": rows[start : start + _ROWS], "next": onward})


def _proof(engine: SimulatedEngine, site: str, method: str) -> Response:
    if method == "GET":
        return JSONResponse({"token": engine.token(site), **engine.proofs(site)})
    if engine.verify(site):
        return _said(200, f"{site} is yours.")
    return _said(403, "The token is shown neither in a meta tag nor in a file.")


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
    if not engine.take_addresses(locs):
        return JSONResponse({"detail": "The day's quota is used up."}, 429, {"Retry-After": "3600"})
    return _said(200, f"{len(locs)} addresses taken.")


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

    def __init__(self, app: Any, sock: socket.socket) -> None:
        self.address = f"127.0.0.1:{sock.getsockname()[1]}"
        self._socket = sock
        config = uvicorn.Config(
            app, log_level="critical", lifespan="off", timeout_graceful_shutdown=1
        )
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
