"""Cells of tables for spreadsheets: a text that a spreadsheet would take for a formula gets a quote
before it, as spreadsheets themselves do, and comes back without.
"""

from __future__ import annotations

import re

# What begins a formula, or makes what follows begin one.
_FORMULA = re.compile(r"'*[=+\-@\t\r\n\uff1d\uff0b\uff0d\uff20]")
#: What every text begins with that becomes another one as a cell, for whole columns.
MAY_BE_FORMULA = r"^['=+\-@\t\r\n\x{ff1d}\x{ff0b}\x{ff0d}\x{ff20}]"
_NUMBER = re.compile(r"[+-]?\d+(?:[.,]\d+)?\Z", re.ASCII)
_QUOTED = re.compile(r"'(?='*[=+\-@\t\r\n\uff1d\uff0b\uff0d\uff20])")


def as_cell(text: str) -> str:
    """A text as a cell."""
    return f"'{text}" if _FORMULA.match(text) and not _NUMBER.match(text) else text


def from_cell(cell: str) -> str:
    """The text of a cell."""
    return cell[1:] if _QUOTED.match(cell) else cell
