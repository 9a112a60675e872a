"""Results to standard output, notes and progress to standard error. Nothing else prints."""

from __future__ import annotations

import csv
import io
import json
import sys
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from functools import cached_property
from itertools import chain, islice
from threading import Thread
from typing import TYPE_CHECKING, TextIO

import click

from jovial_atlas.cli.visible import in_line, json_safe, visible
from jovial_atlas.sitefile.cells import MAY_BE_FORMULA, as_cell

if TYPE_CHECKING:
    import polars as pl
    from rich.console import Console
    from rich.text import Text

#: Width of tables where the output is no terminal.
_WIDTH = 120
_SIGNS = {"-": "red", "+": "green", "@": "dim"}
_STYLES = {
    "blocker": "bold white on red",
    "error": "bold red",
    "warning": "yellow",
    "advice": "cyan",
}


def _plain(value: object) -> object:
    """A value that JSON does not know as one that it knows: a structure as its fields."""
    if hasattr(value, "__struct_fields__"):
        return {name: getattr(value, name) for name in value.__struct_fields__}
    return str(value)


#: Texts that may begin a formula, or have signs that are shown in another way; and empty ones.
_PERHAPS_ODD = MAY_BE_FORMULA + r"|[^\x20-\x7e\n\t]|^$"
#: Rows of a CSV that are written together.
_ROWS_AT_ONCE = 20_000


