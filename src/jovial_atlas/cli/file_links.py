"""Links to files in what a terminal shows (OSC 8), where it is known to follow them."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING

from jovial_atlas.cli.layout import in_the_middle

if TYPE_CHECKING:
    from rich.text import Text

#: A word that may be a file, with the number of a line behind it; no address.
_WORD = re.compile(r"(?<![\w:/.~-])(?!https?:)(?P<file>[~./\w][^\s:;,()'\"<>|*?]*\.\w+)(?::\d+)?\b")
#: What links in a text begin and end with.
_LINK = re.compile("\x1b]8;[^\x1b\x07]*(?:\x1b\\\\|\x07)")
#: Terminals that name themselves, and follow links.
_PROGRAMS = ("iTerm.app", "WezTerm", "vscode", "ghostty", "Hyper", "rio", "Tabby")
_TERMS = ("kitty", "alacritty", "foot", "wezterm", "ghostty", "contour")
#: The version of VTE (GNOME's terminals and others) from which on links are followed.
_VTE = 5000
#: Words that are looked up on disk, at most: who shows more needs no links.
_MOST = 2_000


def follows_links(environment: Mapping[str, str]) -> bool:
    """Whether the terminal is known to follow links; FORCE_HYPERLINK says it for others (0 for
    no)."""
    forced = environment.get("FORCE_HYPERLINK")
    if forced is not None:
        return forced not in ("", "0")
    if environment.get("TERM", "dumb") in ("dumb", "linux") or environment.get("STY"):
        return False
    vte = environment.get("VTE_VERSION", "")
    return (
        (vte.isdecimal() and int(vte) >= _VTE)
        or environment.get("TERM_PROGRAM") in _PROGRAMS
        or any(name in environment.get("TERM", "") for name in _TERMS)
        or any(environment.get(name) for name in ("WT_SESSION", "KONSOLE_VERSION", "DOMTERM"))
    )


class FileLinks:
    """Links to files that texts name, by paths from the working folder or from `places`."""

    def __init__(self, places: Iterable[Path] = ()) -> None:
        self._places = [Path(), *places]
        self._left = _MOST
        self._find = lru_cache(maxsize=None)(self._file)

    def mark(self, text: Text) -> None:
        """Make the files that a text names links."""
        from rich.style import Style

        for match in _WORD.finditer(text.plain):
            if uri := self._find(match["file"]):
                text.stylize(Style(link=uri), *match.span())

    def _file(self, name: str) -> str:
        if self._left <= 0:
            return ""
        self._left -= 1
        for place in self._places:
            try:
                path = place / Path(name).expanduser()
                if path.is_file():
                    return path.resolve().as_uri()
            except (OSError, ValueError, RuntimeError):
                continue
        return ""


def without_links(text: str) -> str:
    """A text without links, for pagers, of which some show their signs."""
    return _LINK.sub("", text)


def shortened(cell: Text, width: int) -> Text:
    """An address or a file shortened in its middle, with the link that it has."""
    from rich.text import Text

    if cell.cell_len <= width:
        return cell
    made = Text(in_the_middle(cell.plain, width), style=cell.style)
    for span in cell.spans:
        made.stylize(span.style)
    return made
