"""Two states of a site beside each other: revisions of a git work tree, or folders. Their files
are laid out and read apart, so that nothing of the site itself changes."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from tempfile import TemporaryDirectory

import polars as pl

from jovial_atlas.errors import AtlasError, ContentError
from jovial_atlas.pages import snapshot
from jovial_atlas.place import NAME
from jovial_atlas.revisions import WorkTree
from jovial_atlas.rounds.reading.all_sources import SurveyOptions
from jovial_atlas.rounds.reading.survey import run_survey
from jovial_atlas.rounds.state.last_survey import stored_pages
from jovial_atlas.rounds.state.names import PAGE_TABLE
from jovial_atlas.sitefile import HtmlSource, MarkdownSource, SiteFile, TableSource
from jovial_atlas.sitefile.parts import changed
from jovial_atlas.sitefile.read import read_site_file
from jovial_atlas.values import replace
from jovial_atlas.web import Client

#: Sources that are files of the site; others say at both times what they say now.
_FILES = (HtmlSource, MarkdownSource, TableSource)


@dataclass(frozen=True, slots=True)
class SiteState:
    """One state of a site: its name, the full name of its revision ("" for none), the site file,
    its folder as git names it, its pages, and why these are not those of this state ("" where
    they are)."""

    name: str
    revision: str
    site: SiteFile
    folder: str
    pages: pl.DataFrame
    not_read: str = ""


@dataclass(frozen=True, slots=True)
class TwoStates:
    """A site before and after a change, with the work tree where its revisions are."""

    before: SiteState
    after: SiteState
    tree: WorkTree | None


@dataclass(frozen=True, slots=True)
class Comparison:
    """What two states are read with: the site as it is here, time, HTTP, and the environment."""

    site: SiteFile
    now: datetime
    client: Client
    environment: Mapping[str, str]


@contextmanager
def two_states(asked: Comparison, before: str, after: str) -> Iterator[TwoStates]:
    """A site in two states, each the name of a revision, or a folder or site file; "" is the site
    as it is. Raises AtlasError, also where a name is neither."""
    tree = _tree(asked.site.path.absolute().parent, asked.environment)
    with TemporaryDirectory() as work:
        found = []
        for number, name in enumerate((before, after)):
            laid_out = _laid_out(asked.site, name, Path(work, str(number)), tree)
            found.append(_read(name, laid_out, asked, Path(work, f"state-{number}")))
        yield TwoStates(found[0], found[1], tree)


def _tree(folder: Path, environment: Mapping[str, str]) -> WorkTree | None:
    try:
        return WorkTree(folder, environment)
    except AtlasError:
        return None


def _laid_out(
    site: SiteFile, name: str, into: Path, tree: WorkTree | None
) -> tuple[Path, str, str]:
    """The site file of a state, the full name of its revision, and its folder in the work tree."""
    here = site.path.resolve()
    inside = tree is not None and here.is_relative_to(tree.top)
    if tree and inside:
        below = here.relative_to(tree.top)
        folder = below.parent.as_posix().removeprefix(".")
        if not name:
            return here, "", folder
        try:
            revision = tree.named(name)
        except AtlasError:
            if not Path(name).exists():
                raise
        else:
            tree.lay_out(revision, into)
            if not (into / below).exists():
                raise AtlasError(f"There is no {below} in the revision {name}.")
            return into / below, revision, folder
    path = Path(name) if name else here
    path = path / NAME if path.is_dir() else path
    if not path.is_file():
        raise AtlasError(f"{name!r} is no revision, as the site is in no git work tree, and no "
                         "folder with a site file.")  # fmt: skip
    return path.resolve(), "", ""


def _read(name: str, laid_out: tuple[Path, str, str], asked: Comparison, state: Path) -> SiteState:
    path, revision, folder = laid_out
    site = replace(read_site_file(path), kept_in=state)
    files = tuple(one for one in site.model.source if isinstance(one, _FILES))
    read = replace(site, model=changed(site.model, source=files))
    missing = [one.path for one in files if not _is_there(site, one.path)]
    why = f"{', '.join(missing)} is not in it" if missing else ""
    if files and not missing:
        try:
            options = SurveyOptions(asked.environment, accept=True)
            run_survey(read, asked.now, asked.client, options)
        except ContentError as error:
            why = str(error)
        else:
            pages = _stored(state)
            if pages is not None:
                return SiteState(name, revision, site, folder, pages)
    why = why or "it has no files of its own"
    pages = _stored(asked.site.shared_state)
    if pages is None:
        raise AtlasError(f"No page of the state {name!r} can be read ({why}), and there is no "
                         "survey of the site that could stand for it. Run `jovial-atlas survey` "
                         "first.")  # fmt: skip
    return SiteState(name, revision, site, folder, pages, why)


def _is_there(site: SiteFile, path: str) -> bool:
    return (site.folder / path).exists() or any(site.folder.glob(path))


def _stored(state: Path) -> pl.DataFrame | None:
    lazy = stored_pages(state / PAGE_TABLE)
    return None if lazy is None else snapshot.collect(lazy, state / PAGE_TABLE)
