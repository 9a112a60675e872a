"""Words, stems, syllables and sentences of a text in its language.

Stems are those of the Snowball algorithms, syllables are estimated by Liang's hyphenation patterns,
both by libraries. Of a language that a library does not know, words stay as they are.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence
from functools import lru_cache
from operator import add

#: Algorithms of Snowball by language.
_ALGORITHMS = {
    "ar": "arabic", "ca": "catalan", "cs": "czech", "da": "danish", "de": "german", "el": "greek",
    "en": "english", "eo": "esperanto", "es": "spanish", "et": "estonian", "eu": "basque",
    "fa": "persian", "fi": "finnish", "fr": "french", "ga": "irish", "hi": "hindi",
    "hu": "hungarian", "hy": "armenian", "id": "indonesian", "it": "italian", "lt": "lithuanian",
    "nb": "norwegian", "ne": "nepali", "nl": "dutch", "nn": "norwegian", "no": "norwegian",
    "pl": "polish", "pt": "portuguese", "ro": "romanian", "ru": "russian", "sr": "serbian",
    "sv": "swedish", "ta": "tamil", "tr": "turkish", "yi": "yiddish",
}  # fmt: skip
_WORD = re.compile(r"\w+")
_LETTERS_ALONE = re.compile(r"[^\W\d_]+")
#: Octets of UTF-8 that begin what is neither ASCII nor one of the spaces, dashes, quotes and signs
#: that stand between words; and those signs that begin as these do. Octets are told apart in a
#: fraction of the time that letters take.
_ELSEWHERE = bytes({*range(0xC3, 0xF5)} - {0xE2})
_OTHER_SIGNS = re.compile(
    rb"\xc2[^\xa0-\xa9\xab-\xb1\xb4\xb6-\xb8\xbb\xbf]|\xe2(?!\x80[\x90-\xba])"
)
#: Octets with nothing left but ASCII letters, which parts words in a fraction of the time.
_ASCII_LETTERS = bytes(n if n < 128 and chr(n).isalpha() else 32 for n in range(256))
#: Letters of languages that write no spaces between words: what is said is compared as it stands.
_UNSPACED = re.compile("[\u3040-\u30ff\u3400-\u9fff\u0e00-\u0e7f]")
#: Octets of UTF-8 that these begin with.
_MAYBE_UNSPACED = bytes([0xE0, *range(0xE3, 0xEA)])
#: Octets of ASCII letters.
_LETTER_OCTETS = bytes(filter(lambda one: chr(one).isalpha(), range(128)))
#: Words that bind others together: a phrase stands in a text without them too.
_BINDING = frozenset(
    """a an and at by for from in into of on or the to with your our
    der die das den dem des ein eine einer eines und oder im am auf aus bei mit von vom zu zum zur
    für über le la les un une du de et ou en au aux dans sur pour par avec el los las unos unas y o
    del al con por para il lo gli i uno di della dei degli delle e ed allo alla nel nella per su da
    het een van te met voor op uit naar s l d qu""".split()  # noqa: SIM905
)
#: What stands between a sentence and the next: quotes and brackets that close, and spaces.
_END = re.compile(r"([.!?…。！？])[\"')\]»”’]*(?:\s+|(?<=[。！？])|\Z)")
#: The same for paragraphs that have no other signs, in a fraction of the time.
_PLAIN_END = re.compile(r"([.!?])[\"')\]»”’]*(?:\s+|\Z)")
_OTHER_ENDS = "…。！？"
#: Short forms whose full stop ends none, none longer than that.
_SHORT = 10
_FORMS = """e.g i.e cf vs etc ca approx nr vol pp fig eq sec st mr mrs ms dr prof inc ltd jr sr
    z.b z.~b d.h d.~h u.a u.~a z bzw usw evtl ggf vgl bspw abs art str tel p p.ex p.~ex mme mlle pág
    sra dra ej sig dott pag ecc es bijv enz o.a dhr mevr blz""".split()  # noqa: SIM905
#: With its full stop, a word of as many letters is longer than any of them.
_LONGER = max(map(len, _FORMS)) + 2
#: What a short form ends on, in small letters; a tilde is any space.
_SHORT_ENDS = tuple(f"{form.partition('~')[2] or form}." for form in [*_FORMS, "no"])
_SHORT_FORMS = re.compile(
    rf"\b(?:[A-ZÀ-Þ]|(?i:{'|'.join(map(re.escape, _FORMS))})|No)\.\Z".replace(re.escape("~"), r"\s")
)
#: Languages that write ordinal numbers with a full stop.
_ORDINALS = re.compile(r"\b\d{1,2}\.\Z")
_WITH_ORDINALS = frozenset(
    "cs da de et fi hr hu is lb lv nb nn no pl sk sl sr tr".split()  # noqa: SIM905
)


@lru_cache(maxsize=1_000)
def primary(language: str | None) -> str:
    """The language of a tag without script and region, in lower case."""
    return (language or "").partition("-")[0].lower()


def words_in(text: str) -> list[str]:
    """The words of a text, numbers too, in their order."""
    return _WORD.findall(text)


def has_unspaced(text: str) -> bool:
    """Whether there are letters in a text of languages that write no spaces between words."""
    if text.isascii() or not _has_any(text.encode("utf-8", "replace"), _MAYBE_UNSPACED):
        return False
    return _UNSPACED.search(text) is not None


def _has_any(data: bytes, octets: bytes) -> bool:
    return len(data.translate(None, octets)) < len(data)


def word_count(text: str) -> int:
    """How many words a text has; in languages without spaces two letters count as one."""
    if text.isascii():
        return len(text.encode().split())  # octets are parted twice as fast
    count = len(text.split())
    return count + unspaced_words(text)


def unspaced_words(text: str) -> int:
    """How many words a text has that no space parts from others: two letters count as one."""
    return len(_UNSPACED.findall(text)) // 2 if has_unspaced(text) else 0


def count_on_line(text: str) -> int:
    """As `word_count`, of a text whose words stand one space apart, and with none around it."""
    return word_count(text) if has_unspaced(text) else text.count(" ") + bool(text)


def count_spaced(text: str) -> int:
    """As `count_on_line` of some words, in a text that has no letters of languages without spaces.
    """
    return text.count(" ") + 1


_LATIN = re.compile("[A-Za-zÀ-ɏḀ-ỿ]")


def is_latin(text: str) -> bool:
    """Whether most letters of a text are Latin."""
    if text.isascii():
        return True
    data = text.encode("utf-8", "replace")
    latin = len(data) - len(data.translate(None, _LETTER_OCTETS))
    if latin > len(data) - len(data.translate(None, _ELSEWHERE)):
        return True
    letters = sum(map(str.isalpha, text))
    return 2 * len(_LATIN.findall(text)) > letters


def sentences_of(paragraph: str, language: str = "") -> list[str]:
    """The sentences of one paragraph."""
    numbered = primary(language) in _WITH_ORDINALS
    plain = paragraph.isascii() or not any(map(paragraph.__contains__, _OTHER_ENDS))
    found: list[str] = []
    begun = ""
    parts = (_PLAIN_END if plain else _END).split(paragraph)
    last = parts.pop().strip()
    for piece in map(add, parts[::2], parts[1::2]):
        begun = f"{begun} {piece}".strip() if begun else piece.strip()
        # A word of letters that is longer than any short form ends most sentences.
        if not (begun[-_LONGER:-1].isalpha() and len(begun) >= _LONGER):
            end = begun[-_SHORT:]
            if _is_short_form(end) or (numbered and _ORDINALS.search(end)):
                continue
        found.append(begun)
        begun = ""
    begun = f"{begun} {last}".strip()
    return [*found, begun] if begun else found


def _is_short_form(end: str) -> bool:
    """Whether a text that ends so ends on a short form."""
    if not end.lower().endswith(_SHORT_ENDS) and not end[-2:-1].isupper():
        return False
    return _SHORT_FORMS.search(end) is not None


@lru_cache(maxsize=16)
def stemmer(language: str) -> Callable[[str], str]:
    """What brings the inflected forms of a word of a language together. Forms are kept: texts say
    the same words over and over."""
    algorithm = _ALGORITHMS.get(primary(language))
    if algorithm is None:
        return lru_cache(maxsize=100_000)(str.casefold)
    import snowballstemmer

    reduce = snowballstemmer.stemmer(algorithm).stemWord
    return lru_cache(maxsize=100_000)(lambda word: str(reduce(word.lower())))


def stems_in(text: str, language: str) -> list[str]:
    """The stems of the words of a text, in their order; of a text without spaces its letters."""
    if _UNSPACED.search(text):
        return [letter.casefold() for letter in text if letter.isalnum()]
    return list(map(stemmer(primary(language)), words_in(text)))


def stems_like(wanted: Iterable[str], text: str, language: str) -> list[str]:
    """As `stems_in`, where only these stems are looked for: words that begin otherwise are not
    brought to theirs. (Forms of a word begin with the same letter.)"""
    if not text.isascii() and _UNSPACED.search(text):
        return stems_in(text, language)
    initials = {stem[:1] for stem in wanted}
    reduce = stemmer(primary(language))
    return [reduce(word) if word[0].lower() in initials else "" for word in words_in(text)]


def stems_of_phrase(phrase: str, language: str) -> tuple[str, ...]:
    """The stems that a text must have to say a phrase: without the words that only bind others,
    unless there are no other."""
    if _UNSPACED.search(phrase):
        return tuple(letter.casefold() for letter in phrase if letter.isalnum())
    said = words_in(phrase)
    telling = [word for word in said if word.lower() not in _BINDING] or said
    return tuple(map(stemmer(primary(language)), telling))


#: Words that nearly every sentence of a language has, and most of its neighbours do not.
_COMMON = {
    language: frozenset(said.split())
    for language, said in {
        "de": "der die das und nicht mit den dem des von zu ist sind auf für ein eine einen einer "
              "im auch sich wird werden oder aus bei nach wie",
        "en": "the and of to is are with for that this from by you your was has have can not which "
              "when an be it its their if",
        "es": "el los las del una con y más son sus pero muy también donde cuando sobre",
        "fr": "les des et est une dans pour pas sur du au aux avec qui ce cette ces son ses sont "
              "par plus ou nous vous",
        "it": "il lo gli di che è della dei delle nel nella sono per con una alla dal questo anche "
              "più",
        "nl": "het een van niet met zijn voor op aan ook naar bij deze wordt worden uit dat "
              "er maar",
    }.items()
}  # fmt: skip
#: So many of them, and that part of all words, tell a language; not so many of another's.
_TELLING, _TELLING_PART = 3, 0.12


def is_plainly_in(text: str, language: str) -> bool:
    """Whether a text is in a language without a doubt, by its commonest words. Of a language that
    is not known here, and of few words, that cannot be told."""
    known = _COMMON.get(primary(language))
    if known is None:
        return False
    words = text.lower().split()
    said = len(known.intersection(words))
    if said < _TELLING or sum(map(known.__contains__, words)) < _TELLING_PART * len(words):
        return False
    others = (some for some in _COMMON.values() if some is not known)
    return all(2 * len(some.intersection(words)) <= said for some in others)


#: So many words people search for together, mostly.
_SEARCHED = 5
_NUMBER = re.compile(r"^\W*(?:\d+(?:\.\d+)*|[A-Z](?:\.\d+)+)[.:]?\s+")


def proposed_phrase(heading: str | None, site_names: Iterable[str] = ()) -> str | None:
    """What a page might want to be found for, by its heading: without a number before it, and
    without the site's name; of a long one the first words that tell something."""
    said = _NUMBER.sub("", heading or "")
    for name in filter(None, site_names):
        said = said.replace(name, " ")
    words = words_in(said)
    telling = [word for word in words if word.lower() not in _BINDING]
    if not telling or _UNSPACED.search(said):
        return None
    if len(words) <= _SEARCHED:
        return (
            " ".join(words).lower()
            if words[0].istitle() and not _is_name(words)
            else " ".join(words)
        )
    return " ".join(telling[: _SEARCHED - 1]).lower()


