"""The table of links that the owner took: which words of a page lead where."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from jovial_atlas import addresses
from jovial_atlas.errors import Problem
from jovial_atlas.sitefile.cells import as_cell, from_cell
from jovial_atlas.sitefile.tables import Tables, rows_and_problems, table_rows, table_text

LINK_TABLE_COLUMNS = ("loc", "to", "words", "reason")
#: Columns of a table of proposals beside these.
PROPOSAL_COLUMNS = (*LINK_TABLE_COLUMNS[:3], "sentence", "why", "score", "accept", "reason")
_YES = ("yes", "y", "true", "1", "x", "ja", "oui", "sí", "si", "sì")


@dataclass(frozen=True, slots=True)
class TakenLink:
    """A link that the owner took: the page that gets it, where it leads, the words that become the
    link, and why."""

    loc: str
    to: str
    words: str
    reason: str = ""
    line: int = field(default=0, compare=False)


def read_link_table(
    path: Path, urls: Sequence[str], tables: Tables = table_text
) -> tuple[TakenLink, ...]:
    """The rows of a table of links; none where there is no such file yet. `urls` are the origins of
    the site, the first for what is written from '/' on. Raises SiteFileError with every problem."""
    read = table_rows(
        tables(path), path, LINK_TABLE_COLUMNS, lambda row, line: _row(row, line, urls)
    )
    return tuple(read)


def accepted_rows(
    text: str, path: Path, urls: Sequence[str]
) -> tuple[list[TakenLink], list[TakenLink], list[Problem]]:
    """Of an edited table of proposals the links that are accepted, those that are not, and the
    problems of rows that are wrong. Raises SiteFileError where its columns are."""
    columns = (*PROPOSAL_COLUMNS, "from")

    def read(row: dict[str, str], line: int) -> tuple[TakenLink, bool] | Problem:
        accepted = row.get("accept", "").strip().casefold() in _YES
        if not accepted and not row.get("words", "").strip():
            return TakenLink(row.get("loc", ""), row.get("to", ""), "", line=line), False
        one = _row(row, line, urls)
        return one if isinstance(one, Problem) else (one, accepted)

    rows, problems = rows_and_problems(text, path, columns, read)
    taken = [one for one, accepted in rows if accepted]
    return taken, [one for one, accepted in rows if not accepted], problems


def _row(row: dict[str, str], line: int, urls: Sequence[str]) -> TakenLink | Problem:
    cells = {name: from_cell(value.strip()) for name, value in row.items()}
    ends = []
    for name in ("loc", "to"):
        said = cells.get(name, "")
        try:
            ends.append(addresses.normalise(urls[0] + said if said.startswith("/") else said))
        except ValueError:
            what = f"{said!r} is no address" if said else "is missing"
            return Problem(line, name, what, f"{name} = /events/")
    if not any(ends[0].startswith(f"{url}/") for url in urls):
        return Problem(line, "loc", f"{ends[0]} is on another site", "a page of this one")
    if not any(map(str.isalnum, cells.get("words", ""))):
        what = "names no words to become the link; leave `accept` empty where there are none"
        return Problem(line, "words", what, "words = grey heron")
    return TakenLink(ends[0], ends[1], cells["words"], cells.get("reason", ""), line)


def link_table_text(links: Iterable[TakenLink]) -> str:
    """A table of links with these rows, sorted by page."""
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow(LINK_TABLE_COLUMNS)
    for one in sorted(links, key=lambda link: (link.loc, link.to, link.words)):
        writer.writerow([as_cell(cell) for cell in (one.loc, one.to, one.words, one.reason)])
    return stream.getvalue()
