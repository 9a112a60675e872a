"""A fault: something wrong with one thing (a page, an entry, a line), as plain values.

Rooms that read foreign material yield faults; the room `checks` knows each code's
severity and remedy and turns faults into findings.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple


class Fault(NamedTuple):
    """`code` names the check, `where` the file, line or address, `message` what is the matter.
    (Thousands of them pass from one process to another, which takes a tuple half the time.)"""

    code: str
    where: str
    message: str


def nearest(word: str, known: Iterable[str], least: int = 60) -> str | None:
    """The known word that was meant, if any is alike by at least `least` of 100."""
    # Only a mistake needs it, and loading it takes longer than most mistakes do.
    from rapidfuzz import process

    best = process.extractOne(word, list(known), score_cutoff=least)
    return best[0] if best else None


def change_in_words(before: float, now: float) -> str:
    """How a count changed, as in `+12%`; "new" where there was none before."""
    if not before:
        return "new" if now else "0%"
    said = f"{now / before - 1:+.0%}"
    return "0%" if said in ("+0%", "-0%") else said


def is_none(word: str, what: str, known: Iterable[str]) -> str:
    """What is told where a name is not known: the nearest that is, or all of them."""
    names = list(known)
    best = nearest(word, names, 50)
    hint = f"did you mean {best!r}? All of them: " if best else "there are "
    return f"{word!r} is no {what}; {hint}{', '.join(names) or 'none'}."


def in_words(value: object) -> str:
    """A value that was decided, as people read it."""
    if isinstance(value, bool):
        return "yes" if value else "no"
    return "nothing" if value is None else str(value)


def plural(count: int, one: str, many: str | None = None) -> str:
    """`3 pages`, `1 page`: a count with its noun."""
    return f"{count:,} {one if count == 1 else many or one + 's'}"
