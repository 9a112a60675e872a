"""A folder served as a web site on loopback, with an access log, and header fields that somebody
left on by mistake."""

from __future__ import annotations

from collections.abc import Mapping, MutableMapping
from pathlib import Path
from typing import Any

from starlette.applications import Starlette
from starlette.routing import Mount
from starlette.staticfiles import StaticFiles

from jovial_atlas.standin.clock import Clock


class ServedSite:
    """The application: index files for folders, 404.html for what is missing. `fields` are header
    fields that pages below a path are sent with; `log` is a file in Combined Log Format."""

    def __init__(self, folder: Path, log: Path | None = None, clock: Clock | None = None) -> None:
        self.fields: dict[str, Mapping[str, str]] = {}
        self._files = Starlette(routes=[Mount("/", app=StaticFiles(directory=folder, html=True))])
        self._log = log
        self._clock = clock or Clock()

    async def __call__(self, scope: MutableMapping[str, Any], receive: Any, send: Any) -> None:
        """Answer one request (ASGI 3)."""

        async def answered(message: MutableMapping[str, Any]) -> None:
            if message["type"] == "http.response.start":
                more = [
                    (name.lower().encode("ascii"), value.encode("ascii"))
                    for path, fields in self.fields.items()
                    if scope["path"].startswith(path)
                    for name, value in fields.items()
                ]
                message = {**message, "headers": [*message["headers"], *more]}
                # Noted first: whoever has the answer may turn the clock on, and read the log.
                if self._log and scope["type"] == "http":
                    self._note(scope, message["status"])
            await send(message)

        await self._files(scope, receive, answered)

    def _note(self, scope: Mapping[str, Any], status: int) -> None:
        fields = dict(scope["headers"])
        agent = fields.get(b"user-agent", b"-").decode("latin-1").replace('"', "'")
        at = self._clock.now().strftime("%d/%b/%Y:%H:%M:%S +0000")
        target = scope.get("raw_path", b"/").decode("latin-1").replace('"', "%22")
        host = (scope.get("client") or ("-",))[0]
        line = f'{host} - - [{at}] "{scope["method"]} {target} HTTP/1.1" {status} - "-" "{agent}"\n'
        assert self._log
        with self._log.open("a", encoding="latin-1") as stream:
            stream.write(line)
