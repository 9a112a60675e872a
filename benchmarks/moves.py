"""A table of 100,000 moves checked and written for servers, against a script that writes one map;
pages that went found again; logs read for what was asked for in vain."""

from __future__ import annotations

import csv
import re
import tempfile
from collections import Counter
from collections.abc import Callable
from pathlib import Path

import polars as pl

from jovial_atlas.logs.missing import count_missing
from jovial_atlas.logs.probing import probe_finder
from jovial_atlas.moves.apache import apache_tables
from jovial_atlas.moves.finding import KNOWN_AGAIN, found_moves
from jovial_atlas.moves.hops import hops_of
from jovial_atlas.moves.nginx import nginx_moves_http
from jovial_atlas.moves.resolving import MoveMap
from jovial_atlas.sitefile.move_table import move_rows

_URL = "https://www.marrowfen.example"
_MOVES, _PAGES, _LINES = 100_000, 200_000, 2_000_000
_PLAIN = re.compile(rb'^(\S+) \S+ \S+ \[([^\]]+)\] "(\S+) (\S+)[^"]*" (\d+) ', re.M)


def run(pair: Callable[..., float]) -> None:
    """Three pairs."""
    with tempfile.TemporaryDirectory() as name:
        _table(pair, Path(name))
        _finding(pair)
        _missing(pair, Path(name) / "access.log")


def _table(pair: Callable[..., float], folder: Path) -> None:
    rows = [f"/old/{n}-heron/,/new/{n}-reiher/,301" for n in range(_MOVES)]
    rows += [f"/f{n}/**,/g{n}/$1," for n in range(20)]
    text = "from,to,status\n" + "\n".join(rows) + "\n"

    def ours() -> None:
        moves, _ = move_rows(text, folder, [_URL])
        hops = hops_of(_URL, MoveMap(moves), {})
        (folder / "nginx").write_text("\n".join(nginx_moves_http(hops)[0]))
        for number, (_, data) in enumerate(apache_tables(hops)):
            (folder / f"apache-{number}").write_bytes(data)

    def plain() -> None:
        """Reads the rows and writes one map, with no look at chains, circles or letters."""
        table = csv.DictReader(text.splitlines())
        lines = [f'"{row["from"]}" "{_URL}{row["to"]}";' for row in table]
        (folder / "plain").write_text("\n".join(lines))

    pair(f"{_MOVES:,} moves read and written", ours, plain, wanted="-", runs=3)


def _finding(pair: Callable[..., float]) -> None:
    def pages(folder: str) -> pl.DataFrame:
        rows = pl.DataFrame({"n": range(_PAGES)}).select(
            loc=pl.format(f"{_URL}/{folder}/{{}}-heron/", "n"),
            fingerprint=pl.format("{}f", pl.col("n") * 7),
            title=pl.format("Heron {}", pl.col("n")),
        )
        more = [pl.lit(None, kind).alias(n) for n, kind in KNOWN_AGAIN.items() if n not in rows]
        return rows.with_columns(more).select(list(KNOWN_AGAIN))

    gone, here = pages("blog"), pages("notes")

    def ours() -> None:
        assert len(found_moves(gone, here)) == 1

    def plain() -> None:
        """Finds equal texts, and nothing else."""
        there = dict(here.select("fingerprint", "loc").iter_rows())
        rows = gone.select("fingerprint", "loc").iter_rows()
        assert len([(loc, there[mark]) for mark, loc in rows if mark in there]) == _PAGES

    pair(f"{_PAGES:,} pages found again", ours, plain, wanted="-", runs=3)


def _missing(pair: Callable[..., float], place: Path) -> None:
    with place.open("w") as stream:
        for n in range(_LINES):
            status = 404 if n % 20 == 0 else 200
            stream.write(
                f'192.0.2.{n % 250} - - [23/Nov/2026:10:{n // 60 % 60:02}:{n % 60:02} +0000] '
                f'"GET /species/entry-{n % 4_000}/ HTTP/1.1" {status} 5120 "-" "Mozilla/5.0"\n'
            )

    def ours() -> None:
        is_probe = probe_finder((), lambda _path: False)
        with place.open("rb") as stream:
            assert count_missing([stream], (), is_probe).lines == _LINES

    def plain() -> None:
        seen: Counter[bytes] = Counter()
        with place.open("rb") as stream:
            for line in stream:
                match = _PLAIN.match(line)
                if match and match[5] == b"404":
                    seen[match[4]] += 1

    pair(f"{_LINES:,} log lines, 1 in 20 in vain", ours, plain, wanted="-", runs=3)
