"""What a site file says of videos, and the table that says it of single ones."""

import csv
import io
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Annotated, Any
from urllib.parse import urljoin

from msgspec import Meta

from jovial_atlas import addresses
from jovial_atlas.errors import Problem
from jovial_atlas.media.fields import VIDEO_KEYS, of_fields
from jovial_atlas.sitefile.cells import as_cell, from_cell
from jovial_atlas.sitefile.parts import Part, check, says
from jovial_atlas.sitefile.tables import Tables, table_rows, table_text

#: Columns that say which video a row is about, and why.
_BESIDE = ("loc", "video", "reason")
#: Fields that a table of videos may set.
SETTABLE = tuple(
    n for n in VIDEO_KEYS if n not in ("content", "player", "found", "service", "words_before")
)
VIDEO_TABLE_COLUMNS = ("loc", "video", *SETTABLE, "reason")


class Videos(Part, frozen=True, kw_only=True):
    """`[videos]`: how videos are found, looked at and listed."""

    services: Annotated[
        str, says("file of hosting services beside those that ship with the tool")
    ] = ""
    fields: Annotated[
        tuple[str, ...], says("custom fields that name a video: an address, a table, a list, JSON")
    ] = ()
    file: Annotated[str, says("CSV file that sets fields of single videos")] = ""
    probe: Annotated[bool, says("whether media files of the site are looked into")] = True
    ask: Annotated[bool, says("whether hosting services are asked by oEmbed")] = True
    still_at: Annotated[
        Annotated[float, Meta(ge=0)] | None,
        says("second from which stills are taken; else the first lively frame"),
    ] = None
    width: Annotated[int, says("width where nothing tells it, in pixels", ge=1)] = 1280
    height: Annotated[int, says("height where nothing tells it, in pixels", ge=1)] = 720
    category: Annotated[str, says("category where neither video nor page has one")] = ""
    uploader: Annotated[str, says("uploader where the video names none")] = ""
    uploader_page: Annotated[str, says("address or path of the page about the uploader")] = ""
    elsewhere: Annotated[
        bool, says("whether other sites may play videos: og:video and a player card")
    ] = False

    @check("fields")
    @classmethod
    def _no_columns(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for name in value:
            if not name:
                raise ValueError("a field has no name")
        return value


@dataclass(frozen=True, slots=True)
class VideoOverride:
    """What is set for one video: the page, which of its videos (an address, a file name, a
    number, or "" for the first), and the fields."""

    loc: str
    video: str
    sets: dict[str, Any]
    reason: str = ""
    line: int = field(default=0, compare=False)


def read_video_overrides(
    path: Path, site: str, tables: Tables = table_text
) -> tuple[VideoOverride, ...]:
    """The rows of a table of videos; none where there is no such file yet. Raises SiteFileError
    with every problem found."""
    rows = parse_video_overrides(tables(path), path, site)
    return tuple(row for row in rows if row.sets)


def parse_video_overrides(text: str, path: Path, site: str) -> tuple[VideoOverride, ...]:
    """The rows in the text of a table of videos, those that set nothing too. Raises
    SiteFileError."""
    return tuple(
        table_rows(text, path, VIDEO_TABLE_COLUMNS, lambda row, line: _row(row, line, site))
    )


def _row(row: dict[str, str], line: int, site: str) -> VideoOverride | Problem:
    cells = {name: cell for name, value in row.items() if (cell := from_cell(value.strip()))}
    given = cells.get("loc", "")
    try:
        loc = addresses.normalise(site + given if given.startswith("/") else given)
    except ValueError as error:
        return Problem(line, "loc", str(error))
    fields = {name: value for name, value in cells.items() if name in SETTABLE}
    # Read as any other field of a video is; an address stands in for the media file.
    (read,) = of_fields({**fields, "src": f"{site}/"}, lambda one: urljoin(loc, one), ())
    values = dict(read)
    for name, value in fields.items():
        if values[name] is None:
            return Problem(line, name, f"{value!r} cannot be read")
    sets = {name: values[name] for name in fields}
    return VideoOverride(loc, cells.get("video", ""), sets, cells.get("reason", ""), line)


def video_overrides_text(overrides: Iterable[VideoOverride], fields: Iterable[str] = ()) -> str:
    """A table of videos with these rows, sorted by page."""
    rows = sorted(overrides, key=lambda one: (one.loc, one.video))
    used = {*fields, *(name for one in rows for name in one.sets)}
    names = [name for name in VIDEO_TABLE_COLUMNS if name in _BESIDE or name in used]
    stream = io.StringIO()
    writer = csv.DictWriter(stream, names, lineterminator="\n")
    writer.writeheader()
    for one in rows:
        said = {name: _cell(name, value) for name, value in one.sets.items()}
        cells = {"loc": one.loc, "video": one.video, **said, "reason": one.reason}
        writer.writerow({name: as_cell(cell) for name, cell in cells.items()})
    return stream.getvalue()


def _cell(name: str, value: object) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    between = ", " if name == "tags" else "; "
    return between.join(value) if isinstance(value, list) else str(value)
