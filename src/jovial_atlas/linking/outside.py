"""Looking at pages of other sites that links lead to: whether they are still there.

Politely: each address once, robots.txt obeyed (RFC 9309), one request at a time a host with a pause
between two, HEAD first and GET where that does not tell, bounded in number and time. What a server
says of its own troubles is never taken for a page that is gone.
"""

from __future__ import annotations

import re
import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, ThreadPoolExecutor, wait
from dataclasses import dataclass, field
from enum import StrEnum
from threading import Lock

from selectolax.lexbor import LexborHTMLParser

from jovial_atlas import addresses
from jovial_atlas.errors import ContentError, NetworkError
from jovial_atlas.foreign import in_utf8
from jovial_atlas.robots import Matcher, RobotsFile
from jovial_atlas.sources.html_page.outline import text
from jovial_atlas.sources.remote import robots_at
from jovial_atlas.web import Answer, Client, Request, send


class OutsideState(StrEnum):
    """How an address of another site was met. `closed`: it is kept from programs; `barred`:
    robots.txt asks not to look; `silent`: no answer, or one that tells nothing of the page."""

    GOOD = "good"
    GONE = "gone"
    MOVED = "moved"
    SUSPECT = "suspect"
    CLOSED = "closed"
    BARRED = "barred"
    SILENT = "silent"


@dataclass(frozen=True, slots=True)
class OutsideAnswer:
    """What became of asking for an address: `status` is the last that was answered, `final` where
    redirects for good lead, `detail` says more in a few words."""

    loc: str
    state: OutsideState
    status: int | None = None
    final: str | None = None
    detail: str = ""


@dataclass(frozen=True, slots=True)
class OutsideLimits:
    """How other sites are asked: seconds between two requests to a host, addresses and seconds at
    most, hosts at a time; `hosts` are the only ones that are asked (host, or host and port), all
    if empty. `crawler` is the product token that robots.txt is asked for."""

    pause: float = 1.0
    most: int = 1_000
    seconds: float = 600.0
    at_once: int = 8
    hosts: Sequence[str] = ()
    crawler: str = "jovial-atlas"


#: Redirects that are followed, octets of a page that are read, and times in a row that a host may
#: give no answer before it is left alone.
_HOPS, _BEGINNING, _PATIENCE = 10, 64 * 1024, 3
_FOR_GOOD = frozenset({301, 308})
_GONE = frozenset({404, 410})
_REFUSED = frozenset({401, 402, 403, 405, 406, 407, 451})
#: How pages say in their title or heading that they are not there.
_NOT_FOUND = re.compile(
    r"\b(?:404|410)\b|not (?:be )?found|no longer (?:exists?|available)|does(?: not|n['’]t) exist|"
    r"nicht (?:mehr )?(?:gefunden|vorhanden|verfügbar)|introuvable|n['’]existe (?:pas|plus)|"
    r"no (?:se )?(?:encontrad[ao]|existe|encuentra)|non (?:trovat[ao]|esiste)|niet gevonden|"
    r"bestaat niet",
    re.I,
)


@dataclass(slots=True)
class _Host:
    """A host while it is asked: its robots.txt, None until it was read; when it was last asked;
    how often in a row it gave no answer; and why it is left alone, "" while it is not."""

    lock: Lock = field(default_factory=Lock)
    robots: RobotsFile | None = None
    last: float = -1e9
    silent: int = 0
    left: str = ""


def look_outside(
    locs: Iterable[str],
    client: Client,
    limits: OutsideLimits,
    *,
    wait_for: Callable[[float], None] = time.sleep,
    clock: Callable[[], float] = time.monotonic,
) -> Iterator[OutsideAnswer]:
    """Ask for addresses, each once, and give what became of each as it comes. What is over the
    limits, or lies on a host that is left alone, is not asked and not given. To break off loses
    only what was under way."""
    asked = _Asking(client, limits, wait_for, clock)
    queues = _by_host(locs, limits)
    begun = clock()
    with ThreadPoolExecutor(limits.at_once) as threads:
        running: dict[Future[OutsideAnswer | None], deque[str]] = {}
        waiting = deque(queues)
        while waiting or running:
            while waiting and len(running) < limits.at_once:
                queue = waiting.popleft()
                if clock() - begun > limits.seconds:
                    continue
                running[threads.submit(asked.ask, queue.popleft())] = queue
            if not running:
                return
            done, _ = wait(running, return_when=FIRST_COMPLETED)
            for one in done:
                queue = running.pop(one)
                if queue:
                    waiting.append(queue)
                if (answer := one.result()) is not None:
                    yield answer


def _by_host(locs: Iterable[str], limits: OutsideLimits) -> list[deque[str]]:
    """The addresses that may be asked for, of each host in a queue; of many hosts some each."""
    queues: dict[str, deque[str]] = {}
    for loc in dict.fromkeys(locs):
        if may_ask(loc, limits):
            queues.setdefault(addresses.origin(loc), deque()).append(loc)
    taken: dict[str, deque[str]] = {}
    left = limits.most
    while left and any(queues.values()):
        for origin, queue in queues.items():
            if queue and left:
                taken.setdefault(origin, deque()).append(queue.popleft())
                left -= 1
    return list(taken.values())


def may_ask(loc: str, limits: OutsideLimits) -> bool:
    """Whether the host of an address is one that may be asked."""
    host = addresses.origin(loc).partition("://")[2]
    return not limits.hosts or host in limits.hosts or host.partition(":")[0] in limits.hosts


class _HostLeftError(Exception):
    """A host is asked no more in this run; `str()` says why."""


