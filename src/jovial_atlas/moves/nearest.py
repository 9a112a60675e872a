"""The page that is most like what somebody asked for in vain: the same address in another spelling,
the same last part, the nearest words."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple
from urllib.parse import unquote

from rapidfuzz import fuzz, process

from jovial_atlas.addresses import path_and_query

_ENDING = re.compile(r"(?:/index)?\.(?:x?html?|php|aspx?|jsp)\Z", re.I)
#: What is cut off a link that was copied with its surroundings, or put behind it by mistake.
_AROUND = re.compile(r"(?:[\s)\]>.,;:!'\"*_|\\]|&quot|&gt|&lt|%22|%27)+\Z", re.I)
#: How sure each kind is.
_SPELLING, _SAME_NAME, _ONE_OF_NAMES, _SAME_WORD, _WORDS = 0.95, 0.7, 0.5, 0.6, 0.65
#: What parts the words of a name, and how long a word must be to say something.
_BETWEEN, _LEAST_LETTERS = re.compile(r"[.\s_-]+"), 3
#: Words must be alike by so much of 100; so many addresses and pages are compared by words.
_LEAST_ALIKE, _MOST_ASKED, _MOST_PAGES = 82, 500, 300_000


class NearestPage(NamedTuple):
    """The address of a page, how sure (0 to 1), and why."""

    loc: str
    sure: float
    why: str


class NearestPages:
    """The pages of a site, to be asked. `moved` are addresses of which is known where they went."""

    def __init__(self, locs: Iterable[str], moved: Mapping[str, NearestPage]) -> None:
        self._moved = moved
        self._bare: dict[str, list[str]] = {}
        self._names: dict[str, list[str]] = {}
        self._parts: dict[str, list[str]] = {}
        for loc in locs:
            bare = bare_path(path_and_query(loc))
            self._bare.setdefault(bare, []).append(loc)
            if name := bare.rpartition("/")[2]:
                self._names.setdefault(name, []).append(loc)
                for part in set(_BETWEEN.split(name)) - {name}:
                    self._parts.setdefault(part, []).append(loc)
        self._asked_by_words = 0
        self._words: Sequence[str] | None = None

    def of(self, host: str, path: str) -> NearestPage | None:
        """The page that is most like what was asked for; None where none is."""
        if known := self._moved.get(host + path):
            return known
        bare = bare_path(_AROUND.sub("", path))
        spelled = self._bare.get(bare)
        if spelled and len(spelled) == 1 and bare:
            return NearestPage(spelled[0], _SPELLING, "the same address in another spelling")
        name = bare.rpartition("/")[2]
        if not name or name.isdecimal():
            return None
        if named := self._names.get(name):
            best = max(named, key=lambda loc: fuzz.ratio(path, path_and_query(loc)))
            sure = _SAME_NAME if len(named) == 1 else _ONE_OF_NAMES
            return NearestPage(best, sure, "the same last part of the address")
        alike = self._parts.get(name, ()) if len(name) >= _LEAST_LETTERS else ()
        if len(alike) == 1:
            return NearestPage(alike[0], _SAME_WORD, "the only address with this word")
        return self._by_words(name, path)

    def _by_words(self, name: str, path: str) -> NearestPage | None:
        if self._words is None:
            self._words = [one.replace("-", " ").replace("_", " ") for one in self._names]
        self._asked_by_words += 1
        if self._asked_by_words > _MOST_ASKED or len(self._words) > _MOST_PAGES:
            return None
        asked = name.replace("-", " ").replace("_", " ")
        found = process.extractOne(
            asked, self._words, scorer=fuzz.token_sort_ratio, score_cutoff=_LEAST_ALIKE
        )
        if found is None:
            return None
        _, score, number = found
        locs = list(self._names.values())[number]
        best = max(locs, key=lambda loc: fuzz.ratio(path, path_and_query(loc)))
        return NearestPage(best, round(_WORDS * score / 100, 2), "the nearest words in its address")


def bare_path(path: str) -> str:
    """A path in one spelling for all: decoded, in lower case, without doubled slashes, ending,
    index file and last slash."""
    decoded = unquote(path.partition("?")[0]).lower()
    plain = re.sub(r"/{2,}", "/", decoded).replace("\\", "/")
    return _ENDING.sub("", plain).rstrip("/")
