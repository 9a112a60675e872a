"""A million pages, fifty rules and all policies, and the same rules by a plain Python loop."""

from __future__ import annotations

import random
import tempfile
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

import polars as pl

from jovial_atlas.rules import decide
from jovial_atlas.sitefile.read import parse_site_file

_PAGES, _RULES = 1_000_000, 50
_NOW = datetime(2026, 11, 23, tzinfo=UTC)
_SITE = "https://www.marrowfen.example"


def run(pair: Callable[..., float]) -> None:
    """Half of the rules select by address, half by columns. The loop applies what the rules say
    of `listed` alone, to a tenth of the pages."""
    chance = random.Random(1)
    words = [f"{word}-{number}" for word in ("notes", "shop", "walks") for number in range(20)]
    paths = [f"/{chance.choice(words)}/{chance.choice(words)}/{n}/" for n in range(_PAGES)]
    pages = pl.DataFrame(
        {
            "loc": [_SITE + path for path in paths],
            "words": [chance.randint(0, 900) for _ in paths],
            "entries": [chance.randint(0, 9) for _ in paths],
            "language": [chance.choice(("en", "de")) for _ in paths],
        }
    )
    chosen = [(words[n], n * 10) for n in range(_RULES)]
    rules = "".join(
        f'[[rule]]\nmatch = "/{name}/**"\nset = {{ listed = false, priority = 0.2 }}\n'
        if number % 2
        else f'[[rule]]\nlanguage = "de"\nwhen = "words < {least} and entries = 3"\n'
        "set = { listed = true }\n"
        for number, (name, least) in enumerate(chosen)
    )
    text = f'[site]\nurl = "{_SITE}"\n[[source]]\nkind = "html"\npath = "public"\n{rules}'
    with tempfile.TemporaryDirectory() as folder:
        site = parse_site_file(text, Path(folder) / "atlas.toml")
    from jovial_atlas.pages import schema

    table = schema.complete(schema.conform(pages.lazy())).with_columns(
        kind=pl.lit("page"), status=pl.lit(200, pl.Int16)
    )
    rows = list(zip(paths, *(pages[n] for n in ("words", "entries", "language")), strict=True))

    def plain() -> list[bool]:
        result = []
        for path, count, entries, language in rows[: _PAGES // 10]:
            listed = entries > 0 or not path.startswith("/tags/")
            for number, (name, least) in enumerate(chosen):
                if number % 2:
                    if path.startswith(f"/{name}/"):
                        listed = False
                elif language == "de" and count < least and entries == 3:
                    listed = True
            result.append(listed)
        return result

    def ours() -> pl.DataFrame:
        names = ("listed", "index", "priority", "reason")
        return decide(table, site, _NOW).select(names).collect()

    assert ours().head(_PAGES // 10)["listed"].to_list() == plain()
    pair(f"{_PAGES:,} pages, {_RULES} rules; a tenth", ours, plain, wanted="seconds", runs=3)
