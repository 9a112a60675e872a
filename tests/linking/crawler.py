"""A plain crawler of a folder of HTML, written for the tests alone: what it finds broken is what the
tool must find."""

from __future__ import annotations

import re
from html.parser import HTMLParser
from os.path import normpath
from pathlib import Path
from urllib.parse import unquote, urldefrag, urljoin, urlsplit

_LEADS = {("a", "href"), ("area", "href")}
_LOADS = {("img", "src"), ("script", "src"), ("iframe", "src"), ("frame", "src"), ("video", "src"),
          ("video", "poster"), ("audio", "src"), ("source", "src"), ("track", "src"),
          ("embed", "src"), ("object", "data"), ("input", "src")}  # fmt: skip
_RELS = {"stylesheet", "icon", "apple-touch-icon", "mask-icon", "manifest", "alternate", "next",
         "prev", "search", "license", "help"}  # fmt: skip


class Reader(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.found: list[str] = []
        self.fragments: list[str] = []
        self.names: set[str] = set()
        self.base = ""

    def handle_starttag(self, tag, attrs):
        given = dict(attrs)
        if given.get("id"):
            self.names.add(given["id"])
        if tag == "a" and given.get("name"):
            self.names.add(given["name"])
        if tag == "base" and given.get("href"):
            self.base = given["href"]
        for key, value in attrs:
            if value and value.strip() and (tag, key) in _LEADS | _LOADS:
                self.found.append(value.strip())
                if (tag, key) in _LEADS and "#" in value:
                    self.fragments.append(value.strip())
        rels = set((given.get("rel") or "").lower().split())
        if tag == "link" and given.get("href") and rels & _RELS:
            self.found.append(given["href"])

    handle_startendtag = handle_starttag


def crawl(root: Path, url: str) -> tuple[set[str], set[str]]:
    """Paths that are linked to or loaded and do not exist, and `path#name` for names that a page
    does not have."""
    pages = {}
    for file in root.rglob("*.html"):
        reader = Reader()
        data = file.read_bytes()
        charset = re.search(rb"charset=[\"']?([\w-]+)", data[:2000])
        reader.feed(data.decode(charset[1].decode() if charset else "utf-8", "replace"))
        pages[file.relative_to(root).as_posix()] = reader
    missing, nameless = set(), set()
    for path, reader in pages.items():
        base = urljoin(f"{url}/{path}", reader.base)
        for said in reader.found:
            if (there := _there(root, urljoin(base, said), url)) and not there[1]:
                missing.add(there[0])
        for said in reader.fragments:
            whole, name = urldefrag(urljoin(base, said))
            there = _there(root, whole, url)
            target = pages.get(there[1]) if there else None
            if target and name and name.lower() != "top" and unquote(name) not in target.names:
                nameless.add(f"{there[0]}#{unquote(name)}")
    return missing, nameless


def _there(root: Path, address: str, url: str) -> tuple[str, str] | None:
    """The path of an address of the site, and the file that lies there, if any."""
    if not address.startswith(f"{url}/"):
        return None
    path = unquote(urlsplit(address).path)
    for name in (path, f"{path.rstrip('/')}/index.html", f"{path}.html"):
        file = root / name.lstrip("/")
        if file.is_file():
            return path, normpath(file.relative_to(root)).replace("\\", "/")
    return path, ""
