"""One command for many sites: each in a process of its own, a line a site, worst first."""

from __future__ import annotations

import glob
import json
import os
import subprocess
import sys
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output

#: Signs by which a name of a site file is a pattern for several.
_PATTERN = "*?["
#: What codes mean, gravest first: what could not run weighs more than findings.
_WORST = (2, 130, 1, 0)
_STATES = {0: "fine", 1: "findings", 2: "could not run", 130: "interrupted"}


@dataclass(frozen=True, slots=True)
class OfSite:
    """What came of one site: its exit code, its result as JSON (None for none), and what it said
    on standard error."""

    site: Path
    code: int
    result: Any
    said: str


def site_files(given: Sequence[str]) -> list[Path]:
    """The site files that are meant: names as they are, patterns as they match, folders as the site
    file in them. Raises UsageError for a pattern that matches none."""
    from jovial_atlas.place import NAME

    found: list[Path] = []
    for one in given:
        is_pattern = any(sign in one for sign in _PATTERN) and not Path(one).exists()
        places = sorted(map(Path, glob.glob(one, recursive=True))) if is_pattern else [Path(one)]  # noqa: PTH207
        if not places:
            raise click.UsageError(f"--site: no file is like {one}.")
        found += [place / NAME if place.is_dir() else place for place in places]
    return list(dict.fromkeys(found))


def is_one(given: Sequence[str]) -> bool:
    """Whether one site file is named, and no pattern."""
    return len(given) == 1 and (Path(given[0]).exists() or not any(s in given[0] for s in _PATTERN))


def own_arguments(typed: Sequence[str], command: click.Command) -> list[str]:
    """What was typed without the site files and the format, and with JSON for a format where the
    command has it."""
    kept: list[str] = []
    skips = False
    for one in typed:
        if skips or one.startswith(("--site=", "--format=")):
            skips = False
        elif one in ("--site", "--format"):
            skips = True
        else:
            kept.append(one)
    has_format = any(param.name == "format" for param in command.params)
    return [*kept, *(("--format", "json") if has_format else ())]


def for_many(out: Output, name: str, sites: Sequence[Path], arguments: Sequence[str]) -> int:
    """Run a command for each site, show a line a site, worst first; gives the worst exit code."""
    workers = max(1, os.cpu_count() or 1)
    with ThreadPoolExecutor(workers) as pool, out.progress(f"{name} of {len(sites)} sites") as bar:
        running = [pool.submit(_run, site, arguments) for site in sites]
        done = []
        for number, one in enumerate(running, start=1):
            done.append(one.result())
            if bar:
                bar(number, len(sites))
    done.sort(key=lambda one: (_WORST.index(one.code) if one.code in _WORST else 0, str(one.site)))
    code = done[0].code if done[0].code in _WORST else 2
    _show(out, name, done)
    return code


def _environment() -> dict[str, str]:
    """The environment without what would name site files again, in each of the processes."""
    return {name: value for name, value in os.environ.items() if name != "JOVIAL_ATLAS_SITE"}


def _run(site: Path, arguments: Sequence[str]) -> OfSite:
    ran = subprocess.run(  # noqa: S603 - this command itself, with what was typed
        [sys.executable, "-m", "jovial_atlas", "--site", str(site), *arguments],
        capture_output=True, text=True, check=False, stdin=subprocess.DEVNULL, env=_environment(),
    )  # fmt: skip
    try:
        result = json.loads(ran.stdout)
    except ValueError:
        result = None
    return OfSite(site, ran.returncode, result, ran.stderr.strip())


def _show(out: Output, name: str, done: Sequence[OfSite]) -> None:
    if out.format == "json":
        out.json({"sites": [
            {"site": str(one.site), "code": one.code, "result": one.result, "said": one.said}
            for one in done
        ]})  # fmt: skip
        return
    rows = [[_called(one.site), _STATES.get(one.code, str(one.code)), _line(name, one)]
            for one in done]  # fmt: skip
    if out.format == "csv":
        out.csv(("site", "state", "result"), rows)
        return
    out.table(["Site: address", "State", "Result: fold"], rows)
    worst = sum(one.code != 0 for one in done)
    out.say(f"{len(done):,} sites, {worst:,} of them not fine.")


