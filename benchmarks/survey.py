"""Surveys against bare loops: a folder of real pages, the same again unchanged, and a table
of ten million rows.

The pages are copies of Debian's documentation packages, which must be installed.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import polars as pl
from selectolax.lexbor import LexborHTMLParser

from benchmarks.build import command
from benchmarks.start import lay_out_pages

#: Documentation as Debian installs it: of three kinds of makers, with pages short and long.
_REAL = {
    "postgresql-doc-15": "/usr/share/doc/postgresql-doc-15/html",
    "python3-doc": "/usr/share/doc/python3.11/html",
    "git-doc": "/usr/share/doc/git/html",
}
_FULL = bool(os.environ.get("BENCH_FULL"))
_PAGES = int(os.environ.get("BENCH_PAGES", "10000" if _FULL else "2400"))
_ROWS = int(os.environ.get("BENCH_ROWS", "10000000" if _FULL else "2000000"))
_HEAD = '[site]\nurl = "https://www.marrowfen.example"\n\n'


def run(pair: Callable[..., float]) -> None:
    """Whole processes on a real folder and a real table."""
    with tempfile.TemporaryDirectory() as place:
        _small(Path(place) / "small", pair)
        _documentation(Path(place) / "folder", pair)
        _table(Path(place) / "table", pair)


def _survey(folder: Path, *arguments: str) -> float:
    return command(folder, "survey", "--quiet", *arguments)


def _documentation(folder: Path, pair: Callable[..., float]) -> None:
    for place, what in lay_out_documentation(folder, _PAGES):
        pair(f"first survey, {what}", lambda place=place: _survey(place, "--full"),
             lambda place=place: _bare_loop(place / "public"), wanted="at most 1",
             runs=3)  # fmt: skip
        pair("the same again, nothing changed", lambda place=place: _survey(place),
             lambda place=place: _survey(place, "--full"), wanted="at most 0.067",
             runs=3)  # fmt: skip


def lay_out_documentation(folder: Path, pages: int) -> Iterator[tuple[Path, str]]:
    """A site of each kind of documentation that is installed, so often that all together have so
    many pages, of which none has the text of another; and what it is."""
    sources = {name: Path(one) for name, one in _REAL.items() if Path(one).is_dir()}
    if len(sources) < 2:
        raise SystemExit("Install python3-doc, postgresql-doc-15 and git-doc for this benchmark.")
    for name, source in sources.items():
        public = folder / name / "public"
        public.mkdir(parents=True)
        count = size = copies = 0
        while count < pages // len(sources):
            copies += 1
            for page in source.rglob("*.html"):
                target = public / str(copies) / page.relative_to(source)
                target.parent.mkdir(parents=True, exist_ok=True)
                target.write_bytes(_edition(page.read_bytes(), copies))
                count, size = count + 1, size + page.stat().st_size
        site = f'{_HEAD}[[source]]\nkind = "html"\npath = "public"\n'
        (folder / name / "atlas.toml").write_text(site)
        yield folder / name, f"{count:,} pages of {name}, {size / 1e6:.0f} MB"


def _edition(data: bytes, number: int) -> bytes:
    """A page that says which edition it is: pages of the same text are one page."""
    place = data.find(b"<p>") + 3
    place = place if place > 2 else data.find(b"</body>")
    return data[:place] + b"Edition %d. " % number + data[place:]


def _small(folder: Path, pair: Callable[..., float]) -> None:
    for count, seconds in ((100, 1), (1_000, 2)):
        lay_out_pages(folder / str(count), count)
        pair(
            f"survey of {count:,} small pages, against {seconds} s",
            lambda count=count: _survey(folder / str(count), "--full"),
            lambda seconds=seconds: time.sleep(seconds), wanted="below 1", runs=5,
        )  # fmt: skip


def _bare_loop(folder: Path) -> int:
    """One core: parse, and collect title, meta and links."""
    found = []
    for path in sorted(folder.rglob("*.html")):
        tree = LexborHTMLParser(path.read_bytes())
        title = tree.css_first("title")
        metas = [node.attributes.get("content") for node in tree.css("meta[name]")]
        links = [node.attributes.get("href") for node in tree.css("a[href]")]
        found.append((title.text() if title else None, metas, links))
    return len(found)


def _table(folder: Path, pair: Callable[..., float]) -> None:
    folder.mkdir()
    number = pl.int_range(_ROWS)
    pl.select(number.alias("n")).lazy().select(
        slug=pl.format("species-{}-of-the-marsh", "n"),
        common_name=pl.format("Species number {}", "n"),
        changed=(pl.date(2020, 1, 1) + pl.duration(days=pl.col("n") % 2_000)).cast(pl.Date),
        legs=pl.col("n") % 9,
    ).sink_parquet(folder / "species.parquet")
    (folder / "atlas.toml").write_text(
        f'{_HEAD}[[source]]\nkind = "table"\npath = "species.parquet"\nurl = "/species/{{slug}}/"\n'
        'columns = { title = "common_name", lastmod = "changed" }\n\n'
        '[[section]]\nname = "species"\nmatch = "/species/**"\n\n'
        '[[rule]]\nwhen = "extra.legs = 0"\nset = { listed = false }\n'
    )
    bare = "import polars as pl; pl.read_parquet('species.parquet').write_parquet('out.parquet')"

    pair(
        f"survey of {_ROWS:,} rows of Parquet", lambda: _survey(folder),
        lambda: subprocess.run([sys.executable, "-c", bare], cwd=folder, check=True),
        wanted="at most 4", runs=3,
        ready=lambda: shutil.rmtree(folder / ".jovial-atlas", ignore_errors=True),
    )  # fmt: skip
