"""How easily a text reads, by the published formula of its language.

All of them measure lengths, not sense: they say nothing of lists, names, code or technical terms.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from msgspec import Struct

from jovial_atlas.words import (
    count_on_line,
    count_spaced,
    has_unspaced,
    is_latin,
    primary,
    sentences_of,
    spoken_words,
    syllables_of,
)

#: A formula says nothing of fewer words.
LEAST_WORDS = 100
#: From so many letters on a word counts as long (Björnsson 1968).
_LONG = 7


class TextLengths(Struct, frozen=True):
    """What formulas of reading count in a text: words, sentences, syllables (0 where nobody knows
    those of its language), letters, and words of more than six letters; 0 for what the formula of
    its language does not ask."""

    words: int = 0
    sentences: int = 0
    syllables: int = 0
    letters: int = 0
    long_words: int = 0


@dataclass(frozen=True, slots=True)
class Formula:
    """A published formula: who made it, whether a higher value reads easier, the values from which
    on (or up to which) a text reads plainly, and hard, and what it counts beside words and
    sentences."""

    name: str
    value: Callable[[TextLengths], float]
    rises: bool
    plain: float
    hard: float
    counts: str = "syllables"


def _flesch(
    whole: float, of_sentences: float, of_syllables: float
) -> Callable[[TextLengths], float]:
    def value(text: TextLengths) -> float:
        a_sentence, a_word = text.words / text.sentences, text.syllables / text.words
        return whole - of_sentences * a_sentence - of_syllables * a_word

    return value


def _gulpease(text: TextLengths) -> float:
    return 89 + (300 * text.sentences - 10 * text.letters) / text.words


def _lix(text: TextLengths) -> float:
    return text.words / text.sentences + 100 * text.long_words / text.words


FORMULAS = {
    "en": Formula("Flesch 1948", _flesch(206.835, 1.015, 84.6), True, 60, 30),
    "de": Formula("Amstad 1978", _flesch(180, 1, 58.5), True, 60, 30),
    "fr": Formula("Kandel and Moles 1958", _flesch(207, 1.015, 73.6), True, 60, 30),
    "es": Formula("Szigriszt Pazos 1993", _flesch(206.835, 1, 62.3), True, 55, 40),
    "nl": Formula("Douma 1960", _flesch(206.84, 0.93, 77), True, 60, 30),
    "it": Formula("Gulpease 1988", _gulpease, True, 60, 40, "letters"),
}
#: For any other language with Latin letters.
LIX = Formula("LIX, Björnsson 1968", _lix, False, 50, 60, "long words")


def formula_of(language: str) -> Formula:
    """The formula for a language."""
    return FORMULAS.get(primary(language), LIX)


#: So many letters tell in which a text is written.
_ENOUGH = 2_000


def lengths_of(
    paragraphs: Iterable[str], language: str
) -> tuple[TextLengths, list[tuple[int, str]]]:
    """What formulas count in some paragraphs, each on one line, and each sentence with its number
    of words."""
    sentences: list[tuple[int, str]] = []
    paragraphs = list(paragraphs)
    whole = "\n".join(paragraphs)
    # Formulas know nothing of texts in other letters.
    words = spoken_words(whole) if is_latin(whole[:_ENOUGH]) else []
    count = count_on_line if has_unspaced(whole) else count_spaced
    for paragraph in paragraphs:
        sentences += [
            (count(one), one)
            for one in sentences_of(paragraph, language)
            if one[:1].isalpha() or _has_letters(one)
        ]
    asked = formula_of(language).counts
    counts = TextLengths(
        words=len(words),
        sentences=len(sentences),
        syllables=syllables_of(words, language) if asked == "syllables" else 0,
        letters=sum(map(len, words)) if asked == "letters" else 0,
        long_words=sum(map(_LONG.__le__, map(len, words))) if asked == "long words" else 0,
    )
    return counts, sentences


def _has_letters(text: str) -> bool:
    return any(map(str.isalpha, text))


def ease(text: TextLengths, language: str) -> float | None:
    """How easily a text reads, by the formula of its language; None for a text that is too short,
    or where syllables cannot be told."""
    formula = formula_of(language)
    if text.words < LEAST_WORDS or not text.sentences:
        return None
    if formula.counts == "syllables" and not text.syllables:
        return None
    return formula.value(text)
