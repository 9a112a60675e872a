"""Taking what an engine exports into the ledger, and keeping how its columns are called."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from jovial_atlas import addresses
from jovial_atlas.engines.exports import EXPORT_COLUMNS, NEEDED, ExportTable, header_of, read_export
from jovial_atlas.errors import AtlasError
from jovial_atlas.files import write_over
from jovial_atlas.ledger import Ledger, PageReport, SitemapReport
from jovial_atlas.sitefile import Engine, SiteFile
from jovial_atlas.sitefile.edit import set_export


@dataclass(frozen=True, slots=True)
class HeardTable:
    """What came of an export: its kind, rows taken, and rows about addresses of other sites."""

    kind: str
    rows: int
    elsewhere: int


def hear(
    site: SiteFile,
    engine: Engine,
    path: Path,
    ledger: Ledger,
    kind: str | None = None,
    columns: Mapping[str, str] | None = None,
) -> HeardTable:
    """Take an exported CSV into the ledger. Without `columns` the mapping that the site file keeps
    for this engine counts, by what fits; with them they are kept there. Raises AtlasError."""
    try:
        data = path.read_bytes()
    except OSError as error:
        raise AtlasError(f"{path} cannot be read ({error.strerror}).") from error
    given = dict(columns or {})
    try:
        header = header_of(data)
        kind, mapping = (kind, given) if kind else _fitting(engine, header)
        export = read_export(data, kind, mapping)
    except AtlasError as error:
        raise AtlasError(f"{path}: {error}") from None
    if given:
        before = site.path.read_bytes()
        text = set_export(before.decode("utf-8-sig"), engine.name, kind, given)
        write_over(site.path, before, text.encode())
    return _noted(export, engine, site, ledger)


def _fitting(engine: Engine, header: list[str]) -> tuple[str, dict[str, str]]:
    """The kind and mapping that fit the columns of a file: the one that names most of them."""
    have = {name.casefold() for name in header}
    known: list[tuple[str, dict[str, str]]] = [
        (one.kind, dict(one.columns)) for one in engine.exports
    ]
    known += [(kind, {}) for kind in EXPORT_COLUMNS]
    best: tuple[int, str, dict[str, str]] | None = None
    for kind, mapping in known:
        names = {ours: mapping.get(ours, ours).casefold() for ours in EXPORT_COLUMNS[kind]}
        fits = all(names[ours] in have for ours in NEEDED[kind])
        number = sum(name in have for name in names.values())
        if fits and (best is None or number > best[0]):
            best = (number, kind, mapping)
    if best is None:
        example = "--kind sitemaps --column loc='Sitemap' --column found='Discovered pages'"
        raise AtlasError(
            f"no mapping of {engine.name} fits its columns ({', '.join(header)}). Name them once: "
            f"{example}"
        )
    return best[1], best[2]


def _noted(export: ExportTable, engine: Engine, site: SiteFile, ledger: Ledger) -> HeardTable:
    url = site.model.site.url
    if export.kind == "reasons":
        reasons = {row["reason"]: row["pages"] or 0 for row in export.rows}
        ledger.note_reasons(engine.name, reasons)
        return HeardTable(export.kind, len(export.rows), 0)
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
    return HeardTable(export.kind, len(rows), elsewhere)
