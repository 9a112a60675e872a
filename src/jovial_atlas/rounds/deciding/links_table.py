"""The table of proposed links, as the owner chooses from it; and what was taken."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable
from pathlib import Path

from jovial_atlas.errors import AtlasError, SiteFileError
from jovial_atlas.files import write_whole
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.cells import as_cell
from jovial_atlas.sitefile.link_table import (
    PROPOSAL_COLUMNS,
    TakenLink,
    accepted_rows,
    link_table_text,
)
from jovial_atlas.sitefile.tables import given_text

#: A proposal: from, to, words, sentence, why, score.
ProposedRow = tuple[str, str, str | None, str, str, float]


def write_proposals(proposals: Iterable[ProposedRow], path: Path) -> int:
    """Write a table to choose from, an empty cell under `accept` in each row. Gives the number of
    rows. Raises AtlasError where there is nothing to choose, OutputError."""
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\r\n")
    writer.writerow(PROPOSAL_COLUMNS)
    count = 0
    for source, target, words, sentence, why, score in proposals:
        cells = [source, target, words or "", sentence, why]
        writer.writerow([*map(as_cell, cells), f"{score:.2f}", "", ""])
        count += 1
    if not count:
        raise AtlasError("No link is proposed, so there is nothing to choose.")
    # Spreadsheets know UTF-8 by this.
    write_whole(path, ("\ufeff" + stream.getvalue()).encode())
    return count


def take_proposals(site: SiteFile, path: Path) -> list[TakenLink]:
    """Take the rows of an edited table that are accepted into the table of links; those that were
    taken before and are no longer accepted go. Gives what was taken. Raises SiteFileError for rows
    that are wrong, and then takes none; AtlasError where the site file names no table."""
    if not site.model.links.file:
        raise AtlasError('[links] names no table: set file = "links.csv".')
    urls = [host.model.site.url for host in site.hosts]
    taken, passed, problems = accepted_rows(given_text(path), path, urls)
    if problems:
        raise SiteFileError(str(path), problems)
    seen = {(one.loc, one.to) for one in (*taken, *passed)}
    kept = [one for one in site.taken_links if (one.loc, one.to) not in seen]
    text = link_table_text([*kept, *taken])
    write_whole(site.folder / site.model.links.file, text.encode())
    return taken