def _is_name(words: Sequence[str]) -> bool:
    """Whether words are written as names are: all of them large."""
    return all(word[:1].isupper() or word.lower() in _BINDING for word in words)


def occurrences(wanted: Sequence[str], stems: Sequence[str]) -> int:
    """How often some stems stand close together, in any order: with at most as many other words
    between them, and two more."""
    if not wanted:
        return 0
    if len(wanted) == 1:
        return list(stems).count(wanted[0])
    names, reach = set(wanted), 2 * len(wanted) + 2
    places = [(place, stem) for place, stem in enumerate(stems) if stem in names]
    count, begin = 0, 0
    while begin < len(places):
        first = places[begin][0]
        seen: set[str] = set()
        at = begin
        while at < len(places) and places[at][0] < first + reach and seen != names:
            seen.add(places[at][1])
            at += 1
        if seen == names:
            count += 1
            begin = at
        else:
            begin += 1
    return count


def says(phrase: str, text: str | None, language: str) -> bool:
    """Whether a short text, as a title is, has all words of a phrase in some form and order."""
    wanted, there = stems_of_phrase(phrase, language), stems_in(text or "", language)
    if _UNSPACED.search(phrase):
        return "".join(wanted) in "".join(there)
    return bool(text) and set(wanted).issubset(there)


