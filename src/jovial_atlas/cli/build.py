"""`build`: write the set of files, or show what would change."""

from __future__ import annotations

import os
import re
from contextlib import nullcontext
from typing import TYPE_CHECKING

import click

from jovial_atlas.cli.common import TABLE_FORMATS, Work, atlas_command
from jovial_atlas.values import asdict

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from jovial_atlas.cli.output import Output
    from jovial_atlas.rounds.publishing.build.options import UnlistedNames
    from jovial_atlas.rounds.publishing.build.result import Build, BuiltFile, Difference
    from jovial_atlas.sitefile import SiteFile


@atlas_command(
    "build",
    many=True,
    fails="refused, since much would be lost",
    state="writes",
    formats=TABLE_FORMATS,
    examples=("build --dry-run", "build --accept"),
)
@click.option("--dry-run", is_flag=True, help="Write nothing; show what would change.")
@click.option(
    "--replace",
    multiple=True,
    metavar="NAME",
    help="Take over a file of this name that the tool did not write; "
    "the old one is kept in the state folder.",
)
@click.option(
    "--addresses", is_flag=True, help="Show each address that differs from the build before."
)
@click.option(
    "--fold",
    is_flag=True,
    help="Fill up sitemap files that have become near-empty; addresses move between files.",
)
@click.option(
    "--accept", is_flag=True, help="Build also where much of what was listed is lost by it."
)
def command(
    work: Work,
    dry_run: bool,
    replace: tuple[str, ...],
    addresses: bool,
    fold: bool,
    accept: bool,
) -> int:
    """Write sitemaps, robots.txt, the IndexNow key file and head data for each page.

    Unchanged files are not touched, files of others are never overwritten."""
    from jovial_atlas.rounds.publishing.build.foreign import replace_foreign
    from jovial_atlas.rounds.publishing.build.options import BuildOptions
    from jovial_atlas.rounds.publishing.build.run import run_build
    from jovial_atlas.rounds.publishing.changed import changed_pages
    from jovial_atlas.rounds.reading.unchanged import own_writes
    from jovial_atlas.rounds.state.last_survey import last_survey
    from jovial_atlas.rounds.telling.events import note_changes

    site, out = work.site(), work.output
    survey = last_survey(site, work.now())
    if replace and not dry_run:
        for path in replace_foreign(site, replace):
            out.note(f"The file that was there is now {path}.")
    out.get_ready()
    options = BuildOptions(dry_run, fold, addresses, accept, work.locks().swapping, _names(work))
    with nullcontext() if dry_run else own_writes(site.path):
        build = run_build(site, survey, work.now(), options)
        if not dry_run:
            note_changes(site, changed_pages(survey), work.now, os.environ)
    for warning in (build.hidden, build.refused):
        if warning:
            out.warn(warning)
    _show(out, build, addresses=addresses, dry_run=dry_run)
    for file in build.files:
        if file.state == "kept":
            out.warn(
                f"{site.output / file.path} was not written by this tool and stays as it is. "
                f"To hand it over: jovial-atlas build --replace {file.path}"
            )
    for note in build.notes:
        out.note(note)
    return 0


def _names(work: Work) -> UnlistedNames:
    """The names of unlisted sitemaps, from the ledger: it is loaded only where there are any."""

    def unlisted_names(site: SiteFile, kinds: Sequence[str], make: bool) -> Mapping[str, str]:
        from jovial_atlas.rounds.state.unlisted_names import names_from_ledger

        return names_from_ledger(work.now(), os.environ)(site, kinds, make)

    return unlisted_names


def _show(out: Output, build: Build, *, addresses: bool, dry_run: bool) -> None:
    from jovial_atlas.faults import plural

    differences = [asdict(one) for one in build.differences]
    if out.format == "json":
        out.json(
            {
                "files": [asdict(file) for file in build.files],
                "listed": build.listed,
                "not_listed": build.not_listed,
                "hidden": build.hidden,
                **({"addresses": differences} if addresses else {}),
            }
        )
    elif out.format == "csv" and addresses:
        names = ("loc", "change", "file")
        out.csv(names, [[one[name] for name in names] for one in differences])
    elif out.format == "csv":
        out.csv(_FIELDS, [[getattr(file, name) for name in _FIELDS] for file in build.files])
    else:
        out.table(
            ["File: address", "Addresses: right", "Pictures: right 3",
             "Videos: right 2", "Bytes: right 1", "State"],
            _shown(build.files, every=out.verbose),
        )  # fmt: skip
        if addresses:
            _differences(out, build.differences)
        out.say(f"{plural(build.listed, 'page')} listed.")
        for reason, count in build.not_listed.items():
            out.say(f"{count:>6,} not listed: {reason}")
        if dry_run:
            out.say("Nothing was written (--dry-run).")


def _shown(files: list[BuiltFile], *, every: bool) -> list[list[object]]:
    """Rows of the table of files. Where very many are as they were, these are one row."""
    same = [file for file in files if file.state == "same"]
    folded = same if len(same) > _MANY and not every else []
    rows = [
        [getattr(file, name) or (None if name != "bytes" else 0) for name in _FIELDS]
        for file in sorted(files, key=_in_number)
        if not folded or file.state != "same"
    ]
    if folded:
        # Addresses are not added up: the index lists files, and videos stand on listed pages.
        told = f"{len(folded)} files as they were (--verbose shows them)"
        rows.append([told, None, None, None, sum(file.bytes for file in folded), "same"])
    return rows


def _in_number(file: BuiltFile) -> list[str | int]:
    """Where a file stands among others: the tenth of a kind behind the ninth."""
    parts = re.split(r"(\d+)", file.path)
    return [int(part) if number % 2 else part for number, part in enumerate(parts)]


def _differences(out: Output, differences: list[Difference]) -> None:
    if not differences:
        out.say("No address differs from the build before.")
        return
    out.table(
        ["Change", "Sitemap: left 1", "Address: address"],
        [[one.change, one.file, one.loc] for one in differences],
    )


#: More files than these that are as they were are shown as one row.
_MANY = 30
_FIELDS = ("path", "urls", "images", "videos", "bytes", "state")
