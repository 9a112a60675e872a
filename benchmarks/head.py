"""Head data against bare rendering of its patterns, and writing it into real pages against copying
them through a bare parse."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from jinja2.sandbox import SandboxedEnvironment
from selectolax.lexbor import LexborHTMLParser

from jovial_atlas.head.compose import head_data, head_lines, heads_by_section
from jovial_atlas.head.settings import head_settings
from jovial_atlas.head.tags import head_tags
from jovial_atlas.markup import inject
from jovial_atlas.pages import schema
from jovial_atlas.pages.page import Page, page_of
from jovial_atlas.rules import decide
from jovial_atlas.sitefile.read import SiteFile, parse_site_file

_PAGES, _FILES = (100_000, 10_000) if os.environ.get("BENCH_FULL") else (20_000, 1_000)
_NOW = datetime(2026, 11, 23, tzinfo=UTC)
_SITE = "https://www.marrowfen.example"
_TITLE = "{{ page.title }} – {{ site.short_name }}"
_DESCRIPTION = "{{ page.description or page.excerpt }}"
_REAL = ("/usr/share/doc/postgresql-doc-15/html", "/usr/share/doc/python3.11/html")


def run(pair: Callable[..., float]) -> None:
    """All of head data, JSON and the JSON-LD of a page without a type of its own, against two texts
    a page. What types cost is measured by itself (`schema`)."""
    text = (
        f'[site]\nurl = "{_SITE}"\n[[source]]\nkind = "html"\npath = "public"\n'
        f"[[section]]\nname = 'notes'\nmatch = '/notes/**'\n"
        f"title = '{_TITLE}'\ndescription = '{_DESCRIPTION}'\n"
    )
    with tempfile.TemporaryDirectory() as name:
        site = parse_site_file(text, Path(name) / "atlas.toml")
    rows = [
        {
            "loc": f"{_SITE}/notes/{n}/", "kind": "page", "status": 200, "words": 300,
            "title": f"Note {n} from the fen", "heading": f"Note {n}", "images": [], "videos": [],
            "excerpt": "The water stood up to the lowest step of the tower all morning.",
            "published": "2026-11-01", "lastmod": "2026-11-02", "lastmod_from": "meta",
        }
        for n in range(_PAGES)
    ]  # fmt: skip
    decided = decide(schema.table(rows), site, _NOW)
    environment = SandboxedEnvironment()
    patterns = [environment.from_string(one) for one in (_TITLE, _DESCRIPTION)]

    def bare() -> None:
        for page in decided.iter_rows(named=True):
            for pattern in patterns:
                pattern.render(page=page, site=site.model.site)

    def ours() -> None:
        for _, heads in heads_by_section(decided, head_settings(site), {}):
            for _ in head_lines(heads):
                pass

    pair(f"head data of {_PAGES:,} pages", ours, bare, wanted="at most 3", runs=3)
    _injecting(pair, page_of(decided.row(0, named=True)), site)


def _injecting(pair: Callable[..., float], page: Page, site: SiteFile) -> None:
    files = [one for folder in _REAL for one in sorted(Path(folder).rglob("*.html"))]
    if not files:
        raise SystemExit("Install python3-doc and postgresql-doc-15 for this benchmark.")
    files = (files * (_FILES // len(files) + 1))[:_FILES]
    tags = head_tags(head_data(page, head_settings(site)), page, head_settings(site))
    with tempfile.TemporaryDirectory() as name:
        target = Path(name) / "page.html"

        def ours() -> None:
            for file in files:
                target.write_bytes(inject(file.read_bytes(), tags) or b"")

        def bare() -> None:
            for file in files:
                tree = LexborHTMLParser(file.read_bytes())
                target.write_bytes((tree.html or "").encode())

        pair(f"head data into {_FILES:,} real pages", ours, bare, wanted="at most 2", runs=3)
