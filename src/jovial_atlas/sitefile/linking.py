"""The part of the site file about links between pages: where readers begin, what is left alone when
links are checked, and which words lead where."""

from typing import Annotated

from msgspec import Meta

from jovial_atlas import patterns
from jovial_atlas.sitefile.parts import Part, check, check_whole, says


class LinkRule(Part, frozen=True, kw_only=True):
    """`[[links.rule]]`: words that link to a page wherever texts say them."""

    words: Annotated[
        str | tuple[str, ...],
        says("words that become a link, or several; inflected forms count as well"),
    ]
    to: Annotated[str, says("path or address of the page that they lead to")]
    per_page: Annotated[int, says("links to it on one page, at most", ge=1, le=20)] = 1
    sections: Annotated[
        tuple[str, ...], says("sections whose pages get the link; all if empty")
    ] = ()
    but: Annotated[tuple[str, ...], says("patterns of paths whose pages get no link")] = ()

    @check("words")
    @classmethod
    def _words(cls, value: str | tuple[str, ...]) -> tuple[str, ...]:
        several = (value,) if isinstance(value, str) else value
        if not several or any(not any(map(str.isalnum, one)) for one in several):
            raise ValueError("there must be words, with a letter or digit each")
        return several

    @check("to")
    @classmethod
    def _to(cls, value: str) -> str:
        if not value.startswith(("/", "https://", "http://")):
            raise ValueError(f"{value!r} is no address; give one, or a path from '/' on")
        return value

    @check("but")
    @classmethod
    def _but(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for pattern in value:
            patterns.to_regex(pattern)
        return value


class Linking(Part, frozen=True, kw_only=True):
    """`[links]`: what counts when the links of the site are looked at, and what `inject` adds."""

    start: Annotated[
        tuple[str, ...],
        says("paths of the pages that readers begin with; the root of each host if empty"),
    ] = ()
    ignore: Annotated[
        tuple[str, ...],
        says("links that are never told: paths of the site, as in /old/**, or addresses"),
    ] = ()
    hosts: Annotated[
        tuple[str, ...],
        says(
            "hosts on which the site stands for a time, as staging.shop.example: no link may lead "
            "there"
        ),
    ] = ()
    file: Annotated[str, says("CSV file of the links that you took from proposals")] = "links.csv"
    most_added: Annotated[
        Annotated[int, Meta(ge=0, le=100)], says("links that `inject` adds to one page, at most")
    ] = 5
    rule: tuple[LinkRule, ...] = ()

    @check("start")
    @classmethod
    def _start(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for path in value:
            if not path.startswith("/"):
                raise ValueError(f"{path!r} is no path; it begins with '/'")
        return value

    @check("ignore")
    @classmethod
    def _ignore(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        patterns.matcher(value, ())
        return value

    @check("hosts")
    @classmethod
    def _hosts(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for host in value:
            if "/" in host or not host:
                raise ValueError(f"{host!r} is no host; write it as staging.shop.example")
        return value

    @check_whole
    def _no_word_twice(self) -> None:
        seen: dict[str, str] = {}
        for rule in self.rule:
            for words in rule.words:
                other = seen.setdefault(words.casefold(), rule.to)
                if other != rule.to:
                    raise ValueError(f"{words!r} leads to {other} and to {rule.to}")
