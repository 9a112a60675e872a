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
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from jovial_atlas.errors import AtlasError

#: The calls that trouble can be on.
Call = Literal["*", "indexnow", "sitemaps", "pages", "verify"]


class Trouble(BaseModel):
    """A fault that is played. Without `times` and hours it is played on every call."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    on: Call = "*"
    #: Status that is answered instead, with Retry-After seconds.
    status: int = Field(0, ge=0, le=599)
    retry_after: int = Field(0, ge=0)
    #: Seconds without an answer, before the message is taken, or, with `taken`, after.
    hang: float = Field(0.0, ge=0)
    taken: bool = False
    #: The message is taken, and the body of the answer breaks off half-way.
    half: bool = False
    #: So many of these calls, and hours since the stand-in began.
    times: int = Field(0, ge=0)
    from_hour: float = 0.0
    until_hour: float = float("inf")


class Scenario(BaseModel):
    """Hours between one thing and the next, quotas a day (0: none), and rules."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    read_after: float = Field(0.0, ge=0)
    read_again: float = Field(72.0, gt=0)
    crawl_after: float = Field(0.0, ge=0)
    crawl_announced_after: float = Field(0.0, ge=0)
    crawl_again: float = Field(168.0, gt=0)
    index_after: float = Field(0.0, ge=0)
    pages_per_day: int = Field(0, ge=0)
    announced_per_day: int = Field(0, ge=0)
    asked_per_day: int = Field(10, ge=0)
    least_words: int = Field(0, ge=0)
    #: Whether the site must be proved to be the owner's before calls about it are answered.
    ownership: bool = False
    trouble: tuple[Trouble, ...] = ()


def read_scenario(place: Path) -> Scenario:
    """A scenario file. Raises AtlasError with every mistake in it."""
    try:
        return Scenario.model_validate(tomllib.loads(place.read_text("utf-8")))
    except OSError as error:
        raise AtlasError(f"{place} cannot be read ({error.strerror}).") from error
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise AtlasError(f"{place} is not TOML ({error}).") from None
    except ValidationError as error:
        wrong = "; ".join(
            f"{'.'.join(str(part) for part in one['loc'])}: {one['msg']}" for one in error.errors()
        )
        known = ", ".join(Scenario.model_fields)
        raise AtlasError(f"{place} is no scenario ({wrong}). Keys are: {known}.") from None
