"""Small things: whole processes beside a bare Click program that loads what they must load."""

from __future__ import annotations

import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

from benchmarks.build import command

_BARE = """
import click
{loads}

@click.group()
def main():
    "A bare program."

@main.command()
def one():
    "One command."

main()
"""
_PAGES = 100
_SITE = """
[site]
url = "https://www.marrowfen.example"

[[source]]
kind = "html"
path = "pages"

[[rule]]
reason = "Printed copies stand for nothing of their own"
match = "/print/**"
set = { listed = false }
"""
_PAGE = (
    "<!doctype html><html lang=en><title>Page {0}</title><main><h1>Page {0}</h1>"
    "<p>What is said of it in a sentence, {0} times.</p><a href=/1.html>first</a></main>"
)
#: What each command needs beside Click, and does.
_SMALL = (
    ("import polars, rich.table, selectolax.lexbor", ("explain", "/7.html")),
    ("import msgspec, rich.table", ("rules", "list")),
    ("import polars, rich.table", ("robots", "test", "/7.html")),
    ("import polars, rich.table", ("pages", "--limit", "5")),
)


def run(pair: Callable[..., float]) -> None:
    """Whole processes, in turn."""

    def bare(loads: str = "") -> Callable[[], object]:
        text = _BARE.format(loads=loads)
        given = [sys.executable, "-c", text, *(["one"] if loads else ["--help"])]
        return lambda: subprocess.run(given, check=True, capture_output=True)

    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)

        def ours(*arguments: str) -> Callable[[], object]:
            given = [sys.executable, "-m", "jovial_atlas", *arguments]
            return lambda: subprocess.run(given, cwd=folder, check=True, capture_output=True)

        pair("--help", ours("--help"), bare(), wanted="at most 2", runs=15)
        lay_out_pages(folder, _PAGES)
        command(folder, "survey", "--quiet")
        command(folder, "build", "--quiet")
        for loads, arguments in _SMALL:
            name = f"{' '.join(arguments)}, of {_PAGES} pages"
            pair(name, ours(*arguments), bare(loads), wanted="at most 2", runs=9)


def lay_out_pages(folder: Path, count: int) -> None:
    """A site of so many small pages."""
    (folder / "pages").mkdir(parents=True, exist_ok=True)
    (folder / "atlas.toml").write_text(_SITE)
    for number in range(1, count + 1):
        (folder / "pages" / f"{number}.html").write_text(_PAGE.format(number))
