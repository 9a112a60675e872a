"""Writing head data into built HTML pages, and taking it out again."""

from __future__ import annotations

import difflib
import os
import re
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import polars as pl

from jovial_atlas import patterns
from jovial_atlas.errors import AtlasError
from jovial_atlas.files import write_whole
from jovial_atlas.head.compose import head_data
from jovial_atlas.head.tags import head_tags
from jovial_atlas.head.texts import check_patterns
from jovial_atlas.markup import Tag, inject, restore
from jovial_atlas.rounds.build.listing import versions_of
from jovial_atlas.rounds.last import LastSurvey
from jovial_atlas.rules.selectors import path_column
from jovial_atlas.sitefile import HtmlSource, SiteFile

_CHARSET = re.compile(rb"<meta[^>]+charset\s*=\s*[\"']?\s*([A-Za-z0-9_.:-]+)", re.I)


_PACKED = re.compile(r"(<!-- /head data) \S+ -->")


@dataclass(frozen=True, slots=True)
class Injected:
    """What became of one file: `state` is changed, same, or skipped (then `why` says so); `diff`
    shows the lines that differ, where it was asked for."""

    path: str
    loc: str
    state: str
    why: str = ""
    diff: str = ""


def run_inject(
    site: SiteFile,
    survey: LastSurvey,
    *,
    match: str | None = None,
    remove: bool = False,
    dry_run: bool = False,
    diffs: int = 0,
) -> Iterator[Injected]:
    """Write the head of each page of the last survey that is a file of an HTML folder, or with
    `remove` take it out again. The time of a file stays, since its content does. The first `diffs`
    changes are shown line by line. Raises AtlasError and SiteFileError before anything is written.
    """
    check_patterns(site)
    sources = {
        one.name or one.path: one for one in site.model.source if isinstance(one, HtmlSource)
    }
    if not sources:
        raise AtlasError("No [[source]] of kind html: there is no page to write into.")
    pages = survey.decided.filter(
        pl.col("source").is_in(list(sources)) & pl.col("kind").is_in(["page", "error"])
    )
    if match:
        try:
            expression = patterns.to_regex(match)
        except ValueError as error:
            raise AtlasError(f"--match: {error}.") from None
        pages = pages.filter(pages.select(path_column(site))["_path"].str.contains(expression))
    versions = dict(
        versions_of(survey.lazy.filter("listed"), site).select("loc", "alternates").iter_rows()
    )
    for page in pages.sort("path").iter_rows(named=True):
        place = site.folder / sources[page["source"]].path / page["path"]
        tags = []
        if not remove:
            head = head_data(page, site, survey.films.get(page["loc"], ()))
            tags = head_tags(head, page, site, versions.get(page["loc"], ()))
        yield _written(place, page, tags, dry_run=dry_run, diff=diffs > 0)
        diffs -= 1


def _written(
    place: Path, page: dict[str, object], tags: list[Tag], *, dry_run: bool, diff: bool
) -> Injected:
    path, loc = str(page["path"]), str(page["loc"])
    try:
        about = place.stat()
        data = place.read_bytes()
    except OSError as error:
        return Injected(path, loc, "skipped", f"it cannot be read ({error.strerror})")
    new = inject(data, tags, _encoding(data)) if tags else restore(data)
    if new is None:
        return Injected(path, loc, "skipped", "it has no head that could take tags")
    if new == data:
        return Injected(path, loc, "same")
    shown = _difference(data, new, path) if diff else ""
    if not dry_run:
        write_whole(place, new)
        place.chmod(about.st_mode & 0o777)
        os.utime(place, ns=(about.st_atime_ns, about.st_mtime_ns))
    return Injected(path, loc, "changed", diff=shown)


def _encoding(data: bytes) -> str:
    """The encoding in which text is written into a file: its own, or ASCII where that is not
    known, with character references for all else."""
    declared = _CHARSET.search(data[:2048])
    label = declared[1].decode("ascii").lower() if declared else "ascii"
    label = "windows-1252" if label in ("iso-8859-1", "latin1") else label
    try:
        "é".encode(label, "xmlcharrefreplace")
        return label if "<".encode(label) == b"<" else "ascii"
    except LookupError:
        return "ascii"


def _difference(before: bytes, after: bytes, path: str) -> str:
    old, new = (one.decode("utf-8", "replace").splitlines() for one in (before, after))
    # What the last comment of the block keeps is packed; nobody reads it.
    new = [_PACKED.sub(r"\1 … -->", line) for line in new]
    old = [_PACKED.sub(r"\1 … -->", line) for line in old]
    return "\n".join(difflib.unified_diff(old, new, path, path, lineterm="", n=1))
