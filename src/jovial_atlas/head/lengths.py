"""How long titles and descriptions are: in characters, and in the pixels that a result gives them.

Widths are those of Helvetica, in whose metrics results are set, from the font metrics that ship
with Matplotlib (Adobe Font Metrics 4.1). Letters with accents are as wide as those without; what
the font does not have is taken as wide as its usual letters, East Asian letters as a square.
"""

from __future__ import annotations

import unicodedata
from functools import lru_cache
from importlib.util import find_spec
from itertools import accumulate
from pathlib import Path

_METRICS = "mpl-data/fonts/pdfcorefonts/Helvetica.afm"
#: A description is cut at a word so that it has at most this many characters.
DESCRIPTION_LENGTH = 160
#: Of a thousand: letters that the font lacks, and letters that fill a square.
_USUAL, _SQUARE = 556, 1000


@lru_cache(maxsize=1)
def _widths() -> dict[str, int]:
    from fontTools.afmLib import AFM
    from fontTools.agl import toUnicode

    # Matplotlib itself takes long to load, and tells nothing else of where its files are.
    spec = find_spec("matplotlib")
    places = list(spec.submodule_search_locations or []) if spec else []
    widths: dict[str, int] = {}
    for path in places:
        metrics = AFM(str(Path(path) / _METRICS))
        widths |= {toUnicode(name): int(metrics[name][1]) for name in metrics.chars()}
    # What a keyboard writes for the two quotes has names of its own.
    return widths | {"'": 191, "`": 333}


@lru_cache(maxsize=4096)
def _letter(letter: str) -> int:
    widths = _widths()
    base = unicodedata.normalize("NFD", letter)[:1]
    if unicodedata.combining(letter):
        return 0
    if unicodedata.east_asian_width(letter) in "WF":
        return _SQUARE
    return widths.get(letter) or widths.get(base) or _USUAL


def width(text: str, size: int) -> int:
    """The width of a line of text in pixels, at a font size in pixels."""
    return round(sum(map(_letter, text)) * size / 1000)


#: A cut at a word that leaves less than so much of what fits is made at a letter instead: there are
#: scripts without spaces.
_LEAST_KEPT = 0.6
_BEFORE_ELLIPSIS = " ,;:–—-、，；："


def shown(text: str, size: int, most: int) -> str:
    """As much of a text as `most` pixels hold, cut at a word (where it has words) with an
    ellipsis."""
    if width(text, size) <= most:
        return text
    room = most - width("…", size)
    each = [_letter(letter) * size / 1000 for letter in text]
    fits = next((at for at, sum_ in enumerate(accumulate(each)) if sum_ > room), len(text))
    return _cut(text, fits)


def _cut(text: str, fits: int) -> str:
    """The first `fits` characters of a text or a little less, with an ellipsis."""
    at_word = text[:fits] if text[fits : fits + 1] == " " else text[:fits].rpartition(" ")[0]
    # A mark that belongs to the letter before it is not parted from it.
    marked = unicodedata.category(text[fits : fits + 1] or " ").startswith("M")
    kept = at_word if len(at_word) >= _LEAST_KEPT * fits else text[: fits - marked]
    return f"{kept.rstrip(_BEFORE_ELLIPSIS)}…"


def cut_at_word(text: str | None, most: int = DESCRIPTION_LENGTH) -> str | None:
    """At most `most` characters, cut at a word (where it has words) with an ellipsis."""
    return text if not text or len(text) <= most else _cut(text, most - 1)
