"""Structured data: graphs built and validated against what writing them down takes, and the
vocabulary against parsing its JSON."""

from __future__ import annotations

import json
import os
import tempfile
from collections.abc import Callable
from datetime import UTC, datetime
from importlib.resources import files
from pathlib import Path

from jovial_atlas.head.context import HeadContext
from jovial_atlas.head.page_graph import page_graph
from jovial_atlas.head.settings import head_settings
from jovial_atlas.pages import schema
from jovial_atlas.pages.page import pages_of
from jovial_atlas.rules import decide
from jovial_atlas.sitefile.read import parse_site_file
from jovial_atlas.structured.vocabulary import Vocabulary

_PAGES = 100_000 if os.environ.get("BENCH_FULL") else 30_000
_NOW = datetime(2026, 11, 23, tzinfo=UTC)
_SITE = "https://www.marrowfen.example"


def run(pair: Callable[..., float]) -> None:
    """Half articles, half recipes, with the pages above them."""
    text = (
        f'[site]\nurl = "{_SITE}"\n[[source]]\nkind = "html"\npath = "public"\n'
        "[[section]]\nname = 'notes'\nmatch = '/notes/**'\nschema = 'BlogPosting'\n"
        "[[section]]\nname = 'cafe'\nmatch = '/cafe/**'\nschema = 'Recipe'\n"
    )
    with tempfile.TemporaryDirectory() as name:
        site = parse_site_file(text, Path(name) / "atlas.toml")
    data = json.dumps({"items": ["1 kg apples", "100 g oats"], "steps": ["Slice.", "Bake."]})
    rows = [
        {
            "loc": f"{_SITE}/{'notes' if n % 2 else 'cafe'}/entry-{n}/", "kind": "page",
            "status": 200,
            "words": 300, "title": f"Page {n} from the fen", "heading": f"Page {n}",
            "images": [{"loc": f"{_SITE}/pictures/{n}.jpg", "alt": "x"}], "videos": [],
            "excerpt": "The water stood up to the lowest step of the tower all morning.",
            "author": "Wren Aldergate", "published": "2026-11-01", "lastmod": "2026-11-02",
            "lastmod_from": "meta", "data": data,
        }
        for n in range(_PAGES)
    ]  # fmt: skip
    pages = list(pages_of(decide(schema.table(rows), site, _NOW)))
    settings = head_settings(site)
    names = {f"{_SITE}/notes/": "Notes", f"{_SITE}/cafe/": "Café"}
    context = HeadContext(name=names.get)

    def made() -> list[dict[str, object]]:
        return [
            page_graph(
                page, settings, settings.section[page.section], (page.title, page.excerpt), (),
                context,
            ).document or {}
            for page in pages
        ]  # fmt: skip

    graphs = made()
    assert {len(one["@graph"]) for one in graphs} == {5}  # type: ignore[arg-type]

    def written() -> None:
        for one in graphs:
            json.dumps(one)

    pair(f"graphs of {_PAGES:,} pages", made, written, wanted="at most 8", runs=3)
    raw = files("jovial_atlas.structured").joinpath("vocabulary.json").read_bytes()
    pair("loading the vocabulary", lambda: Vocabulary(json.loads(raw)), lambda: json.loads(raw),
         wanted="about 1", runs=15)  # fmt: skip
