"""`[robots]`: what robots.txt says."""

import re
from typing import Annotated

from msgspec import field

from jovial_atlas.sitefile.parts import Part, check, check_whole, says


def _as_records(value: tuple[str, ...]) -> tuple[str, ...]:
    for record in value:
        if ":" not in record or "\n" in record:
            raise ValueError(f"{record!r} is no record; it needs a name, a colon and a value")
    return value


class RobotsGroup(Part, frozen=True, kw_only=True):
    """One group of robots.txt."""

    agents: Annotated[tuple[str, ...], says('crawlers by product token, "*" for all')]
    allow: Annotated[tuple[str, ...], says("path patterns that may be fetched")] = ()
    disallow: Annotated[tuple[str, ...], says("path patterns that may not")] = ()
    comment: Annotated[str, says("comment above the group")] = ""
    reasons: Annotated[dict[str, str], says("pattern → why, as a comment above its rule")] = field(
        default_factory=dict
    )
    records: Annotated[
        tuple[str, ...], says('other records of this group, as in "Crawl-delay: 10"')
    ] = ()

    @check("records")
    @classmethod
    def _records(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        return _as_records(value)

    @check_whole
    def _reasons_have_rules(self) -> None:
        for pattern in self.reasons:
            if pattern not in (*self.allow, *self.disallow):
                raise ValueError(f"reasons names {pattern!r}, which is no rule of this group")

    @check("agents")
    @classmethod
    def _tokens(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        if not value:
            raise ValueError("it names no crawler")
        for agent in value:
            if agent != "*" and not re.fullmatch(r"[A-Za-z_-]+", agent):
                raise ValueError(f"{agent!r} is no product token (letters, '_' and '-', or '*')")
        return value

    @check("allow", "disallow")
    @classmethod
    def _paths(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for path in value:
            if path and path[0] not in "/*$":
                raise ValueError(f"{path!r} must begin with '/' or '*'")
            if re.search(r"[\x00-\x1f#]", path):
                raise ValueError(f"{path!r} may hold neither '#' nor control characters")
        return value


class Robots(Part, frozen=True, kw_only=True):
    """`[robots]`: what robots.txt says."""

    groups: Annotated[tuple[RobotsGroup, ...], says("groups, in order")] = (
        RobotsGroup(agents=("*",)),
    )
    comment: Annotated[str, says("comment at the top")] = ""
    records: Annotated[tuple[str, ...], says('other records, as in "Crawl-delay: 10"')] = ()
    sitemaps: Annotated[tuple[str, ...], says("sitemaps to name beside the tool's own")] = ()

    @check("records")
    @classmethod
    def _records(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        return _as_records(value)
