"""Looking at the videos of a survey: files are probed, stills taken, hosting services asked.

What was found is kept in the state folder: a file that did not change is not looked into again,
a service that answered is not asked again.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any
from urllib.parse import unquote, urlsplit

import msgspec
import polars as pl
import xxhash
from msgspec import structs

from jovial_atlas import addresses, dates
from jovial_atlas.errors import NetworkError
from jovial_atlas.faults import Fault
from jovial_atlas.files import is_file, write_whole
from jovial_atlas.head.film_table import MISSING
from jovial_atlas.media.oembed import Embed, NoSuchVideoError, ask
from jovial_atlas.media.services import Service, is_media, page_of
from jovial_atlas.pages import schema
from jovial_atlas.pages.page import Media
from jovial_atlas.rounds.state.names import KNOWN_VIDEOS, STILLS
from jovial_atlas.rounds.state.site_files import files_at, whole_places
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sources.settings import known_services
from jovial_atlas.sources.workers.html_folder import Progress
from jovial_atlas.web import Answer, Client, Request, send

#: A service that gave no answer is asked again after this time.
_PATIENCE = timedelta(hours=24)
#: Services that give no answer this often in one run are not asked any further.
_SILENT = 2
_LARGEST = 2_000_000
_THREADS = 4


class ServiceAnswer(msgspec.Struct):
    """What came of asking a service for a video, and when: its answer; or that there is no such
    video; or why it was silent."""

    at: str
    answer: Embed | None = None
    gone: bool = False
    silent: str = ""


class VideoMemory(msgspec.Struct):
    """What earlier surveys found out. `files`: path → size, time, digest; `probes`: digest and
    second of the still → result; `services`: player → answer."""

    files: dict[str, tuple[int, int, str]] = {}
    probes: dict[str, Media] = {}
    services: dict[str, ServiceAnswer] = {}


class Looked(msgspec.Struct, frozen=True):
    """What was found out: `media` for each page that has videos, as `loc, media`; faults."""

    media: pl.DataFrame
    faults: list[Fault]


def look_at_videos(
    pages: pl.LazyFrame,
    site: SiteFile,
    client: Client,
    now: datetime,
    *,
    anew: bool = False,
    progress: Progress | None = None,
) -> Looked:
    """Look at every video of a page table. Nothing raises: a video that cannot be looked at is a
    fault, and its page stays as it is."""
    film = pl.element().struct
    asked = [film.field(name) for name in ("content", "player", "service")]
    shown = pages.filter(pl.col("videos").list.len() > 0).select(
        "loc", pl.col("videos").list.eval(pl.struct(asked))
    )
    each = shown.collect().explode("videos").unnest("videos")
    if not each.height:
        return Looked(pl.DataFrame(schema=_MEDIA), [])
    path = site.shared_state / KNOWN_VIDEOS
    memory = VideoMemory() if anew else _remembered(path)
    faults: list[Fault] = []
    contents = each.filter(pl.col("content") != "").unique("content", keep="first")
    probes = _probed(site, contents, memory, faults, progress)
    hosted = each.filter((pl.col("service") != "") & (pl.col("player") != ""))
    players = hosted["player"].unique(maintain_order=True).to_list()
    answers = _asked(site, players, memory, client, now, faults)
    write_whole(path, msgspec.json.encode(memory))
    return Looked(_found_out(each, probes, answers), faults)


def _found_out(
    each: pl.DataFrame, probes: Mapping[str, Media], answers: Mapping[str, Embed]
) -> pl.DataFrame:
    """What is known of videos, page by page, as `Looked.media`."""
    if not probes and not answers:
        return pl.DataFrame(schema=_MEDIA)
    nothing = structs.asdict(Media())
    locs = each.select(pl.col("loc").unique(maintain_order=True)).to_series()
    some = each.filter(
        pl.col("content").is_in(list(probes)) | pl.col("player").is_in(list(answers))
    )
    shown = each.join(some.select("loc").unique(), on="loc", how="semi", maintain_order="left")
    found: dict[str, list[dict[str, object]]] = {}
    for loc, content, player in shown.select("loc", "content", "player").iter_rows():
        probe, embed = probes.get(content or ""), answers.get(player or "")
        known = structs.asdict(_media(probe, embed)) if probe or embed else nothing
        found.setdefault(loc, []).append(known)
    media = schema.lists_of_structs("media", list(found.values()), schema.ONE_MEDIA)
    rows = pl.DataFrame([pl.Series("loc", list(found), pl.String), media])
    return locs.to_frame().join(rows, on="loc", how="left", maintain_order="left")


_MEDIA: dict[str, Any] = {"loc": pl.String, "media": schema.SCHEMA["media"]}


def _remembered(path: Path) -> VideoMemory:
    try:
        return msgspec.json.decode(path.read_bytes(), type=VideoMemory)
    except (OSError, ValueError):
        return VideoMemory()


def _media(probe: Media | None, embed: Embed | None) -> Media:
    """What is known of a video: of a file more, and surer, than a service tells."""
    media = Media(
        title=embed.title, author=embed.author, author_page=embed.author_page,
        thumbnail=embed.thumbnail, width=embed.width, height=embed.height,
        duration=embed.duration,
    ) if embed else Media()  # fmt: skip
    return structs.replace(media, **_known(probe)) if probe else media


def _known(probe: Media) -> dict[str, object]:
    return {name: value for name, value in structs.asdict(probe).items() if value is not None}


def _probed(
    site: SiteFile,
    contents: pl.DataFrame,
    memory: VideoMemory,
    faults: list[Fault],
    progress: Progress | None,
) -> dict[str, Media]:
    """Address → what its file holds, for the media files of the site. `contents` has the first
    page, `loc`, that shows each `content`."""
    if not site.model.videos.probe:
        return {}
    wanted, lost = _media_files(site, contents["content"], memory)
    second = site.model.videos.still_at
    at = "" if second is None else f"@{second:g}"
    names = {address: f"{digest}{at}" for address, (_, digest) in wanted.items()}
    _look_into_all(site, {names[a]: path for a, (path, _) in wanted.items()}, memory, progress)
    # What no page shows any longer is forgotten.
    memory.probes = {name: memory.probes[name] for name in dict.fromkeys(names.values())}
    memory.files = {str(path): memory.files[str(path)] for path, _ in wanted.values()}
    probes = {address: memory.probes[name] for address, name in names.items()}
    told = contents.filter(pl.col("content").is_in([*probes, *lost]))
    first = dict(told.select("content", "loc").iter_rows())
    for address, one in probes.items():
        if one.problem:
            message = f"{_path(address)} is not whole: {one.problem}."
            faults.append(Fault("video-broken", first[address], message))
    for address in lost:
        message = f"It shows {_path(address)}, which does not exist."
        faults.append(Fault("video-missing", first[address], message))
    return probes | {address: Media(problem=MISSING) for address in lost}


def _media_files(
    site: SiteFile, contents: pl.Series, memory: VideoMemory
) -> tuple[dict[str, tuple[Path, str]], list[str]]:
    """Address → file and its digest, of the media files that are there; and the addresses of those
    that are not, where the whole site lies in a folder."""
    have = files_at(site, contents)
    wanted = {address: (path, _digest(path, memory)) for address, path in have.items()}
    lost: list[str] = []
    for start in whole_places(site):
        within = contents.filter(contents.str.starts_with(start)).sort().to_list()
        lost += [one for one in within if one not in have and is_media(one)]
    return wanted, list(dict.fromkeys(lost))


def _look_into_all(
    site: SiteFile, places: Mapping[str, Path], memory: VideoMemory, progress: Progress | None
) -> None:
    """Look into files that were not looked into yet, or whose still is gone; `places` has them by
    digest and second of the still."""
    stills, second = site.shared_state / STILLS, site.model.videos.still_at
    due = {
        name: path
        for name, path in places.items()
        if name not in memory.probes or _gone(memory.probes[name], stills)
    }

    def work(item: tuple[str, Path]) -> tuple[str, Media]:
        return item[0], _look_into(item[0], item[1], second, stills)

    with ThreadPoolExecutor(_THREADS) as pool:
        for number, (name, result) in enumerate(pool.map(work, due.items()), start=1):
            memory.probes[name] = result
            if progress:
                progress(number, len(due))


def _path(address: str) -> str:
    return unquote(urlsplit(address).path)


def _gone(probe: Media, stills: Path) -> bool:
    return bool(probe.still) and not is_file(stills / str(probe.still))


def _digest(path: Path, memory: VideoMemory) -> str:
    about = path.stat()
    known = memory.files.get(str(path))
    if known and known[:2] == (about.st_size, about.st_mtime_ns):
        return known[2]
    name = xxhash.xxh3_128()
    with path.open("rb") as stream:
        while piece := stream.read(1 << 20):
            name.update(piece)
    memory.files[str(path)] = (about.st_size, about.st_mtime_ns, name.hexdigest())
    return name.hexdigest()


def _look_into(name: str, path: Path, second: float | None, stills: Path) -> Media:
    # Loaded where the first file is looked into: it is large.
    from jovial_atlas.media.probe import probe

    probed = probe(path, second=second)
    still = None
    if probed.still:
        stem = "".join(c if c.isascii() and c.isalnum() else "-" for c in path.stem.lower())[:40]
        # By what is in the film and where it was taken, so that it never churns.
        still = f"{stem.strip('-') or 'video'}-{xxhash.xxh3_64_hexdigest(name.encode())[:10]}.jpg"
        write_whole(stills / still, probed.still)
    return Media(
        duration=probed.duration, width=probed.width, height=probed.height,
        codecs=probed.codecs or None, plays=probed.plays, still=still,
        bytes=path.stat().st_size, problem=probed.problem,
    )  # fmt: skip


def _asked(
    site: SiteFile,
    players: Collection[str],
    memory: VideoMemory,
    client: Client,
    now: datetime,
    faults: list[Fault],
) -> dict[str, Embed]:
    """Player → what its service says. A service without an answer costs two tries a run."""
    if not site.model.videos.ask:
        return {}
    known = known_services(site)
    since = dates.write(now - _PATIENCE)
    #: Host → how often it was asked in vain now; and what was said of it, now or before.
    in_vain: dict[str, int] = {}
    silent: dict[str, str] = {}
    answers = {}
    for player in players:
        at = page_of(player, known)
        if at is None:
            continue
        had, host = memory.services.get(player), urlsplit(at[1] or at[0]).netloc
        if had is None or (had.answer is None and had.at < since):
            if host.endswith(".example"):
                continue  # made up (RFC 2606): nobody is there
            if in_vain.get(host, 0) >= _SILENT:
                continue
            had = memory.services[player] = ServiceAnswer(dates.write(now))
            try:
                had.answer = ask(at[0], at[1], _getter(client, known))
            except NoSuchVideoError:
                had.gone = True
            except NetworkError as error:
                in_vain[host] = in_vain.get(host, 0) + 1
                had.silent = str(error)
        if had.silent:
            silent.setdefault(host, had.silent)
        if had.gone:
            message = "Its service says that there is no such video."
            faults.append(Fault("video-gone", player, message))
        if had.answer is not None:
            answers[player] = had.answer
    memory.services = {player: one for player, one in memory.services.items() if player in players}
    faults += [
        Fault("video-service-silent", host, f"{told} Videos there are listed by what pages say.")
        for host, told in silent.items()
    ]
    return answers


def _getter(client: Client, known: Sequence[Service]) -> Callable[[str], Answer]:
    """Sends requests to hosts that the file of services names, and to no other."""
    named = {urlsplit(address).netloc for one in known for address in (one.page, one.oembed)}

    def get(address: str) -> Answer:
        for _ in range(4):
            if urlsplit(address).netloc not in named:
                raise NetworkError(f"{address} is on a host that no service names.")
            request = Request("GET", address, {"Accept": "application/json, text/html"})
            answer = send(client, request, tries=1, largest=_LARGEST)
            target = addresses.resolve(address, answer.headers.get("location", ""))
            if not 300 <= answer.status < 400 or target is None:
                return answer
            address = target
        raise NetworkError(f"{address} redirects too often.")

    return get
