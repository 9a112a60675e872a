"""Results to standard output, notes and progress to standard error. Nothing else prints."""

from __future__ import annotations

import csv
import io
import json
import os
import sys
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import contextmanager
from functools import cached_property
from itertools import chain, islice
from threading import Thread
from typing import TYPE_CHECKING, TextIO

import click

from jovial_atlas.cli.file_links import FileLinks, follows_links, shortened, without_links
from jovial_atlas.cli.layout import (
    ShownColumn,
    TableLayout,
    lay_out_table,
    longest_word,
    table_columns,
)
from jovial_atlas.cli.visible import in_line, json_safe, plain_value, visible
from jovial_atlas.sitefile.cells import MAY_BE_FORMULA, as_cell

if TYPE_CHECKING:
    from pathlib import Path

    import polars as pl
    from rich.console import Console
    from rich.text import Text

#: Width where the output is no terminal: nothing is wrapped there.
_NO_END = 1_000_000
_SIGNS = {"-": "red", "+": "green", "@": "dim"}
_STYLES = {
    "blocker": "bold white on red",
    "error": "bold red",
    "warning": "yellow",
    "advice": "cyan",
}


#: Texts that may begin a formula, or have signs that are shown in another way; and empty ones.
_PERHAPS_ODD = MAY_BE_FORMULA + r"|[^\x20-\x7e\n\t]|^$"
#: Rows of a CSV that are written together.
_ROWS_AT_ONCE = 20_000


