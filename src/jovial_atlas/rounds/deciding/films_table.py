"""Looking at the videos of a site together: as rows, and as a contact sheet."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from pathlib import Path

from jovial_atlas import addresses
from jovial_atlas.errors import AtlasError
from jovial_atlas.files import write_whole
from jovial_atlas.head.film_table import STILLS_PATH
from jovial_atlas.head.videos import Film
from jovial_atlas.media import sheet
from jovial_atlas.rounds.deciding.pages import check_section
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.names import STILLS
from jovial_atlas.rounds.state.site_files import file_of
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.tables import given_text
from jovial_atlas.sitefile.videos import (
    VideoOverride,
    parse_video_overrides,
    video_overrides_text,
)
from jovial_atlas.values import replace


def all_films(
    survey: LastSurvey, *, section: str | None = None, unlisted: bool = False
) -> list[Film]:
    """The videos of a survey, page by page. Raises AtlasError for an unknown section."""
    films = [film for some in survey.films.values() for film in some]
    if section is not None:
        check_section(survey.table, survey.site, section)
        films = [film for film in films if film.page.section == section]
    return [film for film in films if not unlisted or not_listed(film)]


def not_listed(film: Film) -> str:
    """Why a video is in no sitemap, "" where it is in one."""
    if film.why_not:
        return film.why_not
    return "" if film.page.listed else f"its page is not listed: {film.page.reason}"


def picture_of(film: Film) -> str:
    """Where the picture of a video comes from, in a word or two."""
    if not film.values.thumbnail:
        return "none"
    said = {"file": "still taken", "service": "from the service"}
    return said.get(film.origin["thumbnail"], "given")


def length(seconds: int | None) -> str:
    """`1:02:03`, `12:30`, "" where it is not known."""
    if not seconds:
        return ""
    hours, rest = divmod(seconds, 3600)
    return f"{hours}:{rest // 60:02}:{rest % 60:02}" if hours else f"{rest // 60}:{rest % 60:02}"


def write_sheet(films: Sequence[Film], site: SiteFile, path: Path, columns: int) -> None:
    """Write a contact sheet, as a picture (.png) or a page (.html). Raises AtlasError."""
    if path.suffix.lower() not in (".png", ".html"):
        raise AtlasError(f"{path}: a contact sheet ends in .png or .html.")
    if not films:
        raise AtlasError("There is no video to draw.")
    find = file_of(site)
    cells = [
        sheet.Cell(
            film.values.title or film.name,
            f"{addresses.path_and_query(film.loc)}: {not_listed(film) or 'listed'}",
            not not_listed(film),
            length(film.values.duration),
            _still(film, site, find(film.values.thumbnail or "")),
            "picture on another host" if film.values.thumbnail else "no picture",
        )
        for film in films
    ]
    title = f"{site.model.site.name}: {len(films):,} videos"
    if path.suffix.lower() == ".png":
        write_whole(path, sheet.draw(cells, title, columns))
    else:
        write_whole(path, sheet.page(cells, title, site.model.site.language))


def _still(film: Film, site: SiteFile, file: Path | None) -> Path | None:
    own = site.shared_state / STILLS / film.still if film.still else None
    if (film.values.thumbnail or "").startswith(f"{site.model.site.url}{STILLS_PATH}"):
        return own
    return file or own


#: Columns of a table for editing that stand there even while they are empty.
_EDITED = ("listed", "title", "description", "thumbnail", "category", "expires")


def write_table(films: Iterable[Film], site: SiteFile, path: Path) -> int:
    """Write a table of videos for editing: what is set for them already, and empty cells. Gives
    the number of rows. Raises AtlasError."""
    _file(site)
    films = list(films)
    known = {(one.loc, one.video): one for one in site.video_overrides}
    rows = []
    for film in films:
        names = (film.name, film.values.content, film.values.player, str(film.number))
        had = next((known[film.loc, n] for n in names if n and (film.loc, n) in known), None)
        rows.append(replace(had) if had else VideoOverride(film.loc, film.name, {}))
    if not rows:
        raise AtlasError("No video is chosen, so there is nothing to edit.")
    write_whole(path, video_overrides_text(rows, _EDITED).encode())
    return len(rows)


def take_table(site: SiteFile, path: Path) -> int:
    """Take an edited table of videos: its rows replace those of the same videos, a row without
    fields takes one out. Gives the number of videos set. Raises SiteFileError, AtlasError."""
    target = _file(site)
    text = given_text(path)
    rows = parse_video_overrides(text, path, site.model.site.url)
    edited = [row for row in rows if row.sets]
    mentioned = {(row.loc, row.video) for row in rows}
    kept = [one for one in site.video_overrides if (one.loc, one.video) not in mentioned]
    write_whole(target, video_overrides_text([*kept, *edited]).encode(), durable=True)
    return len(edited)


def _file(site: SiteFile) -> Path:
    if not site.model.videos.file:
        raise AtlasError(
            'The site file names no table of videos. Add [videos] with file = "videos.csv".'
        )
    return site.folder / site.model.videos.file