class _Asking:
    """Asks for one address after another, in several threads at once."""

    def __init__(
        self,
        client: Client,
        limits: OutsideLimits,
        wait_for: Callable[[float], None],
        clock: Callable[[], float],
    ) -> None:
        self._client, self._limits = client, limits
        self._wait_for, self._clock = wait_for, clock
        self._hosts: dict[str, _Host] = {}
        self._lock = Lock()

    def ask(self, loc: str) -> OutsideAnswer | None:
        """What becomes of a visitor there; None where its host is left alone."""
        at, final, seen, for_good = loc, loc, {loc}, True
        for _ in range(_HOPS):
            try:
                answer = self._look(at)
            except _HostLeftError as left:
                if at == loc:
                    return None
                return OutsideAnswer(loc, OutsideState.SILENT, None, None, f"{at}: {left}")
            except NetworkError as error:
                return OutsideAnswer(loc, OutsideState.SILENT, None, None, str(error)[:200])
            if answer is None:
                told = "robots.txt asks programs not to look"
                return OutsideAnswer(loc, OutsideState.BARRED, None, None, told)
            if not 300 <= answer.status < 400 or answer.status == 304:
                return _told(loc, answer, final if final != loc else None)
            onward = addresses.resolve(at, answer.headers.get("location", ""))
            if wrong := self._wrong_way(onward, at, seen):
                return OutsideAnswer(loc, OutsideState.SILENT, answer.status, None, wrong)
            assert onward is not None
            for_good = for_good and answer.status in _FOR_GOOD
            final = onward if for_good else final
            at = onward
            seen.add(at)
        detail = f"more than {_HOPS} redirects follow each other"
        return OutsideAnswer(loc, OutsideState.SILENT, None, None, detail)

    def _wrong_way(self, onward: str | None, at: str, seen: set[str]) -> str:
        """Why a redirect is not followed, "" where it is."""
        if onward is None:
            return "it redirects to no address"
        if onward in seen:
            return f"it redirects in a circle, by {onward}"
        if addresses.is_local(onward) and not addresses.is_local(at):
            return "it redirects into a private network"
        if not may_ask(onward, self._limits):
            return f"it redirects to {onward}, on a host that may not be asked"
        return ""

    def _look(self, at: str) -> Answer | None:
        """The answer for an address, with the beginning of its page where there is one; None where
        robots.txt asks not to look. Raises NetworkError and _HostLeftError."""
        host = self._host(addresses.origin(at))
        with host.lock:
            if host.left:
                raise _HostLeftError(host.left)
            if not self._allowed(host, at):
                return None
            answer = self._send(host, "HEAD", at)
            kind = answer.headers.get("content-type", "text/html").lower()
            whole = answer.status == 200 and "html" in kind
            if whole or (answer.status >= 400 and answer.status != 429):
                # Many servers answer a HEAD otherwise than a GET; and what a page says counts.
                answer = self._send(host, "GET", at)
            if answer.status == 429 or (answer.status == 503 and answer.retry_after):
                host.left = "it asks to come later"
            return answer

    def _host(self, origin: str) -> _Host:
        with self._lock:
            return self._hosts.setdefault(origin, _Host())

    def _allowed(self, host: _Host, at: str) -> bool:
        if host.robots is None:
            self._pace(host, 0.0)
            try:
                host.robots = robots_at(self._client, addresses.origin(at))
            except ContentError as error:
                host.left = str(error)[:200]
                raise NetworkError(host.left) from None
        matcher = Matcher(host.robots, self._limits.crawler)
        return matcher.ask(addresses.path_and_query(at)).allowed

    def _send(self, host: _Host, method: str, at: str) -> Answer:
        self._pace(host, self._limits.pause)
        try:
            answer = send(self._client, Request(method, at), tries=1, largest=_BEGINNING, cut=True)
        except NetworkError:
            host.silent += 1
            if host.silent >= _PATIENCE:
                host.left = f"it gave no answer {_PATIENCE} times"
            raise
        host.silent = 0
        return answer

    def _pace(self, host: _Host, pause: float) -> None:
        wanted = host.last + pause - self._clock()
        if wanted > 0:
            self._wait_for(wanted)
        host.last = self._clock()


def _told(loc: str, answer: Answer, final: str | None) -> OutsideAnswer:
    """What an answer says of an address; `final` is where redirects for good led."""
    status = answer.status
    if status in _GONE:
        return OutsideAnswer(loc, OutsideState.GONE, status, None, "")
    if status in _REFUSED:
        return OutsideAnswer(loc, OutsideState.CLOSED, status, None, "it is closed to programs")
    if status >= 400:
        return OutsideAnswer(loc, OutsideState.SILENT, status, None, "its server has troubles")
    if said := _says_not_found(answer):
        return OutsideAnswer(loc, OutsideState.SUSPECT, status, None, f"it says: {said}")
    if final:
        return OutsideAnswer(loc, OutsideState.MOVED, status, final, "")
    return OutsideAnswer(loc, OutsideState.GOOD, status)


def _says_not_found(answer: Answer) -> str:
    """What a page says in its title or first heading, where that is that it is not there."""
    kind = answer.headers.get("content-type", "")
    if "html" not in kind.lower() or not answer.body:
        return ""
    tree = LexborHTMLParser(in_utf8(answer.body, kind))
    for name in ("title", "h1"):
        node = tree.css_first(name)
        said = text(node) if node is not None else None
        if said and _NOT_FOUND.search(said):
            return said[:100]
    return ""

