"""The ledger as open files: one JSON Lines file a table, and `ledger.json` that says what they are.

So a record moves from a file to a server, to another machine, or into any other tool.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from sqlalchemy import Table, func, insert, select, text

from jovial_atlas import foreign
from jovial_atlas.errors import LedgerError
from jovial_atlas.files import make_folder, write_lines, write_whole
from jovial_atlas.ledger.store import Store
from jovial_atlas.ledger.tables import TABLES, VERSION

_ABOUT = "ledger.json"
_ROWS = 10_000


class Carrying(Store):
    """The part of the ledger that takes it elsewhere."""

    def carry_out(self, folder: Path) -> dict[str, int]:
        """Write every table into `folder`; gives back rows by table. Raises OutputError."""
        make_folder(folder)
        counts = {}
        with self._transaction() as connection:
            for table in TABLES.sorted_tables:
                rows = connection.execution_options(yield_per=_ROWS).execute(
                    select(table).order_by(*table.primary_key.columns or [table.c.announcement])
                )
                lines = (json.dumps(dict(row._mapping), ensure_ascii=False) for row in rows)
                counts[table.name] = write_lines(folder / f"{table.name}.jsonl", lines)
        about = {"what": "ledger of Jovial Atlas", "step": VERSION, "at": self.now(),
                 "rows": counts}  # fmt: skip
        write_whole(folder / _ABOUT, (json.dumps(about, indent=1) + "\n").encode())
        return counts

    def carry_in(self, folder: Path) -> dict[str, int]:
        """Take such files into a ledger that holds nothing yet: all of them, or nothing.
        Raises LedgerError."""
        step = _step(folder)
        if step != VERSION:
            raise LedgerError(
                f"{folder} is from step {step} of the ledger and this is {VERSION}. Export it "
                "again with this version of Jovial Atlas."
            )
        counts = {}
        with self._transaction(writes=True) as connection:
            for table in TABLES.sorted_tables:
                if connection.execute(select(func.count()).select_from(table)).scalar_one():
                    raise LedgerError(
                        f"The ledger {self.shown} holds a record already ({table.name}), and "
                        "history is not rewritten. Import into a new one."
                    )
            for table in TABLES.sorted_tables:
                counts[table.name] = 0
                for rows in _rows_of(folder / f"{table.name}.jsonl", table):
                    connection.execute(insert(table), rows)
                    counts[table.name] += len(rows)
                if self.is_shared and "id" in table.c:
                    # Numbers that were handed in do not move the counter that makes the next one.
                    connection.execute(
                        text(
                            f"select setval(pg_get_serial_sequence('{table.name}', 'id'), "  # noqa: S608 - our own names
                            f"coalesce((select max(id) from {table.name}), 0) + 1, false)"
                        )
                    )
        return counts


def _step(folder: Path) -> str:
    try:
        return str(json.loads((folder / _ABOUT).read_bytes())["step"])
    except (OSError, ValueError, KeyError, TypeError):
        raise LedgerError(
            f"{folder} is no exported ledger: there is no readable {_ABOUT}. Give the folder that "
            "`jovial-atlas ledger export` wrote."
        ) from None


def _rows_of(path: Path, table: Table) -> Iterator[list[dict[str, Any]]]:
    """The rows of a file, in pieces."""
    names = set(table.c.keys())
    rows: list[dict[str, Any]] = []
    try:
        with path.open(encoding="utf-8") as stream:
            for number, line in enumerate(stream, start=1):
                row = foreign.read_json(line)
                if not isinstance(row, dict) or set(row) != names:
                    raise ValueError(f"line {number} has not the columns of {table.name}")
                rows.append(row)
                if len(rows) == _ROWS:
                    yield rows
                    rows = []
    except (OSError, ValueError) as error:
        raise LedgerError(f"{path} cannot be taken in ({error}). Export it again.") from None
    if rows:
        yield rows
