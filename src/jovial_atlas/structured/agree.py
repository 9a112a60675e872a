"""Whether structured data says what its page shows.

Names, dates, prices, telephone numbers, addresses, opening hours, questions and answers are looked
for in the visible text, in any of the forms that people write them in.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterator, Mapping
from datetime import date, datetime, time
from functools import lru_cache
from html import unescape
from typing import Any

import msgspec

from jovial_atlas.structured.validate import types_of

_DASHES = re.compile(r"[\u2010-\u2015\u2212\u00ad]")
_QUOTES = re.compile(r"[\u2018\u2019\u201a\u2032\u00b4`\u201c\u201d\u201e\u00ab\u00bb\"']")
_SPACE = re.compile(r"[\s\u00a0\u200b]+")
_PHONE = re.compile(r"\+?\(?\d[\d\s()/.\-\u2010-\u2015]{5,22}\d")
_NUMBER = re.compile(r"\d+(?:[.,' \u00a0\u202f]\d+)*")
_TIME = re.compile(r"\b(\d{1,2})(?:[:.h](\d\d))?\s*([ap])?\.?\s?m?\b", re.I)
_TAGS = re.compile(r"<[^>]+>")
#: Characters of a long text that are looked for, from its beginning.
_LONG = 120
_SHORT = 12


class Disagreement(msgspec.Struct, frozen=True):
    """A value that the page does not show: where in the data, what it says, and the most similar
    piece of the page ("" for none)."""

    path: str
    said: str
    nearest: str


class PageText:
    """The visible text of a page, ready to be searched. `language` is that of the page."""

    def __init__(self, text: str, language: str = "en") -> None:
        self.text = " ".join(text.split())
        self.language = language
        self.plain = plain(self.text)
        self.phones = {_digits(one)[-9:] for one in _PHONE.findall(self.text)}
        self.numbers = {_amount(one) for one in _NUMBER.findall(self.text)}
        self.times = set(_times(self.text))

    def nearest(self, value: str) -> str:
        """The piece of the text that is most like some words."""
        from rapidfuzz import fuzz

        wanted = plain(value)[:_LONG]
        if not wanted or not self.plain:
            return ""
        # A short word is like many others.
        least = 45 if len(wanted) >= _SHORT else 80
        alignment = fuzz.partial_ratio_alignment(wanted, self.plain[:200_000], score_cutoff=least)
        if alignment is None:
            return ""
        start = self.plain.rfind(" ", 0, alignment.dest_start + 1) + 1
        end = self.plain.find(" ", alignment.dest_end)
        return self.plain[start : end if end >= 0 else None][: _LONG + 40]


def plain(text: str) -> str:
    """A text as it is compared: small letters, one space, one kind of dash, no quotes."""
    flat = unicodedata.normalize("NFKC", text)
    flat = _QUOTES.sub("", _DASHES.sub("-", flat))
    return _SPACE.sub(" ", flat).strip().casefold()


def disagreements(node: Mapping[str, Any], page: PageText) -> Iterator[Disagreement]:
    """What a node, and those inside it, say that the page does not show."""
    yield from _node(node, "", page)


def _node(node: Mapping[str, Any], path: str, page: PageText) -> Iterator[Disagreement]:
    kinds = set(types_of(node))
    for key, value in node.items():
        if key.startswith("@"):
            continue
        at = f"{path}.{key}" if path else key
        shown = _SHOWN.get(key)
        if key == "name" and not kinds & _NAMED:
            shown = None
        if key == "validThrough" and not kinds & {"JobPosting", "Offer"}:
            shown = None
        if key == "text" and "Answer" not in kinds:
            shown = None
        if "OpeningHoursSpecification" in kinds and key in ("opens", "closes"):
            shown = None if node.get("opens") == node.get("closes") else _time
        for number, item in enumerate(value if isinstance(value, list) else [value]):
            place = f"{at}[{number}]" if isinstance(value, list) else at
            if isinstance(item, Mapping):
                yield from _node(item, place, page)
            elif shown and isinstance(item, (str, int, float)) and not isinstance(item, bool):
                said = str(item)
                if said and not shown(said, page):
                    yield Disagreement(place, said, page.nearest(said))


#: Types whose names a reader sees; a web site's name, say, stands in other places.
_NAMED = frozenset(
    ["Event", "Product", "Recipe", "HowTo", "LocalBusiness", "Place", "Question", "Course",
    "Dataset", "Book", "Movie", "CafeOrCoffeeShop", "Restaurant", "Store", "Museum",
    "TouristAttraction", "MusicEvent", "EducationEvent", "SocialEvent", "ChildrensEvent"]
)  # fmt: skip


def _words(said: str, page: PageText) -> bool:
    # Some generators escape their titles for HTML, and put them into JSON so.
    return plain(said) in page.plain or plain(unescape(said)) in page.plain


def _passage(said: str, page: PageText) -> bool:
    """A long text: its beginning, without tags, is enough."""
    bare = plain(_TAGS.sub(" ", said))
    if len(bare) > _LONG:
        bare = bare[:_LONG].rpartition(" ")[0]
    return bare in page.plain


def _day(said: str, page: PageText) -> bool:
    try:
        moment = datetime.fromisoformat(said)
    except ValueError:
        return True  # the validator tells what is no date
    return any(one in page.plain for one in _dates(moment.date(), page.language))


@lru_cache(maxsize=4096)
def _dates(day: date, language: str) -> tuple[str, ...]:
    """The forms in which a language writes a date, and ISO 8601; without the year too."""
    from babel import Locale, UnknownLocaleError
    from babel.dates import format_date, format_skeleton

    spellings = [day.isoformat()]
    for name in dict.fromkeys((language, "en")):
        try:
            locale = Locale.parse(name.replace("-", "_"))
        except (UnknownLocaleError, ValueError):
            continue
        spellings += [
            format_date(day, form, locale) for form in ("short", "medium", "long", "full")
        ]
        for skeleton in ("MMMMd", "MMMd", "yMMMd", "yMMMMd"):
            try:
                spellings.append(format_skeleton(skeleton, day, locale=locale))
            except KeyError:
                continue
    number = f"{day.day}."
    spellings += [f"{day:%d.%m.%Y}", f"{day.day}.{day.month}.{day.year}", f"{day:%d/%m/%Y}",
              f"{day.day}/{day.month}/{day.year}", f"{day:%m/%d/%Y}",
              f"{day.day} {day:%B}", f"{day:%B} {day.day}", f"{number} {day:%B}"]  # fmt: skip
    return tuple(dict.fromkeys(map(plain, spellings)))


def _amount(text: str) -> str:
    """A number as it is compared: `8,00`, `8.0` and `8` alike, `1.250` as 1250."""
    digits = re.sub(r"[' \u00a0\u202f]", "", text)
    match = re.fullmatch(r"(\d+(?:[.,]\d{3})*)(?:[.,](\d{1,2}))?", digits)
    if match is None:
        return digits
    whole = re.sub(r"[.,]", "", match[1]).lstrip("0") or "0"
    cents = (match[2] or "").rstrip("0")
    return f"{whole}.{cents}" if cents else whole


def _price(said: str, page: PageText) -> bool:
    amount = _amount(said)
    free = amount == "0" and any(w in page.plain for w in ("free", "kostenlos", "frei", "gratis"))
    return free or amount in page.numbers


def _digits(text: str) -> str:
    return re.sub(r"\D", "", text.replace("(0)", ""))


def _telephone(said: str, page: PageText) -> bool:
    """The last nine digits, as national and international forms share them."""
    return _digits(said)[-9:] in page.phones


def _times(text: str) -> Iterator[str]:
    for hour, minute, half in _TIME.findall(text):
        number = int(hour)
        if half.lower() == "p" and number < 12:
            number += 12
        elif half.lower() == "a" and number == 12:
            number = 0
        if number <= 24:
            yield f"{number:02}:{minute or '00'}"


def _time(said: str, page: PageText) -> bool:
    try:
        moment = time.fromisoformat(said)
    except ValueError:
        return True
    return f"{moment:%H:%M}" in page.times


_SHOWN: dict[str, Callable[[str, PageText], bool]] = {
    "name": _words, "headline": _words, "title": _words, "startDate": _day, "endDate": _day,
    "validThrough": _day, "price": _price, "lowPrice": _price, "highPrice": _price,
    "telephone": _telephone, "streetAddress": _words, "postalCode": _words,
    "addressLocality": _words, "address": _words, "text": _passage,
}  # fmt: skip


def phone_key(text: str) -> str:
    """By what two spellings of a telephone number are known to be one."""
    return _digits(text)[-9:]


def phones_in(text: str) -> list[str]:
    """Telephone numbers in a text, as they are written: nine digits or more."""
    found = (" ".join(one.split()) for one in _PHONE.findall(text))
    dated = re.compile(r"\d{4}-\d\d")
    return [one for one in found if 9 <= len(_digits(one)) <= 15 and not dated.match(one)]
