"""What the ledger takes and gives back: plain values, without a database."""

from __future__ import annotations

from enum import StrEnum

import msgspec


class Status(StrEnum):
    """What became of an announcement. Of two nobody knows whether they arrived: `intended` broke
    off here, `unknown` on the way. `assumed` is one of these of which the engine could not tell,
    and which counts as taken, since a repeat would do harm; `lost` is one that did not arrive, or
    of which nobody can tell and that is announced again. What is `due` was not sent yet."""

    DUE = "due"
    INTENDED = "intended"
    TAKEN = "taken"
    PENDING = "pending"
    REFUSED = "refused"
    FAILED = "failed"
    UNKNOWN = "unknown"
    ASSUMED = "assumed"
    LOST = "lost"


#: What counts as heard by an engine, and what is not settled yet.
HEARD_AS = (Status.TAKEN, Status.PENDING, Status.ASSUMED)
UNSETTLED = (Status.INTENDED, Status.UNKNOWN)


class Visit(msgspec.Struct, frozen=True):
    """What a crawler asked of an address, by one reading of logs: first and last time, the last
    answer's status, and how often."""

    engine: str
    crawler: str
    loc: str
    last: str
    status: int
    count: int
    first: str = ""


class PageReport(msgspec.Struct, frozen=True):
    """What an engine said of one address: whether it is indexed (None where it did not say), why
    not, when it was last fetched, and which canonical the engine chose. `announced`, when it was
    last told of it, is not kept."""

    loc: str
    indexed: bool | None
    reason: str
    last_crawl: str | None
    canonical: str = ""
    asked_at: str = ""
    announced: str | None = None


class Announcement(msgspec.Struct, frozen=True):
    """One message to an engine, as the ledger has it."""

    engine: str
    channel: str
    what: str
    count: int
    status: Status
    detail: str
    at: str


class Unsettled(msgspec.Struct, frozen=True):
    """An announcement whose outcome nobody knows: its number, and its items (loc, mark)."""

    number: int
    channel: str
    what: str
    at: str
    items: tuple[tuple[str, str | None], ...]


class SitemapReport(msgspec.Struct, frozen=True):
    """What an engine said of one sitemap. Counts are None where it did not say. `submitted`, when
    it was last told of it, is not kept."""

    loc: str
    last_read: str | None
    state: str
    found: int | None
    indexed: int | None
    reasons: dict[str, int] = msgspec.field(default_factory=dict)
    videos: int | None = None
    asked_at: str = ""
    submitted: str | None = None


class Heard(msgspec.Struct, frozen=True):
    """A sitemap or address as an engine last took it; `urls` is what a sitemap then held."""

    mark: str
    at: str
    urls: int | None


class Built(msgspec.Struct, frozen=True):
    """What a sitemap of a section held from `at` on; `gone` once it is no longer written."""

    loc: str
    section: str
    urls: int
    at: str = ""
    gone: bool = False


class SiteReviewed(msgspec.Struct, frozen=True):
    """What a review of the whole site came to: when, the score from 0 to 100, the pages, and for
    each mark on how many pages it was good, could be better, fell short."""

    at: str
    score: float
    pages: int
    marks: dict[str, tuple[int, int, int]]


class OutsideRecord(msgspec.Struct, frozen=True):
    """How an address of another site was met when it was asked for last (`at`): its state, HTTP
    status, where it moved for good, more in a few words; since when it is so, and how often in a
    row it was met so."""

    loc: str
    state: str
    status: int | None
    final: str | None
    detail: str
    at: str = ""
    since: str = ""
    times: int = 1


class RoundStep(msgspec.Struct, frozen=True):
    """One step of a round: its name; `done`, `nothing`, `held`, `failed` or `skipped`; how long it
    took; and what came of it, in words."""

    name: str
    state: str
    seconds: float
    detail: str = ""


class TendedRound(msgspec.Struct, frozen=True):
    """A round that nobody watched: when it began, on which machine, `done`, `nothing`, `held` or
    `failed`, its steps, what changed (counts by name), how many addresses and files were announced,
    who was told what (`to`, `what`). Rounds without changes that follow each other are one, of so
    many `times` until `last`."""

    at: str
    machine: str
    state: str
    steps: list[RoundStep]
    changes: dict[str, int]
    announced: int = 0
    told: list[dict[str, str]] = msgspec.field(default_factory=list)
    number: int = 0
    last: str = ""
    times: int = 1

    @property
    def seconds(self) -> float:
        """How long it took."""
        return sum(step.seconds for step in self.steps)

    @property
    def in_short(self) -> str:
        """What came of it, in a line: what changed, and the step that held it back."""
        if self.state == "nothing" and self.times > 1:
            return f"{self.times:,} rounds until {self.last[:16].replace('T', ' ')}"
        said = [", ".join(f"{count:,} {name}" for name, count in self.changes.items() if count)]
        stopped = next((one for one in self.steps if one.state in ("held", "failed")), None)
        said += [f"{stopped.name}: {stopped.detail}"] if stopped else []
        return "; ".join(one for one in said if one) or "nothing changed"


class OpenNotice(msgspec.Struct, frozen=True):
    """Something that needs a person, since when: a key by which it is known again, how grave it is,
    which sections it is about (none for the whole site), and what it is, in words."""

    key: str
    severity: str
    sections: tuple[str, ...]
    message: str
    at: str = ""
    number: int = 0


class DueMessage(msgspec.Struct, frozen=True):
    """What is to be told to somebody: `trouble`, `well` or `digest`; of which notice (0 for none);
    from when on; after how many tries in vain, and why the last one was."""

    to: str
    kind: str
    text: str
    due: str
    notice: int = 0
    tries: int = 0
    trouble: str = ""
    number: int = 0
    at: str = ""


class Stake(msgspec.Struct, frozen=True):
    """Of some pages, how many there are, their clicks and visits in 28 days, which part of the
    site's clicks that is (of its visits, where no clicks are known), and those that have most; None
    for what is not known."""

    pages: int
    clicks: int | None
    visits: int | None
    share: float
    most: tuple[tuple[str, int], ...]

    @property
    def counted(self) -> int:
        """The clicks or, where they are not known, the visits."""
        return self.clicks if self.clicks is not None else self.visits or 0


class SiteEvent(msgspec.Struct, frozen=True):
    """A change of pages: its name among events, when it was made, of which kind it is (title,
    description, data, listing, move, links, announcement, trial, other), what was changed in
    words, why, and how many pages it changed."""

    name: str
    at: str
    kind: str
    what: str
    why: str
    pages: int