#: Words that begin with so many of the same letters are taken for parts of speech of one word.
_SAME_BEGINNING = 5


def shares_words(one: str, other: str, language: str) -> bool:
    """Whether two short texts have a word in common that tells something, in any form, or as
    another part of speech: "restoring" and "restoration"."""
    here, there = stems_of_phrase(one, language), stems_of_phrase(other, language)
    if not set(here).isdisjoint(there):
        return True
    beginnings = {stem[:_SAME_BEGINNING] for stem in there if len(stem) >= _SAME_BEGINNING}
    return any(stem[:_SAME_BEGINNING] in beginnings for stem in here)


class _Syllables(dict[str | bytes, int]):
    """Words and their syllables, as far as they were counted: texts say the same words over and
    over, and this is asked for each."""

    def __init__(self, positions: Callable[[str], Sequence[int]]) -> None:
        super().__init__()
        self._positions = positions

    def __missing__(self, word: str | bytes) -> int:
        if len(self) > _MOST_WORDS:
            self.clear()
        said = word if isinstance(word, str) else word.decode()
        self[word] = count = len(self._positions(said.lower())) + 1
        return count


_MOST_WORDS = 200_000


@lru_cache(maxsize=16)
def _hyphens(language: str) -> _Syllables | None:
    import pyphen

    # The British patterns part words by their origin, the American ones by their sound.
    known = "en_US" if language == "en" else pyphen.language_fallback(language)
    if known is None:
        return None
    # Syllables of one letter are none where words may be parted, but they are syllables.
    patterns = pyphen.Pyphen(lang=known, left=1, right=1)
    return _Syllables(patterns.positions)


def syllables_of(words: Iterable[str | bytes], language: str) -> int:
    """How many syllables words have, by the patterns of their language; 0 where there are none for
    it."""
    known = _hyphens(primary(language))
    return 0 if known is None else sum(map(known.__getitem__, words))


def spoken_words(text: str) -> Sequence[str | bytes]:
    """The words of a text that have letters only: what formulas of reading count. Those of plain
    texts are octets, which takes half the time."""
    if not text.isascii():
        data = text.encode("utf-8", "replace")
        if _has_any(data, _ELSEWHERE) or _OTHER_SIGNS.search(data):
            return _LETTERS_ALONE.findall(text)
    return text.encode("ascii", "replace").translate(_ASCII_LETTERS).split()
