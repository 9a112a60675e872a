"""`videos`: what videos there are, what is known of each, and what is missing."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from jovial_atlas.cli.common import TABLE_FORMATS, Work, atlas_command
from jovial_atlas.cli.names import SECTION

if TYPE_CHECKING:
    from jovial_atlas.head.videos import Film

_FIELDS = ("loc", "number", "title", "duration", "picture", "found", "listed", "why_not")


@atlas_command(
    "videos",
    state="reads",
    formats=TABLE_FORMATS,
    examples=("videos --unlisted", "videos --section hides --edit videos.csv"),
)
@click.argument("what", type=click.Choice(["services"]), required=False, metavar="[services]")
@click.option("--section", type=SECTION, help="Only videos of this section.")
@click.option("--unlisted", is_flag=True, help="Only videos that are in no sitemap.")
@click.option("--sheet", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE",
              help="Draw a contact sheet of stills, .png or .html.")  # fmt: skip
@click.option("--columns", type=click.IntRange(1, 12), default=4, show_default=True,
              help="Stills beside each other on the sheet.")  # fmt: skip
@click.option("--edit", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE",
              help="Write a table of these videos for editing in a spreadsheet.")  # fmt: skip
@click.option("--take", type=click.Path(path_type=Path, dir_okay=False, exists=True),
              metavar="FILE", help="Take an edited table.")  # fmt: skip
def command(
    work: Work,
    what: str | None,
    section: str | None,
    unlisted: bool,
    sheet: Path | None,
    columns: int,
    edit: Path | None,
    take: Path | None,
) -> int:
    """List the videos of the last survey: page, title, length, picture, where each was found,
    and what keeps it out of the sitemap. With `services`: the hosts of players that were met, and
    the lines that describe those that no service is described for."""
    from jovial_atlas.faults import plural
    from jovial_atlas.rounds.deciding.films_table import (
        all_films,
        take_table,
        write_sheet,
        write_table,
    )
    from jovial_atlas.rounds.state.last_survey import last_survey

    if take:
        work.hold("edits")
    site, out = work.site(), work.output
    if what:
        _show_services(work)
        return 0
    if take:
        out.say(f"{plural(take_table(site, take), 'video')} set. Build again to see it.")
        return 0
    films = all_films(last_survey(site, work.now()), section=section, unlisted=unlisted)
    if sheet:
        write_sheet(films, site, sheet, columns)
        out.note(f"{plural(len(films), 'video')} drawn on {sheet}.")
        return 0
    if edit:
        count = write_table(films, site, edit)
        out.note(f"{plural(count, 'video')} written to {edit}. Fill it in, then:")
        out.note(f"jovial-atlas videos --take {edit}")
        return 0
    rows = [_row(film) for film in films]
    if out.format == "json":
        out.json({"videos": [row | _details(film) for row, film in zip(rows, films, strict=True)]})
    elif out.format == "csv":
        out.csv(_FIELDS, [[row[name] for name in _FIELDS] for row in rows])
    else:
        _show(work, films, rows)
    return 0


def _show_services(work: Work) -> None:
    from dataclasses import asdict

    from jovial_atlas.rounds.deciding.video_services import film_hosts
    from jovial_atlas.rounds.state.last_survey import last_survey

    site, out = work.site(), work.output
    hosts = film_hosts(last_survey(site, work.now()))
    if out.format == "json":
        out.json({"hosts": [asdict(one) for one in hosts]})
        return
    names = ("host", "service", "videos", "pages", "lacking", "example")
    rows = [[getattr(one, name) for name in names] for one in hosts]
    if out.format == "csv":
        out.csv(names, rows)
        return
    if not hosts:
        out.say("The last survey met no videos.")
        return
    out.table(
        ["Host", "Service", "Videos: right", "Pages: right",
         "Lack a title or picture: right", "Example: fold 1"],
        [[row[0], row[1] or "not described", *row[2:]] for row in rows],
    )  # fmt: skip
    unknown = [one for one in hosts if one.described]
    if unknown:
        where = site.model.videos.services
        named = 'a file, and name it by services = "services.toml" in [videos] of the site file'
        out.say(f"To describe the others, put this into {where or named}, and correct the names:")
        for one in unknown:
            out.say()
            out.say(one.described)


def _row(film: Film) -> dict[str, Any]:
    from jovial_atlas.rounds.deciding.films_table import not_listed, picture_of

    why_not = not_listed(film)
    return {
        "loc": film.loc, "number": film.number, "title": film.values.title,
        "duration": film.values.duration, "picture": picture_of(film),
        "found": film.origin.get("content") or film.origin.get("player"),
        "listed": not why_not, "why_not": why_not,
    }  # fmt: skip


def _details(film: Film) -> dict[str, Any]:
    from msgspec.structs import asdict

    media = {name: getattr(film.media, name) for name in ("codecs", "plays", "bytes", "problem")}
    return {"name": film.name, "values": asdict(film.values), "from": film.origin, **media}


def _show(work: Work, films: list[Film], rows: list[dict[str, Any]]) -> None:
    from jovial_atlas.addresses import path_and_query
    from jovial_atlas.faults import plural
    from jovial_atlas.rounds.deciding.films_table import length

    out = work.output
    out.table(
        ["Page: address", "Title: fold", "Length: right 1", "Size: right 4",
         "Picture: left 2", "Found: left 3", "Sitemap: fold"],
        [
            [
                path_and_query(row["loc"]), row["title"], length(row["duration"]),
                f"{film.values.width}×{film.values.height}", row["picture"], row["found"],
                _sitemap(film, row),
            ]
            for row, film in zip(rows, films, strict=True)
        ],
    )  # fmt: skip
    listed = sum(row["listed"] for row in rows)
    out.say(f"{plural(len(rows), 'video')}, {listed:,} listed.")


def _sitemap(film: Film, row: dict[str, Any]) -> str:
    """Whether it is listed, and what is wrong with its file all the same."""
    if not row["listed"]:
        return f"not: {row['why_not']}"
    problem = film.media.problem
    return f"listed, but {problem}" if problem else "listed"
