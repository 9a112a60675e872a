"""Looking at the live site until it serves what was built: what is not there yet must not be
announced."""

from __future__ import annotations

import random
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from pathlib import Path

from jovial_atlas import addresses
from jovial_atlas.errors import NetworkError
from jovial_atlas.files import digest, digest_of_file
from jovial_atlas.rounds.state.names import INDEX, KEY
from jovial_atlas.rounds.tending.around import Around
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.web import Request, send

#: New pages that are asked for, at most; and seconds between two looks, at first and at most.
_SAMPLE = 5
_FIRST_PAUSE, _LONGEST_PAUSE = 2.0, 60.0


@dataclass(frozen=True, slots=True)
class _Wanted:
    """An address, and the digest of what it must give; "" where it must only be there."""

    loc: str
    digest: str = ""


def behind(site: SiteFile, pages: Sequence[str], around: Around, limit: float) -> str:
    """Wait, up to `limit` seconds, until the live site serves what was built: the index, the key
    file, and some of the `pages` that are to be announced. Gives what it does not serve yet, as a
    sentence; "" where all is there."""
    wanted = list(_wanted(site, pages))
    end = around.now() + timedelta(seconds=limit)
    wait = _FIRST_PAUSE
    while True:
        missing = next((said for one in wanted if (said := _missing(site, one, around))), "")
        if not missing or around.ends() or around.now() + timedelta(seconds=wait) > end:
            return missing
        around.pause(wait)
        wait = min(2 * wait, _LONGEST_PAUSE)


def _wanted(site: SiteFile, pages: Sequence[str]) -> list[_Wanted]:
    url = site.model.site.url
    found = []
    index = site.output / INDEX
    if index.is_file():
        found.append(_Wanted(f"{url}/{INDEX}", digest_of_file(index)))
    key = site.state / KEY
    if key.is_file():
        name = key.read_text("utf-8").strip()
        file = site.output / f"{name}.txt"
        if file.is_file():
            found.append(_Wanted(f"{url}/{Path(file).name}", digest_of_file(file)))
    some = sorted(page for page in pages if page.startswith(f"{url}/"))
    # The same ones at each look, others in each round: what changed is not always at the beginning.
    chosen = random.Random(len(some)).sample(some, min(_SAMPLE, len(some)))  # noqa: S311
    return [*found, *(_Wanted(page) for page in sorted(chosen))]


def _missing(site: SiteFile, wanted: _Wanted, around: Around) -> str:
    loc, server = wanted.loc, site.model.tend.server
    headers = {"Cache-Control": "no-cache"}
    if server:
        loc = server + addresses.path_and_query(loc)
        headers["Host"] = addresses.origin(wanted.loc).partition("://")[2]
    try:
        request = Request("GET", loc, headers)
        answer = send(around.client, request, pause=around.pause, tries=1)
    except NetworkError as error:
        return f"{wanted.loc} cannot be asked for: {error}"
    if answer.status != 200:
        return f"{wanted.loc} answers with status {answer.status}."
    if wanted.digest and digest(answer.body) != wanted.digest:
        return f"{wanted.loc} is not what was built, but another one."
    return ""