class Output:
    """Where one command's results and notes go, in the format asked for."""

    def __init__(
        self, format: str, *, quiet: bool = False, verbose: bool = False, color: bool | None = None,
        wide: bool = False, plain: bool = False,
    ) -> None:  # fmt: skip
        self.format = format
        self.quiet = quiet
        self.verbose = verbose
        #: Results as lines of `name: value`, without frames, for readers of screens.
        self.plain = plain
        #: Whether tables are to fit a width.
        self._narrow = sys.stdout.isatty() and not wide
        # None: as the NO_COLOR variable says.
        self._no_color = True if plain or color is False else None
        #: Whether results wait for the pager, and notes that come after them.
        self._holds_back = self._has_shown = False
        self._notes: list[Text] = []
        #: What makes files that results name links, on a terminal that follows them.
        links = self.is_table and not plain and sys.stdout.isatty() and follows_links(os.environ)
        self._links = FileLinks() if links else None
        #: Values that no output may hold, whatever they stand in.
        self.secrets: set[str] = set()

    def find_files_in(self, *places: Path) -> None:
        """Folders from which results name files, beside the working folder."""
        self._links = FileLinks(places) if self._links else None

    def _text(self, text: str, style: str = "") -> Text:
        """A text as it may be shown. Whatever is printed is made here."""
        from rich.text import Text

        made = Text(visible(text, self.secrets), style=style)
        if self._links:
            self._links.mark(made)
        return made

    @cached_property
    def _out(self) -> Console:
        return self._console(sys.stdout)

    @cached_property
    def _err(self) -> Console:
        return self._console(sys.stderr)

    def _console(self, stream: TextIO) -> Console:
        from rich.console import Console

        width = None if stream.isatty() else _NO_END
        error = stream is sys.stderr
        return Console(stderr=error, highlight=False, width=width, no_color=self._no_color)

    def _print(self, what: object, *, soft_wrap: bool | None = None) -> None:
        """Print a part of the result, or hold it back for the pager."""
        self._has_shown = True
        self._out.print(what, soft_wrap=soft_wrap)

    @contextmanager
    def paged(self) -> Iterator[None]:
        """Hold back what the block prints for people on a terminal; where it is longer than a
        screen it is shown by a pager (PAGER, or less), else as it is."""
        if not (self.is_table and sys.stdout.isatty() and sys.stdin.isatty()):
            yield
            return
        self._out.begin_capture()
        self._holds_back = True
        try:
            yield
        finally:
            self._holds_back = False
            text = self._out.end_capture()
            if text.count("\n") >= self._out.height:
                os.environ.setdefault("LESS", "FRX")
                click.echo_via_pager(without_links(text), color=True)
            else:
                sys.stdout.write(text)
                sys.stdout.flush()
            for note in self._notes:
                self._err.print(note, soft_wrap=True)

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
        text = json.dumps(value, ensure_ascii=False, indent=1, default=plain_value)
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
        """As `csv`, of tables with the same columns, of which the first may be empty."""
        for number, table in enumerate(tables):
            cells = table.with_columns(map(self._cells, table))
            text = cells.write_csv(include_header=not number, line_terminator="\r\n")
            click.echo(text, nl=False)

    def _cells(self, values: pl.Series) -> pl.Series:
        """A column of cells: those that may need it are looked at one by one."""
        if values.dtype.is_numeric():
            return values
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
        headings: Sequence[str],
        rows: Iterable[Sequence[object]],
        *,
        title: str = "",
        footer: Sequence[object] | None = None,
    ) -> None:
        """A readable table, as wide as the terminal is; in a pipe each row is one line. Headings
        are written as `table_columns` has them."""
        columns = table_columns(*headings)
        cells = [[self._shown(cell) for cell in row] for row in rows]
        foot = [self._shown(cell) for cell in footer] if footer else []
        every = [*cells, *([foot] if foot else [])]
        numbers = range(len(columns))
        wide = [max((row[n].cell_len for row in every), default=0) for n in numbers]
        words = [max((longest_word(row[n].plain) for row in every), default=0) for n in numbers]
        width = self._out.width if self._narrow else sum(wide) + 1_000
        layout = None if self.plain else lay_out_table(columns, wide, width, words)
        if layout is None:
            self._records(columns, cells, foot, title)
            return
        self._print_table(columns, cells, foot, title, layout)
        if layout.left_out:
            names = ", ".join(columns[n].heading for n in layout.left_out)
            self.say(f"Not shown, since the terminal is narrow: {names}. --wide shows all.", "dim")

    def _shown(self, cell: object) -> Text:
        from rich.text import Text

        return cell if isinstance(cell, Text) else self._text(in_line(shown(cell)))

    def _records(
        self, columns: Sequence[ShownColumn], cells: list[list[Text]], foot: list[Text], title: str
    ) -> None:
        """A table row by row, each cell on a line of its own after its heading."""
        if title:
            self.say(title, "bold")
        for number, row in enumerate([*cells, *([foot] if foot else [])]):
            if number:
                self.say()
            for column, cell in zip(columns, row, strict=True):
                self.indented(f"{column.heading}:" if column.heading else "", cell.plain, indent=0)
        self.say()

    def _print_table(
        self, columns: Sequence[ShownColumn], cells: list[list[Text]], foot: list[Text], title: str,
        layout: TableLayout,
    ) -> None:  # fmt: skip
        from rich import box
        from rich.table import Table

        table = Table(box=box.SIMPLE_HEAD, pad_edge=False, padding=(0, 1, 0, 0),
                      show_footer=bool(foot), title=title or None, title_justify="left",
                      title_style="bold")  # fmt: skip
        for number, width in layout.widths.items():
            column = columns[number]
            table.add_column(
                column.heading,
                footer=foot[number] if foot else "",
                justify="right" if column.kind == "right" else "left",
                min_width=width,
                max_width=width,
                overflow="fold",
            )
        for row in cells:
            fitting = [
                shortened(row[n], width) if columns[n].kind == "address" else row[n]
                for n, width in layout.widths.items()
            ]
            table.add_row(*fitting)
        self._print(table)

    def say(self, text: str = "", style: str = "") -> None:
        """A line of the result for a person."""
        self._print(self._text(text, style))

    def as_it_is(self, text: str) -> None:
        """Text of several lines that are not wrapped, as differences are."""
        self._print(self._text(text), soft_wrap=True)

    def difference(self, lines: Sequence[str]) -> None:
        """Lines with signs in front, as differences have them: what goes, what comes, and where."""
        for line in lines:
            self._print(self._text(line, _SIGNS.get(line[:1], "")), soft_wrap=True)

    def indented(
        self, label: str, text: str, *, style: str = "dim", indent: int = 2, text_style: str = "",
        cut: bool = False,
    ) -> None:
        """A labelled line that wraps under the beginning of its text; on a terminal, `cut` leaves
        two lines of it."""
        from textwrap import wrap

        from rich.text import Text

        start = " " * indent + (f"{in_line(visible(label, self.secrets))} " if label else "")
        width = max(self._out.width - 1, len(start) + 20)
        hanging = start if len(start) <= width // 3 else " " * (indent + 2)
        lines = wrap(
            text, width, initial_indent=" " * len(start), subsequent_indent=" " * len(hanging),
            break_long_words=False, break_on_hyphens=False,
        ) or [""]  # fmt: skip
        if cut and self._narrow and len(lines) > 2:
            lines = [lines[0], f"{lines[1]} …"]
        for number, line in enumerate(line.lstrip() for line in lines):
            shown = Text()
            shown.append_text(self._text(start if number == 0 else " " * len(hanging), style))
            shown.append_text(self._text(line, text_style))
            shown.rstrip()
            self._print(shown, soft_wrap=True)

    def framed(self, title: str, lines: Sequence[tuple[str, str]], width: int) -> None:
        """Lines, each with its style, wrapped in a frame of at most `width` columns."""
        from rich import box
        from rich.panel import Panel
        from rich.text import Text

        if self.plain:
            for line, style in [(title, ""), *lines, ("", "")]:
                self.say(line, style)
            return
        text = Text("\n").join(self._text(line, style) for line, style in lines)
        wide = min(width, self._out.width)
        named = self._text(title)
        self._print(Panel(text, title=named, title_align="left", width=wide, box=box.SQUARE,
                              border_style="dim"))  # fmt: skip

    def branch(
        self, sign: str, key: str, text: str, origin: str = "", *, warn: bool = False
    ) -> None:
        """One line of a tree: its sign, what it is called, what it says, where that is from."""
        from rich.text import Text

        line = Text()
        line.append("  " if self.plain else f"  {sign}", style="dim")
        line.append_text(self._text(f"{key} " if key else "", "bold"))
        line.append_text(self._text(in_line(short(text)), "yellow" if warn else ""))
        line.append_text(self._text(origin, "dim"))
        self._print(line, soft_wrap=not sys.stdout.isatty())

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
        self._print(line)

    def note(self, text: str, style: str = "dim") -> None:
        """A note on standard error, left out with --quiet."""
        if self.quiet:
            return
        if self._holds_back and self._has_shown:
            self._notes.append(self._text(text, style))
        else:
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
        if self.quiet or self.plain or not sys.stderr.isatty():
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
