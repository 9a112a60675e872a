"""Taking what an engine exports into the ledger, or to what is kept of clicks, and keeping how its
columns are called."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from jovial_atlas import addresses
from jovial_atlas.engines.exports import (
    EXPORT_COLUMNS,
    NEEDED,
    ExportTable,
    export_rows,
    read_export,
)
from jovial_atlas.errors import AtlasError
from jovial_atlas.files import write_over
from jovial_atlas.ledger import Ledger, PageReport, SitemapReport
from jovial_atlas.rounds.state.traffic import keep_figures, traffic_of
from jovial_atlas.sitefile import Engine, SiteFile
from jovial_atlas.sitefile.edit import set_export
from jovial_atlas.traffic.columns import ROW_MEASURES, TABLE_PARTS, guessed_columns, is_performance
from jovial_atlas.traffic.hearing import HeardPerformance, Period, hear_performance
from jovial_atlas.traffic.reading import TableFile, tables_of

#: Kinds of table, with the columns that each may have.
PERFORMANCE = "performance"
HEARD_KINDS: Mapping[str, tuple[str, ...]] = {
    **EXPORT_COLUMNS, PERFORMANCE: (*TABLE_PARTS, *ROW_MEASURES),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class HowToHear:
    """How a table is to be taken: of which kind it is ("" to see by its columns), our columns →
    its headings where they are said, which days it tells of where it has none, and whether what
    it says of its days replaces what was known of them."""

    kind: str = ""
    columns: Mapping[str, str] = field(default_factory=dict)
    period: Period | None = None
    replace: bool = False


@dataclass(frozen=True, slots=True)
class HeardTable:
    """What came of a table: its file (and sheet), its kind, rows taken, and rows about addresses of
    other sites; of performance what became of it, and which headings were taken for what without
    being told."""

    table: str
    kind: str
    rows: int
    elsewhere: int
    performance: HeardPerformance | None = None
    guessed: Mapping[str, str] = field(default_factory=dict)


def hear(
    site: SiteFile, engine: Engine, path: Path, ledger: Ledger, how: HowToHear | None = None
) -> list[HeardTable]:
    """Take an exported file: one table, or the sheets of a workbook that fit. Without `columns` the
    mapping that the site file keeps for this engine counts, by what fits; with them they are kept
    there. Raises AtlasError."""
    how = how or HowToHear()
    tables = tables_of(path)
    found: list[HeardTable] = []
    unfit: list[AtlasError] = []
    for table in tables:
        try:
            fit = _fitting(engine, table, how)
        except AtlasError as error:
            unfit.append(error)
            continue
        found.append(_taken(site, engine, table, fit, ledger, how))
    if not found:
        raise unfit[0] if unfit else AtlasError(f"{path} holds no table.")
    if how.columns:
        before = site.path.read_bytes()
        kind = found[0].kind
        text = set_export(before.decode("utf-8-sig"), engine.name, kind, dict(how.columns))
        write_over(site.path, before, text.encode())
    return found


def heard_figures(site: SiteFile, heard: Sequence[HeardTable]) -> None:
    """Work out the figures of pages anew, where any table told of clicks. Raises OutputError."""
    told = [one.performance for one in heard if one.performance]
    by_page = [one for one in told if "loc" in one.kind.parts]
    if told:
        keep_figures(site, is_cut=any(one.is_cut for one in by_page) if by_page else None)


@dataclass(frozen=True, slots=True)
class _Fit:
    """The kind of a table, our columns → its headings, and whether these were guessed."""

    kind: str
    columns: Mapping[str, str]
    is_guess: bool = False


def _fitting(engine: Engine, table: TableFile, how: HowToHear) -> _Fit:
    """The kind and mapping that fit a table: the one that names most of its columns; else what its
    headings say themselves. Raises AtlasError."""
    if how.kind and how.kind != PERFORMANCE:
        return _Fit(how.kind, how.columns)
    have = {name.casefold(): name for name in table.header}
    known: list[tuple[str, dict[str, str]]] = [
        (one.kind, dict(one.columns)) for one in engine.exports
    ]
    known += [(kind, {}) for kind in HEARD_KINDS]
    if how.kind:
        known = [(kind, dict(how.columns) or columns) for kind, columns in known
                 if kind == PERFORMANCE]  # fmt: skip
    best: tuple[int, _Fit] | None = None
    for kind, mapping in known:
        named = {ours: mapping.get(ours, ours) for ours in HEARD_KINDS[kind]}
        there = {
            ours: have[theirs.casefold()]
            for ours, theirs in named.items()
            if theirs.casefold() in have
        }
        if kind == PERFORMANCE:
            # What is named must be there: a column less would make another table of it.
            fits = is_performance(there) and set(mapping) <= set(there)
        else:
            fits = all(ours in there for ours in NEEDED[kind])
        if fits and (best is None or len(there) > best[0]):
            best = (len(there), _Fit(kind, there if kind == PERFORMANCE else mapping))
    guessed = guessed_columns(table.header)
    if best is None and not how.columns and is_performance(guessed):
        return _Fit(PERFORMANCE, guessed, is_guess=True)
    if best is None:
        raise AtlasError(_unfitting(engine, table, how))
    if best[1].kind == PERFORMANCE and not how.columns and len(guessed) > best[0]:
        more = {ours: theirs for ours, theirs in guessed.items() if ours not in best[1].columns}
        return _Fit(PERFORMANCE, {**best[1].columns, **more}, is_guess=True)
    return best[1]


def _unfitting(engine: Engine, table: TableFile, how: HowToHear) -> str:
    columns = ", ".join(table.header)
    missing = [theirs for theirs in how.columns.values()
               if theirs.casefold() not in {name.casefold() for name in table.header}]  # fmt: skip
    if missing:
        return f"{table.shown}: there is no column {missing[0]!r}; there are {columns}."
    example = "--kind performance --column loc='Page' --column date='Day' --column clicks='Clicks'"
    return (
        f"{table.shown}: no mapping of {engine.name} fits its columns ({columns}). Name them once: "
        f"{example}"
    )


def _taken(
    site: SiteFile, engine: Engine, table: TableFile, fit: _Fit, ledger: Ledger, how: HowToHear
) -> HeardTable:
    if fit.kind == PERFORMANCE:
        done = hear_performance(
            traffic_of(site), engine.name, table, fit.columns, site.urls, how.period,
            replace=how.replace,
        )  # fmt: skip
        guessed = fit.columns if fit.is_guess else {}
        return HeardTable(table.shown, fit.kind, done.rows, done.elsewhere, done, guessed)
    try:
        export = read_export(_rows(table), fit.kind, fit.columns)
    except AtlasError as error:
        raise AtlasError(f"{table.shown}: {error}") from None
    rows, elsewhere = _noted(export, engine, site, ledger)
    return HeardTable(table.shown, fit.kind, rows, elsewhere)


def _rows(table: TableFile) -> list[list[str]]:
    if table.is_text:
        return export_rows(table.path.read_bytes())
    rows = [row for one in table.pieces() for row in one.table.rows()]
    return [table.header, *([cell or "" for cell in row] for row in rows)]


def _noted(export: ExportTable, engine: Engine, site: SiteFile, ledger: Ledger) -> tuple[int, int]:
    """Rows that were noted in the ledger, and those about other sites."""
    url = site.model.site.url
    if export.kind == "reasons":
        reasons = {row["reason"]: row["pages"] or 0 for row in export.rows}
        ledger.note_reasons(engine.name, reasons)
        return len(export.rows), 0
    rows, elsewhere = [], 0
    for row in export.rows:
        given = row["loc"]
        try:
            loc = addresses.normalise(url + given if given.startswith("/") else given)
        except ValueError:
            elsewhere += 1
            continue
        if loc.startswith(f"{url}/"):
            rows.append({**row, "loc": loc})
        else:
            elsewhere += 1
    if export.kind == "sitemaps":
        ledger.note_reports(engine.name, [
            SitemapReport(row["loc"], row.get("last_read"), row.get("state") or "success",
                          row["found"], row.get("indexed"), {})
            for row in rows
        ])  # fmt: skip
    else:
        ledger.note_pages(engine.name, [
            PageReport(row["loc"], row.get("indexed"), row.get("reason") or "",
                       row.get("last_crawl"))
            for row in rows
        ])  # fmt: skip
    return len(rows), elsewhere
