"""How a stand-in behaves: delays, quotas, rules, and the trouble that it plays, from a TOML file.

read_after = 6.0        # hours after it was submitted until a sitemap is read
least_words = 25        # pages with fewer words are not indexed

[[trouble]]
on = "indexnow"         # which calls; "*" for all
status = 429
retry_after = 3600
times = 2               # the first two of these calls
"""

from __future__ import annotations

import tomllib
from pathlib import Path
from typing import Annotated, Literal

from msgspec import Meta

from jovial_atlas.errors import AtlasError
from jovial_atlas.sitefile.parts import Part, names_of, read_part

#: The calls that trouble can be on.
SimulatedCall = Literal["*", "indexnow", "sitemaps", "pages", "verify"]


class Trouble(Part, frozen=True, kw_only=True):
    """A fault that is played. Without `times` and hours it is played on every call."""

    on: SimulatedCall = "*"
    #: Status that is answered instead, with Retry-After seconds.
    status: Annotated[int, Meta(ge=0, le=599)] = 0
    retry_after: Annotated[int, Meta(ge=0)] = 0
    #: Seconds without an answer, before the message is taken, or, with `taken`, after.
    hang: Annotated[float, Meta(ge=0)] = 0.0
    taken: bool = False
    #: The message is taken, and the body of the answer breaks off half-way.
    half: bool = False
    #: So many of these calls, and hours since the stand-in began.
    times: Annotated[int, Meta(ge=0)] = 0
    from_hour: float = 0.0
    until_hour: float = float("inf")


class Scenario(Part, frozen=True, kw_only=True):
    """Hours between one thing and the next, quotas a day (0: none), and rules."""

    read_after: Annotated[float, Meta(ge=0)] = 0.0
    read_again: Annotated[float, Meta(gt=0)] = 72.0
    crawl_after: Annotated[float, Meta(ge=0)] = 0.0
    crawl_announced_after: Annotated[float, Meta(ge=0)] = 0.0
    crawl_again: Annotated[float, Meta(gt=0)] = 168.0
    index_after: Annotated[float, Meta(ge=0)] = 0.0
    pages_per_day: Annotated[int, Meta(ge=0)] = 0
    announced_per_day: Annotated[int, Meta(ge=0)] = 0
    asked_per_day: Annotated[int, Meta(ge=0)] = 10
    least_words: Annotated[int, Meta(ge=0)] = 0
    #: Whether the site must be proved to be the owner's before calls about it are answered.
    ownership: bool = False
    trouble: tuple[Trouble, ...] = ()


def read_scenario(path: Path) -> Scenario:
    """A scenario file. Raises AtlasError with every mistake in it."""
    try:
        scenario, mistakes = read_part(Scenario, tomllib.loads(path.read_text("utf-8")))
    except OSError as error:
        raise AtlasError(f"{path} cannot be read ({error.strerror}).") from error
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise AtlasError(f"{path} is not TOML ({error}).") from None
    if scenario is not None:
        return scenario
    told = (f"{'.'.join(map(str, one.path))} {one.message.rstrip('.')}" for one in mistakes)
    wrong = "; ".join(told)
    known = ", ".join(names_of(Scenario))
    raise AtlasError(f"{path} is no scenario ({wrong}). Keys are: {known}.")
