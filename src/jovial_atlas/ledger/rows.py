"""What is read back from the ledger's tables, checked: others may have changed a row by hand, and
SQLite keeps whatever it is given."""

from __future__ import annotations

import re

from jovial_atlas import foreign
from jovial_atlas.errors import LedgerError
from jovial_atlas.records import Status

_MOMENT = re.compile(
    r"\d{4}-(?:0[1-9]|1[0-2])-(?:0[1-9]|[12]\d|3[01])T(?:[01]\d|2[0-3]):[0-5]\d:[0-5]\dZ\Z",
    re.ASCII,
)


def moment(value: object, column: str) -> str:
    """A time as this tool writes it. Raises LedgerError for anything else."""
    if isinstance(value, str) and _MOMENT.match(value):
        return value
    raise _not_ours(value, column)


def moment_if_any(value: object, what: str) -> str | None:
    """As `moment`, or None where there is none."""
    return None if value is None else moment(value, what)


def count(value: object, column: str) -> int:
    """A count. Raises LedgerError for anything else."""
    number = foreign.whole(value)
    if number is None:
        raise _not_ours(value, column)
    return number


def count_if_any(value: object, what: str) -> int | None:
    """As `count`, or None where there is none."""
    return None if value is None else count(value, what)


def counts(value: str, column: str) -> dict[str, int]:
    """Names with counts, kept as JSON. Raises LedgerError for anything else."""
    try:
        found = foreign.read_json(value)
        return {str(name): count(number, column) for name, number in found.items()}
    except (ValueError, TypeError, AttributeError):
        raise _not_ours(value, column) from None


def triples(value: str, column: str) -> dict[str, tuple[int, int, int]]:
    """Names with three counts each, kept as JSON. Raises LedgerError for anything else."""
    try:
        found = foreign.read_json(value)
        return {
            str(name): (count(one, column), count(two, column), count(three, column))
            for name, (one, two, three) in found.items()
        }
    except (ValueError, TypeError, AttributeError):
        raise _not_ours(value, column) from None


def status(value: str) -> Status:
    """What became of an announcement. Raises LedgerError for anything else."""
    try:
        return Status(value)
    except ValueError:
        raise _not_ours(value, "announcement.status") from None


def _not_ours(value: object, what: str) -> LedgerError:
    return LedgerError(
        f"The ledger holds a row that this tool did not write: {what} is {str(value)[:60]!r}. "
        "Restore the ledger from a backup, or correct the row by hand."
    )
