"""Every exception the product raises on purpose, in one tree.

    AtlasError                 the command cannot run; one clear sentence, exit code 2
    ├── SiteFileError          the site file is missing or wrong (every problem at once)
    ├── ContentError           a source cannot be read at all
    ├── OutputError            the output or state folder cannot be written
    ├── LedgerError            the record cannot be read or written
    │   └── BusyError          another command has it for the same thing
    ├── NetworkError           an address could not be asked, or its answer not used
    │   └── UnansweredError    it was asked, and whether it took the message is not known
    └── LossError              refused, since much of what was listed would be lost; exit code 1

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
    #: Of a workbook: the sheet in which it stands.
    sheet: str = ""

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


#: Losses that are told one by one.
_TOLD = 4


class Loss(NamedTuple):
    """How much of one part of a site would be lost: `part` is site, section, source or engine, and
    `name` which; `lost` of `had` addresses."""

    part: str
    name: str
    had: int
    lost: int

    def __str__(self) -> str:
        part = "the whole site" if self.part == "site" else f"{self.part} {self.name}"
        return f"{part}: {self.lost:,} of {self.had:,}"


class LossError(AtlasError):
    """A survey, a build or an announcement that is refused, since it would lose much of what was
    listed before. Nothing was changed. `causes` are sentences on why that might be, `examples`
    the first addresses that would be lost, `stake` what people clicked of them, where it is
    known."""

    def __init__(
        self, doing: str, losses: list[Loss], causes: list[str], examples: list[str],
        stake: str = "",
    ) -> None:  # fmt: skip
        self.losses, self.causes, self.examples, self.stake = losses, causes, examples, stake
        lines = [
            f"Refused: this {doing} would lose much of what was listed before, "
            "so nothing was changed.",
            *(f"  - {one}" for one in losses[:_TOLD]),
            *(f"  Why it might be: {cause}" for cause in causes),
        ]
        if len(losses) > _TOLD:
            lines.insert(_TOLD + 1, f"  - and {len(losses) - _TOLD:,} more")
        if examples:
            lines.append(f"  Among them: {', '.join(examples)}")
        if stake:
            lines.append(f"  At stake: {stake}")
        again = {"survey": "survey", "build": "build", "announcement": "submit"}[doing]
        lines.append(f"If that is meant, say so: jovial-atlas {again} --accept")
        super().__init__("\n".join(lines))

    def told(self) -> dict[str, object]:
        """It as JSON has it."""
        losses = [one._asdict() for one in self.losses]
        stake = {"at_stake": self.stake} if self.stake else {}
        return {"losses": losses, "causes": self.causes, "examples": self.examples, **stake}


class BusyError(LedgerError):
    """Another command has the record for itself, and does the same."""


class NetworkError(AtlasError):
    """An address could not be asked, or what it answered cannot be used."""


class UnansweredError(NetworkError):
    """A whole message was sent and no answer came: it may have arrived."""