def report_of_many(out: Output, sites: Sequence[Path], path: Path) -> int:
    """The report of each site beside its site file, and one page with a row a site, worst first.
    Gives the worst exit code."""
    from jovial_atlas.files import write_whole
    from jovial_atlas.report.sites import SiteRow, sites_page

    asked = (["next", "--format", "json"], ["review", "--whole", "--format", "json"])
    with ThreadPoolExecutor(max(1, os.cpu_count() or 1)) as pool:
        running = [
            [pool.submit(_run, site, words)
             for words in (["report", "--to", str(site.parent / _REPORT)], *asked)]
            for site in sites
        ]  # fmt: skip
        with out.progress(f"report of {len(sites)} sites") as bar:
            rows, codes = [], []
            for number, (site, of_site) in enumerate(zip(sites, running, strict=True), start=1):
                report, standing, review = (one.result() for one in of_site)
                codes.append(report.code)
                score = (review.result or {}).get("site", {}).get("score")
                whole = None if score is None else round(score)
                there = report.code == 0
                link = Path(os.path.relpath(site.parent / _REPORT, path.absolute().parent))
                trouble = "" if there else _said(report)
                rows.append(SiteRow(_called(site), link.as_posix() if there else "", whole,
                                    standing.result or {}, trouble))  # fmt: skip
                if bar:
                    bar(number, len(sites))
    write_whole(path, sites_page(rows))
    failed = sum(one != 0 for one in codes)
    also = f" {failed:,} could not be read; the page says why." if failed else ""
    out.say(f"The report of {len(sites):,} sites is {path}; open it in a browser.{also}")
    return next((code for code in _WORST if code in codes), 2)


#: Where the report of one site of many goes.
_REPORT = "report.html"


def _called(site: Path) -> str:
    from jovial_atlas.place import NAME

    return str(site.parent) if site.name == NAME else str(site)


def _line(name: str, one: OfSite) -> str:
    """What came of a site in a line."""
    if isinstance(one.result, dict) and name in _LINES:
        return _LINES[name](one.result)
    return _said(one)[:160]


def _said(one: OfSite) -> str:
    """What a command said on standard error, in a line."""
    return " ".join(one.said.split()).removeprefix("jovial-atlas: ")


def _survey(said: dict[str, Any]) -> str:
    changes = ", ".join(f"{count:,} {kind}" for kind, count in said["changes"].items() if count)
    hidden = " It hides itself." if said.get("hidden") else ""
    return f"{said['pages']:,} pages; {changes or 'nothing changed'}.{hidden}"


def _build(said: dict[str, Any]) -> str:
    changed = sum(one["state"] in ("new", "changed", "removed") for one in said["files"])
    hidden = " It hides itself." if said.get("hidden") else ""
    return f"{said['listed']:,} pages listed; {changed:,} files changed.{hidden}"


def _check(said: dict[str, Any]) -> str:
    counts = ", ".join(f"{count:,} {kind}" for kind, count in said["counts"].items() if count)
    worst = next(iter(said["findings"]), None)
    first = f"; {worst['code']}: {worst['message']}" if worst else ""
    return f"{counts or 'nothing found'}{first}"


def _status(said: dict[str, Any]) -> str:
    parts = []
    for engine in said["engines"]:
        found = [one["indexed"] for one in engine["sitemaps"] if one["indexed"] is not None]
        indexed = f"{max(found):,} indexed" if found else "nothing heard"
        parts.append(f"{engine['name']}: {indexed}")
    return "; ".join(parts) or "no engine"


def _review(said: dict[str, Any]) -> str:
    if "site" in said:
        score = said["site"]["score"]
        return "nothing to score" if score is None else f"{score:.0f} of 100"
    pages = said.get("pages", [])
    scores = [one["score"] for one in pages if one.get("score") is not None]
    return f"{len(pages):,} pages, {min(scores)} to {max(scores)} of 100" if scores else "no page"


def _next(said: dict[str, Any]) -> str:
    steps = said.get("steps", [])
    if not steps:
        return "nothing to do"
    more = f"; {len(steps) - 1:,} more" if len(steps) > 1 else ""
    return f"{steps[0]['command']}: {steps[0]['why']}{more}"


_LINES: dict[str, Callable[[dict[str, Any]], str]] = {
    "survey": _survey, "build": _build, "check": _check, "status": _status, "review": _review,
    "next": _next,
}  # fmt: skip
