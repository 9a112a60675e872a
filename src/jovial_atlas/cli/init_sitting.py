"""`init` at a terminal: where the content is, the questions, a look at the site file."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

from jovial_atlas.cli.init_written import first_sitting, read_content, tell, text_of, write
from jovial_atlas.cli.sitting import WentBack, asked, sit, tell_how, wants_to_write
from jovial_atlas.rounds.reading.kept_sitting import KeptSitting

if TYPE_CHECKING:
    from jovial_atlas.cli.common import Work
    from jovial_atlas.cli.init_written import SetUp
    from jovial_atlas.rounds.reading.content_records import ContentPlace
    from jovial_atlas.rounds.reading.proposal import Proposal
    from jovial_atlas.rounds.reading.sitting import Sitting
    from jovial_atlas.web import Client


def with_questions(work: Work, path: Path, setup: SetUp) -> int:
    """Ask, write, and say what comes next; where it is left, keep what was answered."""
    from jovial_atlas.web import new_client

    kept = _taken_up(path, setup)
    tell_how(work.output)
    try:
        with new_client() as client:
            done = _ask(work, path, kept, setup, client)
    except click.Abort:
        kept.keep()
        work.output.say()
        work.output.say("Left. `jovial-atlas init` takes it up where you left.")
        return 130
    proposal, sitting_text = done
    if sitting_text is None:
        kept.keep()
        work.output.say("Nothing was written. `jovial-atlas init` shows it again.")
        return 0
    text, sitting = sitting_text
    write(work, path, text, proposal, replace=setup.replace)
    kept.forget()
    tell(work.output, proposal, sitting, setup.shape, path)
    return 0


def _taken_up(path: Path, setup: SetUp) -> KeptSitting:
    """What is known before the first question: a sitting that was left, where that is wanted."""
    kept = KeptSitting.read(path)
    if kept.given and not (setup.url or setup.content):
        answers = f"{len(kept.given)} answers for {kept.content}"
        if click.confirm(f"A sitting was left ({answers}). Take it up?", default=True):
            return kept
    fresh = KeptSitting(path)
    fresh.url, fresh.content = setup.url or "", setup.content or ""
    return fresh


def _ask(
    work: Work, path: Path, kept: KeptSitting, setup: SetUp, client: Client
) -> tuple[Proposal, tuple[str, Sitting] | None]:
    """All questions, as often as somebody goes back; the site file and the sitting, or None where
    it is not to be written."""
    from jovial_atlas.rounds.reading.sitting import told_of_titles

    given, shape = setup.given, setup.shape
    while True:
        place, url = _where(kept, client, setup)
        proposal = read_content(work, url, place, client)
        if said := told_of_titles(proposal):
            work.output.say(said)
        sitting = first_sitting(proposal, {**given, **kept.given}, shape)

        def keep(one: Sitting) -> None:
            kept.given = {n: v for n, v in one.given.items() if n not in given}
            kept.keep()

        try:
            if not (proposal.place.folder or shape["output"]):
                shape["output"] = asked("Folder that is served at the root of the site", "public",
                                        str)  # fmt: skip
            while True:
                sit(work.output, sitting, keep)
                text = text_of(proposal, path, sitting, shape)
                before = path.read_text("utf-8") if path.exists() else ""
                try:
                    wanted = wants_to_write(work.output, text, path, before)
                except WentBack:
                    sitting.back()
                    continue
                return proposal, (text, sitting) if wanted else None
        except WentBack:
            kept.url, kept.given = "", {}


def _where(kept: KeptSitting, client: Client, setup: SetUp) -> tuple[ContentPlace, str]:
    """Where the content is, and where it is public, asked for where it is not known."""
    from jovial_atlas.rounds.reading.content_place import (
        built_folder,
        html_folder,
        named_origin,
        recognise,
    )
    from jovial_atlas.rounds.reading.proposal import site_origin

    def place_at(text: str) -> ContentPlace:
        return html_folder(text) if setup.is_folder else recognise(text, client, setup.rows)

    while True:
        if not kept.content:
            kept.content = asked(
                "Where the content is: a folder, the address of the live site, a sitemap, feed, "
                "table or database", built_folder() or "", place_at, first=True,
            )  # fmt: skip
        place = place_at(kept.content)
        if kept.url:
            return place, site_origin(kept.url)
        try:
            found = place.origin or named_origin(place) or ""
            kept.url = asked("Address of the public site", found, site_origin)
        except WentBack:
            kept.content = ""
