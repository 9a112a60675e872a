"""Every exception the product raises on purpose, in one tree.

    AtlasError                 the command cannot run; one clear sentence, exit code 2
    ├── SiteFileError          the site file is missing or wrong (every problem at once)
    ├── ContentError           a source cannot be read at all
    ├── OutputError            the output or state folder cannot be written
    ├── LedgerError            the record cannot be read or written
    └── NetworkError           an address could not be asked, or its answer not used
        └── UnansweredError    it was asked, and whether it took the message is not known

What is wrong with one page, one address or one entry is no exception but a
`faults.Fault`. No foreign exception (lxml, Polars, SQLAlchemy, httpx) leaves the
room that uses the library.
"""

from __future__ import annotations

from typing import NamedTuple


class AtlasError(Exception):
    """The command cannot go on. `str()` says what is wrong, where, and what to do."""


class Problem(NamedTuple):
    """One thing that is wrong in a site file."""

    line: int | None
    key: str
    message: str
    example: str = ""

    def __str__(self) -> str:
        where = f"line {self.line}: " if self.line else ""
        key = f"{self.key}: " if self.key else ""
        example = f" Write it like this: {self.example}" if self.example else ""
        return f"{where}{key}{self.message}{example}"


class SiteFileError(AtlasError):
    """The site file is missing or wrong; `problems` holds all that was found."""

    def __init__(self, path: str, problems: list[Problem]) -> None:
        self.path = path
        self.problems = problems
        if len(problems) == 1 and problems[0].line is None and not problems[0].key:
            super().__init__(f"{path}: {problems[0]}")
        else:
            count = "1 problem" if len(problems) == 1 else f"{len(problems)} problems"
            lines = "\n".join(f"  {problem}" for problem in problems)
            super().__init__(f"{path}: {count} in the site file\n{lines}")


class ContentError(AtlasError):
    """A source cannot be read at all."""


class OutputError(AtlasError):
    """The output folder or the state folder cannot be written."""


class LedgerError(AtlasError):
    """The ledger cannot be opened, read or written."""


class NetworkError(AtlasError):
    """An address could not be asked, or what it answered cannot be used."""


class UnansweredError(NetworkError):
    """A whole message was sent and no answer came: it may have arrived."""
