"""The questions of a set-up: what is asked, in which order, what was found as the answer, and how
an answer is read. Nobody is asked anything here.

An answer is a text; empty stands for what was found, "-" for nothing. Answers can be taken back one
by one, and kept while the sitting is left.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, get_args

from jovial_atlas import addresses, languages
from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import plural
from jovial_atlas.rounds.reading.home_head import HomeHead
from jovial_atlas.rounds.reading.proposal import Proposal, site_origin
from jovial_atlas.sitefile.kinds import Policies
from jovial_atlas.sitefile.parts import keys_of
from jovial_atlas.structured.values import is_telephone

#: What stands for no answer at all, where one may be left out.
NOTHING = "-"
#: Signs between the parts of a title.
_SIGNS = ("–", "-", "|", "·", ":", "none")
#: Roles of pages → what decides about them.
_POLICIES = {
    "author": "author_pages", "paged": "paged_listings", "search": "search_results",
    "error": "error_pages", "draft": "drafts", "picture": "picture_pages", "feed": "feeds",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Found:
    """What answers are proposed from: what was read off the content (None where a part of a site
    file is done again, and nothing is read), what the home page says, and the site file that
    there is, by table and key."""

    proposal: Proposal | None
    home: HomeHead = field(default_factory=HomeHead)
    current: Mapping[str, Any] = field(default_factory=dict)
    #: The folder that is served at the root of the site, where it is known.
    root: Path | None = None

    def said(self, name: str) -> Any:
        """What the site file, else the home page, says under a name like `publisher.logo`."""
        table, _, key = name.partition(".")
        values = self.current.get(table)
        if isinstance(values, Mapping) and key in values:
            return values[key]
        home = {"publisher": self.home.publisher, "head": self.home.head, "site": self.home.site}
        return home.get(table, {}).get(key)


Given = Mapping[str, str]


@dataclass(frozen=True, slots=True)
class Question:
    """One question as it stands: its name (`publisher.logo`), its part, what is asked, the answer
    that was found, the words to choose from, whether it may be left out, and what helps to answer
    it."""

    name: str
    part: str
    ask: str
    default: str = ""
    choices: tuple[str, ...] = ()
    optional: bool = False
    help: str = ""
    #: What an answer comes to, as lines.
    told: Callable[[str], Iterable[str]] = lambda _answer: ()


ReadAnswer = Callable[[str, Found], Any]


@dataclass(frozen=True, slots=True)
class _Kind:
    """How a question comes about, from what was found and what was answered before: None where it
    need not be asked; and how its answer is read (AtlasError where it is wrong)."""

    name: str
    make: Callable[[Found, Given], Question | None]
    read: ReadAnswer


def _text(text: str, _found: Found) -> str:
    return text


def _some(text: str, _found: Found) -> str:
    if not text:
        raise AtlasError("It cannot be empty.")
    return text


def _language(text: str, _found: Found) -> str:
    if fault := languages.fault_of(text):
        meant = languages.tag_of_name(text)
        hint = f" {text} is {meant}." if meant else ""
        raise AtlasError(f"{text!r} {fault}.{hint}")
    return languages.canonical(text)


def _origin(text: str, _found: Found) -> str:
    return site_origin(text)


def _telephone(text: str, _found: Found) -> str:
    if text and not is_telephone(text):
        raise AtlasError(f"{text!r} is not in international form. Write it like +44 1632 960 018.")
    return text


def _address(text: str) -> str:
    try:
        return addresses.normalise(text)
    except ValueError as error:
        raise AtlasError(f"{error}. Write it like https://social.example/marrowfen") from None


def _addresses(text: str, _found: Found) -> list[str]:
    return [_address(one) for one in re.split(r"[\s,;]+", text) if one]


def _picture(text: str, found: Found) -> str:
    """An address, or the path of a file that is there."""
    if not text or text.startswith(("http://", "https://")):
        return _address(text) if text else text
    if not text.startswith("/"):
        raise AtlasError(f"{text!r} is neither an address nor a path of the site, as in /logo.png.")
    if found.root and not (found.root / text.lstrip("/")).is_file():
        raise AtlasError(f"There is no file {text} in {found.root}.")
    return text


def _tags(text: str, _found: Found) -> dict[str, str]:
    tags = {}
    for one in re.split(r"[\s,;]+", text):
        name, sign, token = one.partition("=")
        if one and not (sign and name and token):
            raise AtlasError(f"{one!r}: write it as NAME=TOKEN, as the engine gives them.")
        if one:
            tags[name] = token
    return tags


def _page_name(text: str, _found: Found) -> str:
    if text and not re.fullmatch(r"[A-Za-z0-9_~-][A-Za-z0-9._~-]*\.html", text):
        raise AtlasError(f"{text!r} is no name of a page. Write it like sitemap.html.")
    return text


def _crawlers(text: str, _found: Found) -> list[str]:
    names = [one for one in re.split(r"[\s,;]+", text) if one]
    for one in names:
        if not re.fullmatch(r"[A-Za-z_-]+", one):
            raise AtlasError(f"{one!r} is no product token: letters, '_' and '-' alone.")
    return names


def _endpoint(text: str, _found: Found) -> str:
    return _address(text) if text else ""


def _number(text: str, _found: Found) -> int:
    if not text.isdecimal() or int(text) < 2:
        raise AtlasError(f"{text!r} is no whole number from 2 on.")
    return int(text)


def _plain(  # noqa: PLR0913 - a table of questions, with a name for each of its columns
    name: str, ask: str, default: Callable[[Found, Given], Any] = lambda _f, _g: "", *,
    choices: tuple[str, ...] = (), optional: bool = False, read: ReadAnswer = _text,
    when: Callable[[Found, Given], bool] = lambda _f, _g: True, help: str = "",
    told: Callable[[Found, Given, str], Iterable[str]] = lambda _f, _g, _answer: (),
) -> _Kind:  # fmt: skip
    """A question whose answer is found in the site file, on the home page, or by `default`."""
    part = name.partition(".")[0]

    def make(found: Found, given: Given) -> Question | None:
        if not when(found, given):
            return None
        said = found.said(name)
        answer = said if said not in (None, "", [], {}) else default(found, given)
        return Question(name, part, ask, _as_answer(answer), choices, optional, help,
                        lambda text: told(found, given, text))  # fmt: skip

    return _Kind(name, make, read)


def _as_answer(value: Any) -> str:
    """A value as it would be typed."""
    if isinstance(value, Mapping):
        return " ".join(f"{name}={token}" for name, token in value.items())
    if isinstance(value, list | tuple):
        return " ".join(map(str, value))
    return "" if value is None else str(value)


def _kinds_of_pages() -> list[_Kind]:
    """A question for each kind of page that there is and something decides about."""
    keys = keys_of(Policies)

    def one(role: str, policy: str) -> _Kind:
        choices = tuple(get_args(_literal(keys[policy].type)))

        def make(found: Found, given: Given) -> Question | None:
            count = found.proposal.kinds.get(role, 0) if found.proposal else 0
            current = found.said(f"policies.{policy}")
            if not count and current is None and found.proposal is not None:
                return None
            if role == "author" and given.get("site.authors") == "many":
                return None  # it only decides where one author writes all
            about = keys[policy].meaning.partition(";")[0]
            about = f"{about} ({plural(count, 'page')})" if count else about
            default = current or keys[policy].default
            return Question(f"policies.{policy}", "policies", about[0].upper() + about[1:],
                            str(default), choices,
                            help='"index": nothing happens; "unlist": not in sitemaps; "noindex": '
                            "out of the index of engines too.")  # fmt: skip

        return _Kind(f"policies.{policy}", make, _text)

    return [one(role, policy) for role, policy in _POLICIES.items()]


def _literal(kind: Any) -> Any:
    while get_args(kind) and not isinstance(get_args(kind)[0], str):
        kind = get_args(kind)[0]
    return kind


def _sign(found: Found, _given: Given) -> bool:
    """Whether titles do not have the name of the site already."""
    if found.current.get("head", {}).get("title"):
        return False
    return found.proposal is None or not found.proposal.titles_with


def title_pattern(sign: str) -> str:
    """The pattern of titles with a sign before the name of the site; "" for titles as they are."""
    space = "" if sign == ":" else " "
    name = "{{ site.short_name or site.name }}"
    return "" if sign == "none" else f"{{{{ page.title or page.heading }}}}{space}{sign} {name}"


def _titles_with(found: Found, given: Given, sign: str) -> Iterator[str]:
    """Titles of three pages as they would read."""
    said = given.get("site.short_name") or given.get("site.name") or found.said("site.name")
    for title in found.proposal.titles[:3] if found.proposal else ():
        yield title if sign == "none" else f"{title}{'' if sign == ':' else ' '}{sign} {said}"


def _publisher_name(found: Found, given: Given) -> str:
    usable = found.proposal.usable_name if found.proposal else ""
    return given.get("site.name") or found.said("site.name") or usable or found.said("site.url")


def _end_of_titles(found: Found) -> str:
    """What titles end or begin with, without the sign beside it."""
    return found.proposal.titles_with.strip(" -–—|·:»•~⋅・/()") if found.proposal else ""


def _has_engine(_found: Found, given: Given) -> bool:
    return given.get("engine.name", NOTHING) not in ("", NOTHING)


_QUESTIONS: list[_Kind] = [
    _plain("site.name", "Name of the site", read=_some,
           default=lambda f, _g: f.proposal.usable_name if f.proposal else ""),
    _plain("site.short_name", "Shorter name, for the end of titles",
           default=lambda f, g: _end_of_titles(f) or g.get("site.name", "")),
    _plain("site.language", "Main language", read=_language,
           default=lambda f, _g: f.proposal.usable_language if f.proposal else "en",
           help="A language tag, as in en, en-GB or pt-BR."),
    _plain("site.stage", "Live, or still a draft that shall stay hidden",
           default=lambda _f, _g: "live", choices=("live", "draft")),
    _plain("site.authors", "Does one author write it, or many", choices=("one", "many"),
           default=lambda f, _g: "one" if f.proposal and f.proposal.authors == 1 else "many",
           help="Where one person writes all, pages about authors repeat other pages."),
    _plain("publisher.kind", "Who stands behind it", choices=("organization", "person"),
           default=lambda _f, _g: "organization"),
    _plain("publisher.name", "Their name", _publisher_name, read=_some),
    _plain("publisher.logo", "Their logo or portrait, as a path or an address", optional=True,
           read=_picture, help="At least 112 × 112 pixels."),
    _plain("publisher.telephone", "Telephone for the public", optional=True, read=_telephone),
    _plain("publisher.matter", "What that telephone is for", optional=True,
           when=lambda f, g: g.get("publisher.telephone", "") not in ("", NOTHING)
           and not f.said("publisher.contacts"),
           help="As in customer service, sales, emergency; nothing for everything."),
    _plain("publisher.profiles", "Their profiles elsewhere, with blanks between", optional=True,
           read=_addresses),
    *_kinds_of_pages(),
    _plain("head.sign", "Sign between a title and the name of the site", choices=_SIGNS,
           default=lambda f, _g: "none" if f.proposal and f.proposal.place.folder else "–",
           when=_sign, told=_titles_with,
           help="none: titles stay as the pages have them."),
    _plain("head.image", "Picture with which pages without one are shared", optional=True,
           read=_picture),
    _plain("head.verification", "Ownership tags, as NAME=TOKEN", optional=True, read=_tags,
           help="As engines give them for the home page."),
    _plain("sections.least", "Pages that a folder needs to be a section; others stay together",
           read=_number, default=lambda _f, _g: "2",
           when=lambda f, _g: bool(f.proposal and len(f.proposal.sections) > 20)),
    _plain("sitemap.news_name", "If it is a news publication, its name", optional=True),
    _plain("visitors.page", "Page of links for visitors", read=_page_name, optional=True,
           default=lambda _f, _g: "sitemap.html"),
    _plain("engine.name", "A search engine to announce to", optional=True,
           when=lambda f, _g: not f.current.get("engine"),
           help="Any name; more engines and channels: docs/announcing.md."),
    _plain("engine.crawlers", "Names of its crawlers, as in robots.txt", optional=True,
           read=_crawlers, when=_has_engine),
    _plain("engine.endpoint", "Its IndexNow endpoint", optional=True, read=_endpoint,
           when=_has_engine, help="As in https://engine.example/indexnow"),
]  # fmt: skip

#: Part → what it is called, in the order in which it is asked.
PARTS = {
    "site": "What the site is",
    "publisher": "Who stands behind it",
    "policies": "Kinds of page",
    "head": "Titles, pictures and ownership",
    "sections": "Sections",
    "sitemap": "Sitemaps",
    "visitors": "For visitors",
    "engine": "Search engines",
}


class Sitting:
    """A sitting: answers so far, and the question that is open."""

    def __init__(
        self, found: Found, given: Mapping[str, str] | None = None, only: str = ""
    ) -> None:
        self.found = found
        self.given: dict[str, str] = dict(given or {})
        self._kinds = [one for one in _QUESTIONS if not only or one.name.startswith(f"{only}.")]

    def question(self) -> Question | None:
        """The question that is open; None where all are answered."""
        return next((one for one in self._questions() if one.name not in self.given), None)

    def _questions(self) -> Iterator[Question]:
        for kind in self._kinds:
            if question := kind.make(self.found, self.given):
                yield question

    def answer(self, text: str) -> list[str]:
        """Answer the open question; gives what that comes to, as lines. Raises AtlasError where the
        answer is wrong."""
        question = self.question()
        assert question is not None
        said = text.strip() or question.default
        if said == NOTHING and not question.optional:
            raise AtlasError("It cannot be left out.")
        if question.choices and said not in question.choices:
            raise AtlasError(f"{said!r} is not one of {', '.join(question.choices)}.")
        kind = next(one for one in self._kinds if one.name == question.name)
        kind.read("" if said == NOTHING else said, self.found)
        self.given[question.name] = said or NOTHING
        return list(question.told(said))

    def back(self) -> bool:
        """Take the last answer back; False where there is none."""
        asked = [one.name for one in self._questions() if one.name in self.given]
        if not asked:
            return False
        del self.given[asked[-1]]
        return True

    def take_defaults(self) -> None:
        """Answer all that is open with what was found; what cannot be so is left out."""
        while question := self.question():
            try:
                self.answer("")
            except AtlasError:
                self.given[question.name] = NOTHING

    def values(self) -> dict[str, Any]:
        """The answers as values, by name; None for what is left out."""
        read = {one.name: one.read for one in self._kinds}
        return {
            name: None if text == NOTHING else read[name](text, self.found)
            for name, text in self.given.items()
            if name in read
        }


def told_of_titles(proposal: Proposal) -> str:
    """What of titles need not be asked for."""
    said = proposal.titles_with
    place = "begin" if said.endswith(" ") else "end"
    return f"Titles {place} with {said!r} already, and stay as they are." if said else ""
