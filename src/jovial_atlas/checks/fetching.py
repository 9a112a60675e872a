"""Where files to be checked come from: a folder on disk, or a server.

What cannot be had becomes a fault, never an exception.
"""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from urllib.parse import unquote, urlsplit

import msgspec

from jovial_atlas import addresses
from jovial_atlas.checks.sets import Fetched
from jovial_atlas.errors import NetworkError
from jovial_atlas.faults import Fault
from jovial_atlas.files import is_file
from jovial_atlas.sitemaps.protocol import MAX_BYTES
from jovial_atlas.web import Client, Request, send


class OnDisk(msgspec.Struct, frozen=True):
    """Files of one folder. `address` is where the folder is served, if that is known.

    `whole` says that the folder holds the whole set, so that a listed file which is not
    there is an error and not merely unread.
    """

    root: Path
    address: str | None
    whole: bool
    shown: Callable[[Path], str] = str

    def open(self, path: Path, address: str | None = None) -> Fetched:
        """One file, by its path."""
        served = address
        if served is None and self.address and path.is_relative_to(self.root):
            inner = path.relative_to(self.root).as_posix()
            served = self.address + addresses.escape(inner)
        name = self.shown(path)
        try:
            return Fetched(name, served, path.read_bytes())
        except OSError as error:
            fault = Fault("page-unreadable", name, f"It cannot be read ({error.strerror}).")
            return Fetched(name, served, None, fault)

    def __call__(self, loc: str, index: Fetched) -> Fetched:
        """The file behind an entry of an index, by its place below the folder's address, or
        by its name beside the index where no address is known."""
        path = self._path_of(loc)
        if path is not None and is_file(path):
            return self.open(path, loc if self.address else None)
        code = "sitemap-index-missing" if self.whole else "sitemap-index-unread"
        where = "there is no such file" if self.whole else "no such file lies beside the index"
        return Fetched(loc, None, None, Fault(code, index.name, f"{loc} is listed; {where}."))

    def _path_of(self, loc: str) -> Path | None:
        try:
            parts = urlsplit(loc)
        except ValueError:
            return None
        inner = unquote(parts.path).rpartition("/")[2]
        if self.address:
            if not loc.startswith(self.address):
                return None
            inner = unquote(urlsplit(loc[len(self.address) :]).path)
        path = self.root / inner.lstrip("/")
        try:
            inside = path.resolve().is_relative_to(self.root.resolve())
        except (OSError, ValueError):
            return None
        return path if inside else None


class OnServer(msgspec.Struct, frozen=True):
    """Files of one server. `origin` is asked; `public` is the origin under which the files
    are, or will be, known (the same, but for a site that is tried before it is public)."""

    client: Client
    origin: str
    public: str

    def get(self, address: str) -> Fetched:
        """One file by its public address."""
        asked = self.origin + addresses.path_and_query(address)
        try:
            answer = send(self.client, Request("GET", asked, {}), tries=2, largest=MAX_BYTES + 1)
        except NetworkError as error:
            return Fetched(asked, address, None, Fault("fetch-failed", asked, str(error)))
        if 300 <= answer.status < 400:
            fault = Fault("fetch-redirect", asked, f"It answers with status {answer.status}.")
            return Fetched(asked, address, None, fault)
        if answer.status != 200:
            fault = Fault("fetch-status", asked, f"It answers with status {answer.status}.")
            return Fetched(asked, address, None, fault)
        return Fetched(asked, address, answer.body)

    def __call__(self, loc: str, index: Fetched) -> Fetched:
        """The file behind an entry of an index, on the same host only."""
        try:
            address = addresses.normalise(loc)
        except ValueError:
            address = ""
        if not address or addresses.origin(address) not in (self.public, self.origin):
            fault = Fault("sitemap-index-unread", index.name, f"{loc} is on another host.")
            return Fetched(loc, None, None, fault)
        return self.get(address)
