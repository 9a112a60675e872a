"""What a kind of channel is: everything that the rest needs to know of one, in one class.

To add a kind: its part of the site file in `sitefile.engines`, a module here with a class from
this one, and a row in `engines.channels`. What is forgotten does not pass type checking, or fails
one test that names it.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, ClassVar, Generic, TypeVar

from jovial_atlas.engines.published import Due, Outcome, Published
from jovial_atlas.records import Status
from jovial_atlas.sitefile import Engine
from jovial_atlas.sitefile.engines import Channel
from jovial_atlas.web import Answer, Request

if TYPE_CHECKING:
    from jovial_atlas.engines.asking import Asking
    from jovial_atlas.ledger import Ledger

C = TypeVar("C", bound=Channel)
#: Addresses with their marks.
Items = Sequence[tuple[str, str]]


class ChannelKind(ABC, Generic[C]):
    """One kind of channel: `model` is its part of the site file, `names` are those under which the
    ledger keeps its messages, `repeat_harms` those of which a message may not be repeated on
    suspicion, since each uses up a small quota."""

    model: type[C]
    names: ClassVar[tuple[str, ...]]
    repeat_harms: ClassVar[frozenset[str]] = frozenset()

    def name(self, channel: C) -> str:
        """The name under which the ledger keeps a channel."""
        return channel.kind

    def tells_sitemaps(self, name: str) -> bool:
        """Whether what it announces under one of its names are sitemaps."""
        return False

    @abstractmethod
    def due(
        self, engine: Engine, channel: C, published: Published, ledger: Ledger
    ) -> Iterator[Due]:
        """What has changed since the engine last heard, one `Due` a message."""

    def waiting(
        self, engine: Engine, channel: C, published: Published, ledger: Ledger
    ) -> tuple[int, int]:
        """How many addresses are due, and how many are left for another day."""
        dues = list(self.due(engine, channel, published, ledger))
        return sum(len(one.items) for one in dues), sum(one.later for one in dues)

    def single(
        self, engine: Engine, channel: C, ledger: Ledger, pages: Items, sitemaps: Items
    ) -> Iterator[Due]:
        """The messages about these addresses alone, changed or not."""
        yield from ()

    def token_env(self, channel: C) -> str:
        """The environment variable that holds its token, "" for none."""
        return ""

    def arrived(
        self, name: str, loc: str, since: str, ledger: Ledger, asking: Asking
    ) -> bool | None:
        """Whether an engine has what was announced since a time; None where it cannot tell. Raises
        NetworkError."""
        return None

    def key(self, channel: C) -> str | None:
        """The key of its own with which it proves that the site is ours: "" where it takes the
        site's, None where it needs none."""
        return None

    def hub(self, channel: C) -> str:
        """The hub that passes changes of the feeds on, "" for none."""
        return ""


class SentKind(ChannelKind[C]):
    """A kind over which messages are sent."""

    @abstractmethod
    def request(self, due: Due, channel: C, published: Published, token: str) -> Request:
        """The message."""

    @abstractmethod
    def meaning(self, channel: C, answer: Answer) -> tuple[Status, str]:
        """Outcome and detail of an answer."""


class UnsentKind(ChannelKind[C]):
    """A kind over which nothing is sent: others see to it."""

    @abstractmethod
    def outcome(
        self, due: Due, channel: C, published: Published, ledger: Ledger, *, done: bool
    ) -> Outcome:
        """What came of it, recorded where it is known; `done` says that the owner did his part."""
