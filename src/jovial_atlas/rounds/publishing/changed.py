"""Which pages changed in what is published of them, by what the build or the injection before
published: changes whose effect can be asked for later."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from functools import partial
from pathlib import Path
from typing import Any

import msgspec
import polars as pl

from jovial_atlas.errors import OutputError
from jovial_atlas.files import write_whole
from jovial_atlas.pages import snapshot
from jovial_atlas.rounds.publishing.injected import Injected, InjectState
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.names import AS_PUBLISHED, HEAD_DATA, MOVES_SEEN, PUT_LINKS
from jovial_atlas.rounds.state.traffic import page_figures
from jovial_atlas.sitefile import SiteFile

#: What is kept of each page → kind of event, and what changed in words.
_KINDS = {
    "title": ("title", "titles"),
    "description": ("description", "descriptions"),
    "data": ("data", "kinds of structured data"),
    "listed": ("listing", "whether they are in sitemaps"),
    "index": ("listing", "whether they may be indexed"),
}
_SCHEMA = {"loc": pl.String, "title": pl.String, "description": pl.String, "data": pl.String,
           "listed": pl.Boolean, "index": pl.Boolean, "line": pl.UInt64}  # fmt: skip
#: Of these, what a line of head data says; `line` is the key of it.
_OF_LINE = ("loc", "title", "description", "data")


class ChangedPages(msgspec.Struct, frozen=True):
    """Pages of which the same changed: the kind of event, what changed, and their addresses."""

    kind: str
    what: str
    locs: tuple[str, ...]


class FoundChanges(msgspec.Struct, frozen=True):
    """What changed of pages since it was looked at last, and what `keep` does."""

    changes: list[ChangedPages]
    keeping: Sequence[Callable[[], None]]

    def keep(self) -> None:
        """Remember what is published now, once the changes are noted. Raises OutputError."""
        for one in self.keeping:
            one()


def changed_pages(survey: LastSurvey) -> FoundChanges:
    """What the build that was just made publishes otherwise than the one before. Of sites that are
    too large for head data, the pages that engines show are looked at, as they stand in the page
    table: effects can be asked for these alone."""
    keeping: list[Callable[[], None]] = []
    found: list[ChangedPages] = []
    for host in survey.site.hosts:
        found += _of_host(survey.of_host(host), keeping)
    return FoundChanges(_joined(found), keeping)


def _of_host(survey: LastSurvey, keeping: list[Callable[[], None]]) -> Iterator[ChangedPages]:
    site = survey.site
    before = _known(site)
    if survey.count <= site.model.output.head_pages:
        now = kept = _published(survey, before)
    else:
        now = _shown(survey)
        if before is None:
            kept = now
        else:
            kept = pl.concat([now, before.join(now, on="loc", how="anti")]).sort("loc")
            # A page that engines did not show before was not looked at.
            now = now.join(before, on="loc", how="semi", maintain_order="left")
    if kept.height and (before is None or not before.equals(kept)):
        keeping.append(partial(snapshot.save, kept, site.state / AS_PUBLISHED))
    yield from _moved(site, keeping)
    if before is None:
        return
    both = now.join(before, on="loc", suffix="_before", maintain_order="left")
    for column, (kind, what) in _KINDS.items():
        differs = pl.col(column).ne_missing(pl.col(f"{column}_before"))
        # A page without head data was not looked at.
        known = pl.lit(True)
        if column in ("title", "description", "data"):
            known = pl.col("data").is_not_null() & pl.col("data_before").is_not_null()
        if column == "data":  # "" where nothing is known of it
            known &= (pl.col("data") != "") & (pl.col("data_before") != "")
        locs = both.filter(differs & known)["loc"].to_list()
        if locs:
            yield ChangedPages(kind, what, tuple(locs))


def _known(site: SiteFile) -> pl.DataFrame | None:
    try:
        before = snapshot.load(site.state / AS_PUBLISHED)
    except OutputError:
        return None
    if before is not None and "line" not in before.columns:
        before = before.with_columns(line=pl.lit(None, pl.UInt64))
    return before if before is not None and dict(before.schema) == _SCHEMA else None


class _PublishedHead(msgspec.Struct):
    """What is looked at in a line of head data."""

    loc: str
    title: str | None
    description: str | None
    json_ld: dict[str, Any] | None


def _published(survey: LastSurvey, before: pl.DataFrame | None) -> pl.DataFrame:
    """What head data says now; lines that are as they were `before` are not read again."""
    none = pl.DataFrame(schema=_SCHEMA)
    known = (none if before is None else before).select(*_OF_LINE, "line").drop_nulls("line")
    known, found = known.unique("line"), [none.select(*_OF_LINE, "line")]
    rows, shapes = [], _Shapes()
    decode = msgspec.json.Decoder(_PublishedHead).decode
    for some in _lines_of(survey.site.state / HEAD_DATA):
        lines = some.to_frame("text").with_columns(line=pl.col("text").hash(3))
        same = lines.join(known, on="line", how="inner", maintain_order="left")
        found.append(same.select(*_OF_LINE, "line"))
        fresh = lines.join(known, on="line", how="anti", maintain_order="left")
        for text, line in fresh.iter_rows():
            with suppress(ValueError, RecursionError):  # changed by hand since it was written
                head = decode(text)
                rows.append((head.loc, head.title, head.description, shapes.of(head.json_ld), line))
    read = pl.DataFrame(rows, orient="row", schema=found[0].schema)
    heads = pl.concat([*found, read])
    verdicts = survey.decided.select("loc", "listed", "index")
    joined = verdicts.join(heads.unique("loc"), on="loc", how="left", maintain_order="left")
    return joined.select(list(_SCHEMA)).sort("loc")


def _lines_of(folder: Path) -> Iterator[pl.Series]:
    """The lines of head data, some at a time."""
    for path in sorted(folder.glob("*.jsonl")):
        with path.open(encoding="utf-8", errors="replace", newline="\n") as stream:
            while lines := stream.readlines(_READ):
                yield pl.Series("text", lines, pl.String).str.strip_suffix("\n")


#: Signs of head data that are read together.
_READ = 16 << 20


def _shown(survey: LastSurvey) -> pl.DataFrame:
    """What the page table says of the pages that engines show; nothing of structured data."""
    figures = page_figures(survey.site)
    if figures is None:
        return pl.DataFrame(schema=_SCHEMA)
    pages = survey.decided_where(pl.col("loc").is_in(figures["loc"].implode()))
    table = pages.select("loc", "title", "description", pl.lit("").alias("data"), "listed", "index",
                         pl.lit(None, pl.UInt64).alias("line"))  # fmt: skip
    return table.collect(engine="streaming").sort("loc")


class _Shapes:
    """Which types and properties structured data has, as a digest: values change with every page,
    and most pages have what others have."""

    def __init__(self) -> None:
        self._known: dict[Any, str] = {}

    def of(self, data: Any) -> str:
        """The digest of some data."""
        outline = _outline(data)
        if (known := self._known.get(outline)) is None:
            written = json.dumps(_keys(data)).encode()
            known = self._known[outline] = hashlib.blake2b(written, digest_size=8).hexdigest()
        return known


def _outline(data: Any) -> Any:
    """Names and types in some data, in their order: where these are the same, so is the digest."""
    if type(data) is dict:
        return tuple([
            (key, str(one)) if key == "@type" else (key, _outline(one))
            if type(one) in _NESTING else key
            for key, one in data.items()
        ])  # fmt: skip
    if type(data) is list:
        return list, tuple([_outline(one) for one in data])
    return None


_NESTING = (dict, list)


def _keys(data: Any) -> Any:
    if isinstance(data, dict):
        return {key: one if key == "@type" else _keys(one) for key, one in sorted(data.items())}
    if isinstance(data, list):
        return sorted({json.dumps(_keys(one), sort_keys=True) for one in data})
    return None


def _moved(site: SiteFile, keeping: list[Callable[[], None]]) -> Iterator[ChangedPages]:
    """Where moves lead that were not there at the build before."""
    path = site.state / MOVES_SEEN
    now = {move.old: move.to for move in site.moves if move.to}
    before = _read(path)
    if before != now:
        keeping.append(partial(write_whole, path, (json.dumps(now) + "\n").encode()))
    if before is not None:
        fresh = sorted({to for old, to in now.items() if before.get(old) != to and "$" not in to})
        if fresh:
            yield ChangedPages("move", "addresses that lead there", tuple(fresh))


def changed_links(survey: LastSurvey, injected: Sequence[Injected]) -> FoundChanges:
    """Pages that links were put to which led not there before."""
    path = survey.site.state / PUT_LINKS
    before = _read(path)
    now: dict[str, Any] = dict(before or {})
    targets: set[str] = set()
    for one in injected:
        if one.state == InjectState.SKIPPED:
            continue
        had = set(now.get(one.loc, ()))
        targets |= {link.rpartition(": ")[2] for link in one.links if link not in had}
        now[one.loc] = list(one.links)
        if not one.links:
            del now[one.loc]
    text = json.dumps(now, ensure_ascii=False) + "\n"
    keeping = [partial(write_whole, path, text.encode())] if now != (before or {}) else []
    found = ChangedPages("links", "links put into texts", tuple(sorted(targets)))
    return FoundChanges([found] if targets else [], keeping)


def _read(path: Path) -> dict[str, Any] | None:
    try:
        found = json.loads(path.read_text("utf-8"))
    except (OSError, ValueError):
        return None
    return found if isinstance(found, dict) else None


def _joined(found: Sequence[ChangedPages]) -> list[ChangedPages]:
    """What changed on several hosts, as one."""
    joined: dict[tuple[str, str], list[str]] = {}
    for one in found:
        joined.setdefault((one.kind, one.what), []).extend(one.locs)
    return [ChangedPages(kind, what, tuple(locs)) for (kind, what), locs in joined.items()]
