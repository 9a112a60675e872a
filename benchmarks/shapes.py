"""Survey and build together, as whole processes, beside the script that an owner would write, on
the shapes that tables of pages really have.

Sizes may be set by BENCH_SHAPE_ROWS (200,000); BENCH_FULL=1 takes a million rows and three runs.
"""

from __future__ import annotations

import os
import shutil
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import time
from atexit import register
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path

import polars as pl

from benchmarks.build import command

_FULL = bool(os.environ.get("BENCH_FULL"))
_ROWS = int(os.environ.get("BENCH_SHAPE_ROWS", "1000000" if _FULL else "200000"))
_SITE = "https://www.marrowfen.example"
_N = pl.col("n")
_NAME = pl.format("a-species-of-the-marsh-number-{}-with-a-name", _N)
_DATE = pl.datetime(2020, 1, 1, time_zone="UTC") + pl.duration(minutes=_N % 2_000_000)
_DATED = 'columns = { lastmod = "changed" }'
#: So many times as fast as the script, on every shape and on the median.
_WANTED, _WANTED_MEDIAN = 10, 20


@dataclass(frozen=True)
class Shape:
    """A table: its columns, how addresses come of them ("-": the column loc holds them), what else
    the site file says, the kind of file, and tables beside it (name → columns), each of which has a
    row for so many of its own."""

    columns: Mapping[str, pl.Expr]
    template: str = "/species/{slug}/"
    more: str = ""
    ending: str = "parquet"
    keys: str = _DATED
    rows: int = field(default=_ROWS)
    beside: Mapping[str, tuple[int, Mapping[str, pl.Expr]]] = field(default_factory=dict)


_SLUG = {"slug": _NAME, "changed": _DATE}
_PICTURES = pl.concat_list(pl.format("/p/{}-a.jpg", _N), pl.format("/p/{}-b.jpg", _N))
_TEXTS = {
    "title": pl.format("Species number {} of the marsh", _N),
    "description": pl.format("What is known of species number {}, and where it may be seen.", _N),
}
_RULE = (
    '\n[[rule]]\nmatch = "/species/a-species-of-the-marsh-number-{0}1*/"\n'
    'set = {{ listed = false }}\nreason = "Number {0}"\n'
)
_SECTION = '\n[[section]]\nname = "part-{0}"\nmatch = "/part-{0}/**"\n'
_NOW = datetime.now(UTC).replace(microsecond=0)
_SECOND = '\n[[source]]\nkind = "table"\npath = "texts.csv"\n'
_TONGUES = ("en", "de", "fr", "es", "it")
_IN_FOLDERS = ", ".join(f'{one} = "/{one}/"' for one in _TONGUES)
_FOLDERS = f"\n[languages]\nfolders = {{ {_IN_FOLDERS} }}\n"
_TONGUE = pl.concat_list(pl.lit(one) for one in _TONGUES).list.get(_N % 5)

