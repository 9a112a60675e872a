"""Pages of another site for a review beside ours: from a folder, a sitemap or an address, politely
and as a sample of bounded size."""

from __future__ import annotations

import random
import time
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from typing import TypeVar

from jovial_atlas import addresses
from jovial_atlas.errors import AtlasError, NetworkError
from jovial_atlas.review.reviewed import PageReview
from jovial_atlas.robots import Matcher
from jovial_atlas.rounds.proving.review_other import html_at, review_bytes
from jovial_atlas.rounds.proving.targets import read_target
from jovial_atlas.sources.remote import robots_at
from jovial_atlas.web import Client

#: The product token that this tool obeys robots.txt by.
_CRAWLER = "jovial-atlas"
_ENDINGS = (".html", ".htm", ".xhtml")
#: Addresses that are tried for each page that is wanted: some answer with no page.
_TRIES = 3

#: A server that gives no answer so often, one time after the other, is asked no more.
_PATIENCE = 3

OneT = TypeVar("OneT")


@dataclass(frozen=True, slots=True)
class OtherSite:
    """Another site as far as it was seen: the reviews of its pages, how many it has (None where
    nobody knows), and how many addresses were passed over because its robots.txt bars them, or
    because they gave no page."""

    name: str
    reviews: list[PageReview] = field(default_factory=list)
    of: int | None = None
    barred: int = 0
    lost: int = 0


@dataclass(slots=True)
class HowToAsk:
    """How another site is asked: for so many pages, so many a second."""

    client: Client
    sample: int = 100
    per_second: float = 2.0
    pause: Callable[[float], None] = time.sleep
    progress: Callable[[int, int], None] | None = None


def other_site(target: str, now: datetime, how: HowToAsk) -> OtherSite:
    """Review pages of another site. Raises AtlasError where nothing can be read of it."""
    path = Path(target)
    if path.is_dir():
        return _of_folder(path, now, how)
    read = read_target(target, how.client, None, None).read
    locs = list(dict.fromkeys(read.rows["loc"].to_list())) if read.rows.height else []
    if locs:
        origin = addresses.origin(locs[0])
        locs = [one for one in locs if addresses.origin(one) == origin]
        return _Asked(origin, now, how).sample(locs)
    if not target.startswith(("http://", "https://")):
        raise AtlasError(
            f"{target} lists no page. Give an address, a folder of pages or a sitemap."
        )
    start = addresses.normalise(target)
    return _Asked(addresses.origin(start), now, how).by_links(start)


def _of_folder(folder: Path, now: datetime, how: HowToAsk) -> OtherSite:
    files = sorted(one for one in folder.rglob("*") if one.suffix.lower() in _ENDINGS)
    if not files:
        raise AtlasError(f"{folder} holds no page of HTML.")
    found = OtherSite(str(folder), of=len(files))
    lost = 0
    for number, path in enumerate(_chosen(files, how.sample, str(folder)), start=1):
        loc = f"http://localhost/{path.relative_to(folder).as_posix()}"
        try:
            data = path.read_bytes()
            found.reviews.append(review_bytes(data, addresses.normalise(loc), str(path), None, now))
        except (AtlasError, OSError, ValueError):
            lost += 1
        if how.progress:
            how.progress(number, min(how.sample, len(files)))
    return OtherSite(found.name, found.reviews, found.of, lost=lost)


def _chosen(every: Sequence[OneT], most: int, seed: str) -> list[OneT]:
    """Some at random, the same each time."""
    return random.Random(seed).sample(list(every), min(most, len(every)))  # noqa: S311 - no secret


class _Asked:
    """Another site on its server."""

    def __init__(self, origin: str, now: datetime, how: HowToAsk) -> None:
        self.origin, self.now, self.how = origin, now, how
        self.matcher = Matcher(robots_at(how.client, origin), _CRAWLER)
        self.reviews: list[PageReview] = []
        self.barred = self.lost = 0
        self._asked, self._silent = False, 0

    def _told(self, of: int | None) -> OtherSite:
        if not self.reviews:
            raise AtlasError(
                f"{self.origin} gave no page: {self.barred:,} addresses are barred by its "
                f"robots.txt, {self.lost:,} answered with none."
            )
        return OtherSite(self.origin, self.reviews, of, self.barred, self.lost)

    def sample(self, locs: Sequence[str]) -> OtherSite:
        """Pages at random among those that its sitemaps list."""
        for loc in _chosen(locs, _TRIES * self.how.sample, self.origin):
            if len(self.reviews) >= self.how.sample:
                break
            self._look(loc)
        return self._told(len(locs))

    def by_links(self, start: str) -> OtherSite:
        """The pages that are nearest to the first by links."""
        waiting, seen = deque([start]), {start}
        tries = _TRIES * self.how.sample
        while waiting and len(self.reviews) < self.how.sample and self.lost < tries:
            for target in self._look(waiting.popleft()):
                if target not in seen and addresses.origin(target) == self.origin:
                    seen.add(target)
                    waiting.append(target)
        return self._told(None)

    def _look(self, loc: str) -> Sequence[str]:
        """Review what an address gives; the addresses it leads to."""
        if not self.matcher.ask(addresses.path_and_query(loc)).allowed:
            self.barred += 1
            return ()
        if self._asked:
            self.how.pause(1 / self.how.per_second)
        self._asked = True
        try:
            data = html_at(loc, self.how.client)
            review = review_bytes(data, loc, loc, None, self.now)
        except NetworkError:
            self._silent += 1
            if self._silent == _PATIENCE:
                raise
            self.lost += 1
            return ()
        except AtlasError:
            self.lost += 1
            return ()
        self._silent = 0
        self.reviews.append(review)
        if self.how.progress:
            self.how.progress(len(self.reviews), self.how.sample)
        return review.page.measures.within if review.page.measures is not None else ()
