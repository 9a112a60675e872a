"""The graph of a site's links from its page table: links in and out, depth, shares of visits;
beside a plain script with a dictionary of addresses, lists, and SciPy's own matrices."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import polars as pl
from scipy import sparse
from scipy.sparse import csgraph

from jovial_atlas.linking.columns import graph_of, link_columns
from jovial_atlas.pages import snapshot

_PAGES, _LINKS, _MENU = (1_000_000, 50, 20) if os.environ.get("BENCH_FULL") else (100_000, 20, 8)


def run(pair: Callable[..., float]) -> None:
    """A catalogue whose pages link to a menu and to others at random."""
    with tempfile.TemporaryDirectory() as place:
        path = Path(place) / "pages.parquet"
        lay_out(path)
        pair(
            f"graph of {_PAGES:,} pages, {_PAGES * _LINKS:,} links",
            lambda: ours(path),
            lambda: plain(path),
            wanted="below 1", runs=3,
        )  # fmt: skip
        code = f"from benchmarks.links import told; told({str(path)!r})"
        subprocess.run([sys.executable, "-c", code], check=True)


def lay_out(path: Path) -> None:
    rng = np.random.default_rng(1)
    names = [f"https://shop.example/goods/{n % 97}/item-{n:07d}/" for n in range(_PAGES)]
    locs = pl.Series("loc", names)
    parts = []
    for start in range(0, _PAGES, 50_000):
        count = min(50_000, _PAGES - start)
        targets = rng.integers(0, _PAGES, (count, _LINKS))
        targets[:, _LINKS - _MENU :] = np.arange(_MENU)
        rows = np.repeat(np.arange(count), _LINKS)
        links = locs.gather(targets.ravel()).to_frame("links").with_columns(row=rows)
        parts.append(
            links.group_by("row", maintain_order=True).agg("links").select(
                "links", loc=locs[start : start + count], kind=pl.lit("page"),
                entries=pl.lit(_LINKS - _MENU, pl.Int32), status=pl.lit(200, pl.Int16),
                redirect=pl.lit(None, pl.String),
            )
        )  # fmt: skip
    snapshot.sink(pl.concat(parts).lazy(), path)


def ours(path: Path) -> None:
    link_columns(graph_of(pl.scan_parquet(path)), [0])


def plain(path: Path) -> None:
    table = pl.read_parquet(path, columns=["loc", "links"])
    numbers = {loc: number for number, loc in enumerate(table["loc"])}
    rows, columns = [], []
    for number, links in enumerate(table["links"]):
        for link in links:
            to = numbers.get(link)
            if to is not None and to != number:
                rows.append(number)
                columns.append(to)
    count = len(numbers)
    matrix = sparse.csr_array((np.ones(len(rows)), (rows, columns)), shape=(count, count))
    out = np.diff(matrix.indptr)
    np.bincount(columns, minlength=count)
    csgraph.breadth_first_order(matrix, 0)
    back = matrix.T.tocsr()
    share = np.full(count, 1 / count)
    for _ in range(100):
        handed = np.divide(share, out, out=np.zeros(count), where=out > 0)
        new = 0.85 * (back @ handed) + 0.15 / count
        new += 0.85 * share[out == 0].sum() / count
        change = np.abs(new - share).sum()
        share = new
        if change < 1e-6:
            break


def told(path: str) -> None:
    ours(Path(path))
    # Not `ru_maxrss`, which counts what this process was started from.
    status = Path("/proc/self/status").read_text()
    peak = int(status.partition("VmHWM:")[2].split()[0]) / 1024**2
    print(f"{'its peak of memory':58} {peak:.2f} GiB  wanted: below 1", flush=True)