class Output:
    """Where one command's results and notes go, in the format asked for."""

    def __init__(self, format: str, *, quiet: bool, verbose: bool, color: bool | None) -> None:
        self.format = format
        self.quiet = quiet
        self.verbose = verbose
        self._plain = True if color is False else None  # None: as the NO_COLOR variable says
        #: Values that no output may hold, whatever they stand in.
        self.secrets: set[str] = set()

    def _text(self, text: str, style: str = "") -> Text:
        """A text as it may be shown. Whatever is printed is made here."""
        from rich.text import Text

        return Text(visible(text, self.secrets), style=style)

    @cached_property
    def _out(self) -> Console:
        return self._console(sys.stdout)

    @cached_property
    def _err(self) -> Console:
        return self._console(sys.stderr)

    def _console(self, stream: TextIO) -> Console:
        from rich.console import Console

        width = None if stream.isatty() else _WIDTH
        error = stream is sys.stderr
        return Console(stderr=error, highlight=False, width=width, no_color=self._plain)

    def get_ready(self) -> None:
        """Load what results are shown with, on a thread of its own: most of what is done until
        then leaves a core free. Where this process should fork, that comes first."""
        if self.is_table:
            Thread(target=_load_printer).start()

    @property
    def is_table(self) -> bool:
        """Whether a person reads the results."""
        return self.format == "table"

    def json(self, value: object) -> None:
        """The result as JSON, alone on standard output."""
        text = json.dumps(value, ensure_ascii=False, indent=1, default=_plain)
        click.echo(json_safe(text, self.secrets))

    def json_pieces(self, pieces: Iterable[str]) -> None:
        """As `json`, of a text that comes in pieces, its last line end with it."""
        for piece in pieces:
            click.echo(json_safe(piece, self.secrets), nl=False)

    def exact(self, text: str) -> None:
        """A result in a format of its own, alone on standard output."""
        click.echo(visible(text, self.secrets), nl=False)

    def csv(self, header: Sequence[str], rows: Iterable[Sequence[object]]) -> None:
        """The result as CSV (RFC 4180), alone on standard output. A text that a spreadsheet would
        take for a formula is written so that it is none."""
        waiting = chain([header], ([self._cell(cell) for cell in row] for row in rows))
        while some := list(islice(waiting, _ROWS_AT_ONCE)):
            buffer = io.StringIO()
            csv.writer(buffer, lineterminator="\r\n").writerows(some)
            click.echo(buffer.getvalue(), nl=False)

    def csv_tables(self, tables: Iterable[pl.DataFrame]) -> None:
        """As `csv`, of tables of texts with the same columns, of which the first may be empty."""
        for number, table in enumerate(tables):
            cells = table.with_columns(map(self._cells, table))
            text = cells.write_csv(include_header=not number, line_terminator="\r\n")
            click.echo(text, nl=False)

    def _cells(self, values: pl.Series) -> pl.Series:
        """A column of cells: those that may need it are looked at one by one."""
        odd = values.is_not_null() if self.secrets else values.str.contains(_PERHAPS_ODD)
        if not odd.any():
            return values
        cells = [self._cell(value) or None for value in values.filter(odd).to_list()]
        return values.clone().scatter(odd.arg_true(), cells)

    def _cell(self, value: object) -> object:
        """A cell of a table for spreadsheets."""
        if value is None:
            return ""
        return visible(as_cell(value), self.secrets) if isinstance(value, str) else value

    def table(
        self,
        columns: Sequence[tuple[str, str]],
        rows: Iterable[Sequence[object]],
        *,
        title: str = "",
        footer: Sequence[object] | None = None,
    ) -> None:
        """A readable table. `columns` are (heading, "left", "right" or "fold")."""
        from rich import box
        from rich.table import Table
        from rich.text import Text

        table = Table(box=box.SIMPLE_HEAD, pad_edge=False, show_footer=footer is not None,
                      title=title or None, title_justify="left", title_style="bold")  # fmt: skip
        for number, (heading, kind) in enumerate(columns):
            table.add_column(
                heading,
                footer=shown(footer[number]) if footer else "",
                justify="right" if kind == "right" else "left",
                no_wrap=kind != "fold",
                overflow="fold" if kind == "fold" else "ellipsis",
            )
        for row in rows:
            table.add_row(
                *(
                    cell if isinstance(cell, Text) else self._text(in_line(shown(cell)))
                    for cell in row
                )
            )
        self._out.print(table)

    def say(self, text: str = "", style: str = "") -> None:
        """A line of the result for a person."""
        self._out.print(self._text(text, style))

    def as_it_is(self, text: str) -> None:
        """Text of several lines that are not wrapped, as differences are."""
        self._out.print(self._text(text), soft_wrap=True)

    def difference(self, lines: Sequence[str]) -> None:
        """Lines with signs in front, as differences have them: what goes, what comes, and where."""
        for line in lines:
            self._out.print(self._text(line, _SIGNS.get(line[:1], "")), soft_wrap=True)

    def indented(
        self, label: str, text: str, *, style: str = "dim", indent: int = 2, text_style: str = ""
    ) -> None:
        """A labelled line that wraps under the beginning of its text."""
        from textwrap import wrap

        from rich.text import Text

        start = " " * indent + (f"{in_line(visible(label, self.secrets))} " if label else "")
        width = max(self._out.width - 1, len(start) + 20)
        lines = wrap(text, width - len(start), break_long_words=False, break_on_hyphens=False) or [
            ""
        ]
        for number, line in enumerate(lines):
            shown = Text()
            shown.append(start if number == 0 else " " * len(start), style=style)
            shown.append_text(self._text(line, text_style))
            shown.rstrip()
            self._out.print(shown, soft_wrap=True)

    def framed(self, title: str, lines: Sequence[tuple[str, str]], width: int) -> None:
        """Lines, each with its style, wrapped in a frame of at most `width` columns."""
        from rich import box
        from rich.panel import Panel
        from rich.text import Text

        text = Text("\n").join(self._text(line, style) for line, style in lines)
        wide = min(width, self._out.width)
        named = self._text(title)
        self._out.print(Panel(text, title=named, title_align="left", width=wide, box=box.SQUARE,
                              border_style="dim"))  # fmt: skip

    def branch(
        self, sign: str, key: str, text: str, origin: str = "", *, warn: bool = False
    ) -> None:
        """One line of a tree: its sign, what it is called, what it says, where that is from."""
        from rich.text import Text

        line = Text()
        line.append(f"  {sign}", style="dim")
        line.append_text(self._text(f"{key} " if key else "", "bold"))
        line.append_text(self._text(in_line(short(text)), "yellow" if warn else ""))
        line.append_text(self._text(origin, "dim"))
        self._out.print(line, soft_wrap=not sys.stdout.isatty())

    def fits(self, text: str) -> bool:
        """Whether a text stands on one line of the output."""
        return len(text) < self._out.width

    def severity(self, severity: str, text: str, code: str) -> None:
        """A heading with its severity in front and its code behind."""
        from rich.text import Text

        line = Text()
        line.append(f" {severity} ", style=_STYLES[severity])
        line.append_text(self._text(f" {text}", "bold"))
        line.append(f"  {code}", style="dim")
        self._out.print(line)

    def note(self, text: str, style: str = "dim") -> None:
        """A note on standard error, left out with --quiet."""
        if not self.quiet:
            self._err.print(self._text(text, style), soft_wrap=not sys.stderr.isatty())

    def detail(self, text: str) -> None:
        """A note for --verbose only."""
        if self.verbose:
            self.note(text)

    def warn(self, text: str) -> None:
        """Something that must be seen, on standard error, even with --quiet."""
        self._err.print(self._text(text, "bold yellow"), soft_wrap=not sys.stderr.isatty())

    @contextmanager
    def progress(self, label: str) -> Iterator[Callable[[int, int], None] | None]:
        """A progress bar on a terminal; elsewhere nothing. Yields what reports done and total."""
        if self.quiet or not sys.stderr.isatty():
            yield None
            return
        from rich.progress import Progress

        with Progress(console=self._err, transient=True) as bar:
            task = bar.add_task(label, total=None)
            yield lambda done, total: bar.update(task, completed=done, total=total)


def _load_printer() -> None:
    from rich import box, console, table, text  # noqa: F401 - so that they are there


def shown(value: object) -> str:
    """A cell as people read it: numbers with commas, nothing as a dash."""
    if value is None or value == "":
        return "–"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, float):
        return f"{value:.0%}"
    return f"{value:,}" if isinstance(value, int) else short(str(value))


def short(text: str, most: int = 200) -> str:
    """A text as it is shown to people; only what is absurdly long is cut."""
    return text if len(text) <= most else f"{text[: most - 1]}…"


def day_and_time(text: str | None) -> str:
    """`2026-11-23T10:00:00Z` as `2026-11-23 10:00`."""
    return text[:16].replace("T", " ") if text else ""
