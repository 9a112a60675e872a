"""Where in a page a link to another could stand, when the page does not name it outright."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

from jovial_atlas.linking.mentions import Token, blocks_of, sentence_around, shown, tokens_of
from jovial_atlas.sources.html_page.fulltext import html_of_file
from jovial_atlas.words import stems_of_phrase


class LinkPlace(NamedTuple):
    """Words of a page that a link could have, None where there are none, and the sentence around
    them, or the text that is nearest to the matter, "" where none is near."""

    words: str | None
    sentence: str


#: Words that may stand between those of a name, and words of a link at most.
_BETWEEN, _LONGEST = 2, 8


def place_for(name: str, path: Path, language: str) -> LinkPlace:
    """Where a page in a file could link to one that is called `name`: at the words that say most
    of the name. A page of which no text can be read has no place."""
    wanted = [one for one in stems_of_phrase(name, language) if len(one) > 2 and not one.isdigit()]
    best: tuple[int, int, str, list[Token]] | None = None
    nearest, shared = "", 0
    for block in blocks_of(html_of_file(path)):
        tokens = tokens_of(block, language)
        said = len({one.stem for one in tokens if one.stem in wanted})
        if said > shared:
            nearest, shared = block, said
        for run in _runs(tokens, wanted):
            count = len({one.stem for one in run} & set(wanted))
            if best is None or (count, -len(run)) > best[:2]:
                best = (count, -len(run), block, run)
    enough = max(1, (len(set(wanted)) + 1) // 2)
    if best and best[0] >= enough:
        _, _, block, run = best
        words = shown(block[run[0].start : run[-1].end])
        return LinkPlace(words, sentence_around(block, run[0].start, language))
    return LinkPlace(None, shown(nearest))


def _runs(tokens: Sequence[Token], wanted: Sequence[str]) -> Iterator[list[Token]]:
    """Stretches of words that begin and end with one of those that are wanted, in which a link may
    stand."""
    names = set(wanted)
    begin = 0
    while begin < len(tokens):
        if tokens[begin].stem not in names or not tokens[begin].free:
            begin += 1
            continue
        end = last = begin
        while (
            end + 1 < len(tokens) and end - last <= _BETWEEN and tokens[end + 1].free
            and end + 1 - begin < _LONGEST
        ):  # fmt: skip
            end += 1
            if tokens[end].stem in names:
                last = end
        yield list(tokens[begin : last + 1])
        begin = last + 1
