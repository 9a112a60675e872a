"""A site with its server, its engine and its owner's machine, all in one process: the clock goes as it
is told to, nothing leaves the process, and everything that anybody was told is on record."""

from __future__ import annotations

import json
from collections import defaultdict
from datetime import UTC, datetime, timedelta
from pathlib import Path

import httpx

from jovial_atlas.errors import AtlasError
from jovial_atlas.files import Locks
from jovial_atlas.rounds.tending.around import Around
from jovial_atlas.rounds.tending.messages import ToldMessage
from jovial_atlas.rounds.tending.tend import TendedSite, tend_once
from jovial_atlas.running import Command, RanCommand
from jovial_atlas.sitefile.tending import told_name

URL = "https://www.marrowfen.example"
SITE = f"""
[site]
url = "{URL}"
name = "Marrowfen"
language = "en"
[[source]]
kind = "table"
path = "pages.csv"
[loss]
pages = 3
section_pages = 3
source_pages = 3
[publish]
run = ["publish"]
[tend]
look = "2 minutes"
[[engine]]
name = "Lanternfish"
channels = [
  {{ kind = "indexnow", endpoint = "https://engine.example/indexnow" }},
  {{ kind = "call", name = "submit-sitemap", method = "PUT", url = "https://engine.example/{{sitemap}}" }},
]
"""
TELL = '[[tell]]\nkind = "command"\nrun = ["tell"]\nseverity = "warning"\n'


class World:
    """`pages` are those of the content, with the day of their last change; `live` what the server
    serves; `heard` what the engine was told of each address, as its state then."""

    def __init__(self, folder: Path, more: str = TELL, machine: str = "mill") -> None:
        self.folder, self.machine = folder, machine
        folder.mkdir(parents=True, exist_ok=True)
        (folder / "atlas.toml").write_text(SITE + more)
        self.now = datetime(2026, 1, 1, 4, tzinfo=UTC)
        self.pages: dict[str, str] = {}
        self.live: dict[str, bytes] = {}
        self.live_pages: dict[str, str] = {}
        self.heard: dict[str, list[str | None]] = defaultdict(list)
        self.told: list[ToldMessage] = []
        self.to: list[str] = []
        self.is_down = self.is_mute = self.cannot_publish = self.is_late = False
        self.ends_after = ""
        self._ends = False
        self.environment: dict[str, str] = {}
        self.locks = Locks(folder / ".jovial-atlas")
        self.client = httpx.Client(transport=httpx.MockTransport(self._answer))

    def write(self, pages: dict[str, str]) -> None:
        """The content as it is from now on: path → day of the last change."""
        self.pages = dict(pages)
        rows = "".join(f"{path},{path} of the fen,{day}\n" for path, day in sorted(pages.items()))
        (self.folder / "pages.csv").write_text(f"loc,title,lastmod\n{rows}")

    def tend(self, minutes: float = 15) -> TendedSite:
        """A round, so many minutes after the one before."""
        self.now += timedelta(minutes=minutes)
        self._ends = False
        return tend_once(self.around(), self._tell)

    def around(self) -> Around:
        return Around(
            self.folder / "atlas.toml", self.environment, self.client, self.locks,
            lambda: self.now, self._pause, self.machine, self._run, lambda: self._ends, self._step,
        )  # fmt: skip

    def _pause(self, seconds: float) -> None:
        self.now += timedelta(seconds=seconds)

    def _step(self, name: str, _state: str, _detail: str) -> None:
        self._ends = self._ends or name == self.ends_after

    def _tell(self, _site, how, message: ToldMessage, _number: int, _around: Around) -> None:
        if self.is_mute:
            raise AtlasError("The server of mail does not answer.")
        self.told.append(message)
        self.to.append(told_name(how))

    def _run(self, command: Command) -> RanCommand:
        assert command.words == ("publish",)
        if self.cannot_publish:
            return RanCommand(3, "no route to the host")
        if self.is_late:
            return RanCommand(0, "")
        changed = Path(command.environment["ATLAS_CHANGED"]).read_text().splitlines()
        for name in changed:
            path = name.lstrip("-").removeprefix("public/")
            if name.startswith("-"):
                self.live.pop(path, None)
            else:
                self.live[path] = (self.folder / "public" / path).read_bytes()
        self.live_pages = dict(self.pages)
        return RanCommand(0, "")

    def _answer(self, request: httpx.Request) -> httpx.Response:
        if request.url.host == "engine.example":
            if self.is_down:
                return httpx.Response(503)
            if request.method == "POST":
                for loc in json.loads(request.content)["urlList"]:
                    self.heard[loc].append(self.live_pages.get(loc.removeprefix(URL)))
            return httpx.Response(200)
        path = request.url.path
        if path in self.live_pages:
            return httpx.Response(200, content=b"<p>")
        data = self.live.get(path.lstrip("/"))
        return httpx.Response(404) if data is None else httpx.Response(200, content=data)

    def listed(self) -> set[str]:
        """What the sitemaps list that the server serves."""
        import re

        files = [data.decode() for name, data in self.live.items() if name.startswith("sitemap-pages")]
        return {loc.removeprefix(URL) for data in files for loc in re.findall("<loc>(.*?)</loc>", data)}