SHAPES: dict[str, Shape] = {
    "slug in a template": Shape(_SLUG),
    "path with slashes": Shape(
        {"path": pl.format("part-{}/group-{}/number-{}", _N % 50, _N % 1000, _N), "changed": _DATE},
        "/{path}/",
    ),
    "whole address": Shape(
        {"loc": pl.format(f"{_SITE}/species/{{}}/", _NAME), "changed": _DATE}, "-"
    ),
    "address with a query": Shape(
        {"loc": pl.format(f"{_SITE}/show?species={{}}&view=full", _N), "changed": _DATE}, "-"
    ),
    "address beyond ASCII": Shape(
        {"loc": pl.format(f"{_SITE}/виды/птица-номер-{{}}/", _N), "changed": _DATE}, "-"
    ),
    "path beyond ASCII": Shape(
        {"path": pl.format("виды/птица-номер-{}", _N), "changed": _DATE}, "/{path}/"
    ),
    "escaped address": Shape(
        {"loc": pl.format(f"{_SITE}/%D0%B2/%d0%bf%d1%82-{{}}/", _N), "changed": _DATE}, "-"
    ),
    "texts and two pictures": Shape({**_SLUG, **_TEXTS, "images": _PICTURES}),
    "one picture": Shape({**_SLUG, "images": pl.format("/p/{}.jpg", _N)}),
    "tags and dates as text": Shape(
        {"slug": _NAME, "changed": _DATE.dt.strftime("%Y-%m-%d %H:%M:%S+00:00"),
         "tags": pl.format("birds;water;t{}", _N % 50)},
    ),
    "dates as mail writes them": Shape(
        {"slug": _NAME, "changed": _DATE.dt.strftime("%a, %d %b %Y %H:%M:%S GMT")}
    ),
    "ten sections": Shape(
        {"path": pl.format("part-{}/number-{}", _N % 10, _N), "changed": _DATE}, "/{path}/",
        "".join(map(_SECTION.format, range(10))),
    ),
    "fifty rules": Shape(_SLUG, more="".join(map(_RULE.format, range(100, 150)))),
    "five languages": Shape(
        {"loc": pl.format(f"{_SITE}/{{}}/species/{{}}/", _TONGUE, _N // 5), "changed": _DATE}, "-",
        _FOLDERS,
    ),
    "CSV": Shape(
        {"slug": _NAME, "changed": _DATE.dt.strftime("%Y-%m-%d")}, ending="csv"
    ),
    "JSON Lines": Shape(
        {"slug": _NAME, "changed": _DATE.dt.strftime("%Y-%m-%d")}, ending="jsonl"
    ),
    "mixed addresses": Shape(
        {"loc": pl.when(_N % 5 == 0).then(pl.format("/plain/{}/", _N))
         .when(_N % 5 == 1).then(pl.format(f"{_SITE}/виды/птица-{{}}/", _N))
         .when(_N % 5 == 2).then(pl.format("https://WWW.Marrowfen.example/show?id={}&for=ü", _N))
         .when(_N % 5 == 3).then(pl.format(f"{_SITE}/%d0%bf/a%20b-{{}}/", _N))
         .otherwise(pl.format("/from/./here/../{}/", _N)), "changed": _DATE.dt.date()}, "-"
    ),
    "CSV with quotes": Shape(
        {"slug": _NAME, "title": pl.format('The "great" one, number {}', _N),
         "price": _N % 100 / 10, "description": pl.format("Two lines,\nof number {}", _N),
         "images": pl.format("/p/{}-a.jpg;/p/{}-b.jpg", _N, _N),
         "changed": _DATE.dt.strftime("%Y-%m-%d")}, ending="csv"
    ),
    "JSON Lines with values within": Shape(
        {"slug": _NAME, "changed": _DATE.dt.strftime("%Y-%m-%dT%H:%M:%S+01:00"),
         "tags": pl.concat_list(pl.lit("birds"), pl.format("t{}", _N % 50)),
         "place": pl.struct(row=_N, column=_N % 9 / 2)}, ending="jsonl"
    ),
    "versions that pages name": Shape(
        {"loc": pl.format(f"{_SITE}/{{}}/species/{{}}/", _TONGUE, _N // 5), "changed": _DATE,
         "alternates": pl.concat_list(
            pl.struct(lang=pl.lit(one), href=pl.format(f"{_SITE}/{one}/species/{{}}/", _N // 5))
            for one in _TONGUES)}, "-", rows=_ROWS // 4,
    ),
    "SQLite": Shape({"slug": _NAME, "changed": _DATE.dt.strftime("%Y-%m-%d")}, ending="db"),
    "PostgreSQL": Shape({"slug": _NAME, "changed": _DATE}, ending="postgresql"),
    "videos": Shape(
        {**_SLUG, "videos": pl.struct(
            **_TEXTS, content=pl.format("/films/{}.mp4", _N), thumbnail=pl.format("/p/{}.jpg", _N)
        )}, more="\n[output]\nhead_pages = 0\n", rows=_ROWS // 4,
    ),
    "news": Shape(
        {"slug": _NAME, **_TEXTS, "published": pl.lit(_NOW) - pl.duration(minutes=_N)},
        keys="", more='\n[[section]]\nname = "notes"\nmatch = "/species/**"\nnews = true\n',
    ),
    "overrides": Shape(
        _SLUG, more='\n[overrides]\nfile = "overrides.csv"\n',
        beside={"overrides.csv": (
            10, {"loc": pl.format(f"{_SITE}/species/{{}}/", _NAME), "listed": pl.lit("no"),
                 "reason": pl.lit("not ready")},
        )},
    ),
    "mixed: texts in a second table": Shape(
        _SLUG, more=_SECOND,
        beside={"texts.csv": (
            1, {"loc": pl.format(f"{_SITE}/species/{{}}/", _NAME), "title": _TEXTS["title"],
                "tags": pl.format("birds;t{}", _N % 50)},
        )},
    ),
}  # fmt: skip


def run(_pair: Callable[..., float]) -> None:
    """Every shape, and the median of them."""
    asked = os.environ.get("BENCH_SHAPES", "")
    ratios = [_one(name, shape) for name, shape in SHAPES.items() if asked in name]
    print(
        f"{'survey and build, every shape':<44} slowest {min(ratios):.1f} times the script, "
        f"wanted: {_WANTED}; median {statistics.median(ratios):.1f}, wanted: {_WANTED_MEDIAN}",
        flush=True,
    )


def _one(name: str, shape: Shape) -> float:
    """How many times as fast as the script a shape is worked on."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        try:
            _lay_out(folder, shape)
        except FileNotFoundError as error:
            raise SystemExit(f"{name}: {error} is missing; on Debian: postgresql") from None
        target = folder / "script"
        target.mkdir()
        script = Path(__file__).with_name("plain_shapes.py")
        mine, theirs, peak = [], [], 0.0
        for _ in range(3 if _FULL else 1):
            shutil.rmtree(folder / ".jovial-atlas", ignore_errors=True)
            shutil.rmtree(folder / "public", ignore_errors=True)
            began = time.perf_counter()
            peak = max(peak, *(command(folder, one, "--quiet") for one in ("survey", "build")))
            mine.append(time.perf_counter() - began)
            began = time.perf_counter()
            subprocess.run(
                [sys.executable, script, f"t.{shape.ending}", target, shape.template],
                cwd=folder, check=True,
            )  # fmt: skip
            theirs.append(time.perf_counter() - began)
        ratios = [other / one for one, other in zip(mine, theirs, strict=True)]
        ratio = statistics.median(ratios)
        print(
            f"{f'{shape.rows:,} rows, {name}':<44} {statistics.median(mine):8.3f} s  "
            f"script   {statistics.median(theirs):8.3f} s  {ratio:6.1f} times as fast "
            f"({min(ratios):.1f} to {max(ratios):.1f})  peak {peak:.2f} GiB",
            flush=True,
        )
        return ratio


def _lay_out(folder: Path, shape: Shape) -> None:
    numbers = pl.select(n=pl.int_range(shape.rows)).lazy()
    table = numbers.select(**shape.columns)
    file = folder / f"t.{shape.ending}"
    kind, place = "table", f'path = "{file.name}"'
    if shape.ending == "parquet":
        table.sink_parquet(file)
    elif shape.ending == "csv":
        table.sink_csv(file)
    elif shape.ending == "jsonl":
        table.sink_ndjson(file)
    elif shape.ending == "postgresql":
        kind, place = "sql", _in_postgresql(table.collect(), folder)
    else:
        rows = table.collect()
        with sqlite3.connect(file) as base:
            base.execute(f"create table pages ({', '.join(rows.columns)})")
            marks = ", ".join("?" * rows.width)
            base.executemany(f"insert into pages values ({marks})", rows.iter_rows())
        kind, place = "sql", f'connect = "sqlite:///{file.name}"\nquery = "select * from pages"'
    for name, (each, columns) in shape.beside.items():
        numbers.filter(_N % each == 0).select(**columns).sink_csv(folder / name)
    template = "" if shape.template == "-" else f'url = "{shape.template}"\n'
    (folder / "atlas.toml").write_text(
        f'[site]\nurl = "{_SITE}"\n\n[[source]]\nkind = "{kind}"\n{place}\n{template}{shape.keys}\n'
        f"{shape.more}"
    )


def _in_postgresql(rows: pl.DataFrame, folder: Path) -> str:
    """Put rows into a database of their own, in a cluster that ends with this process; gives the
    keys of the source."""
    programs = sorted(Path("/usr/lib/postgresql").glob("*/bin"))
    if not programs:
        raise FileNotFoundError("/usr/lib/postgresql")
    place = Path(tempfile.mkdtemp(prefix="bench-"))
    as_user: list[str] = []
    if os.geteuid() == 0:
        shutil.chown(place, "postgres")
        as_user = ["setpriv", "--reuid=postgres", "--regid=postgres", "--clear-groups"]

    def run(program: str, *arguments: str, given: bytes | None = None) -> None:
        command = [*as_user, str(programs[-1] / program), *arguments]
        subprocess.run(command, check=True, cwd=place, input=given, capture_output=True)

    data = ("-D", f"{place}/data")
    run("initdb", *data, "-U", "postgres", "--auth=trust")
    run("pg_ctl", *data, "-w", "-l", f"{place}/log",
        "-o", f"-c listen_addresses= -k {place}", "start")  # fmt: skip

    def end() -> None:
        run("pg_ctl", *data, "-m", "immediate", "stop")
        shutil.rmtree(place, ignore_errors=True)

    register(end)
    names = ", ".join(f"{name} {_SQL[kind.base_type()]}" for name, kind in rows.schema.items())
    sql = ("-h", str(place), "-U", "postgres", "-q", "-c")
    run("psql", *sql, f"create table pages ({names})")
    run(
        "psql",
        *sql,
        "copy pages from stdin csv",
        given=rows.write_csv(include_header=False).encode(),
    )
    address = f"postgresql://postgres@/postgres?host={place}"
    (folder / "t.postgresql").write_text(address)
    return f'connect = "{address}"\nquery = "select * from pages"'


_SQL = {pl.String: "text", pl.Datetime: "timestamptz"}
