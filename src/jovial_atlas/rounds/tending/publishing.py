"""Making public what a round wrote: by a command of the owner's, or a commit to git."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

import polars as pl

from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import plural
from jovial_atlas.files import FileSet, write_whole
from jovial_atlas.pages import snapshot
from jovial_atlas.rounds.state.names import MANIFEST, PAGE_TABLE
from jovial_atlas.rounds.tending.around import Around
from jovial_atlas.running import Command, RanCommand
from jovial_atlas.sitefile import HtmlSource, SiteFile
from jovial_atlas.sitefile.tending import seconds_of
from jovial_atlas.sources.settings import name_of

#: What was public after the last time, file by file; and the list of what changed since.
_PUBLIC, _CHANGED = "public-files.json", "changed-files.txt"
#: What the command said.
_SAID = "publish.log"
#: Names in the pattern of a message.
_FIELD = re.compile(r"\{\{\s*(\w+)\s*\}\}")


@dataclass(frozen=True, slots=True)
class Unpublished:
    """Files that are to become public, by their paths from the site file's folder, each with what
    tells its state: `changed` since the last time, new ones among them, and `gone` ones."""

    now: dict[str, str]
    changed: list[str]
    gone: list[str]

    @property
    def any(self) -> bool:
        """Whether there is anything."""
        return bool(self.changed or self.gone)


def unpublished(site: SiteFile, folders: Sequence[str] = ()) -> Unpublished:
    """What the tool wrote since it was made public last: files of its own, and pages that it
    injected head data into. `folders` are the output folders of the hosts as they are called, where
    they are copies."""
    now = _files_now(site, folders)
    path = site.shared_state / _PUBLIC
    try:
        before = json.loads(path.read_text("utf-8")) if path.exists() else {}
    except (OSError, ValueError):
        before = {}
    changed = [name for name, mark in now.items() if before.get(name) != mark]
    return Unpublished(now, changed, [name for name in before if name not in now])


def _files_now(site: SiteFile, folders: Sequence[str]) -> dict[str, str]:
    found: dict[str, str] = {}
    called = folders or [host.model.output.folder for host in site.hosts]
    for host, name in zip(site.hosts, called, strict=True):
        own = FileSet(host.output, host.state / MANIFEST)
        folder = Path(name)
        found |= {(folder / path).as_posix(): name for path, name in own.digests().items()}
    return found | _injected(site)


def _injected(site: SiteFile) -> dict[str, str]:
    """Pages that hold head data of ours → what tells which."""
    table = snapshot.scan(site.shared_state / PAGE_TABLE)
    if table is None or "injected" not in table.collect_schema():
        return {}
    marked = table.filter(pl.col("injected").is_not_null()).select("source", "path", "injected")
    folders = {name_of(one): one.path for one in site.model.source if isinstance(one, HtmlSource)}
    return {
        (Path(folders[source]) / path).as_posix(): mark
        for source, path, mark in marked.collect().iter_rows()
        if source in folders and path
    }


def note_public(site: SiteFile, files: Unpublished) -> None:
    """Remember that these files are public. Raises OutputError."""
    write_whole(site.shared_state / _PUBLIC, json.dumps(files.now).encode())


def publish(site: SiteFile, files: Unpublished, around: Around) -> str:
    """Make files public, and say what was done. Raises AtlasError where that fails."""
    settings = site.model.publish
    done = []
    if settings.commit:
        done.append(_commit(site, files, around))
    if settings.run:
        listed = site.shared_state / _CHANGED
        lines = [*files.changed, *(f"-{name}" for name in files.gone)]
        write_whole(listed, "".join(f"{line}\n" for line in lines).encode())
        ran = around.run(
            Command(
                settings.run, site.folder,
                {**around.environment, "ATLAS_CHANGED": str(listed), "ATLAS_SITE": str(site.path)},
                limit=seconds_of(settings.limit), shell=settings.shell,
            )
        )  # fmt: skip
        # What it said last, for whoever wants to see it.
        write_whole(site.shared_state / _SAID, f"{ran.said}\n".encode())
        if ran.trouble:
            raise AtlasError(f"The command of [publish] failed ({ran.trouble}). Correct it, or "
                             "what it needs; the next round tries it again.")  # fmt: skip
        done.append(f"{settings.run[0]} ran")
    return f"{plural(len(files.changed) + len(files.gone), 'file')}; {', '.join(done)}"


def _commit(site: SiteFile, files: Unpublished, around: Around) -> str:
    """Commit the files of the tool, and nothing else; push where that is wanted."""
    settings = site.model.publish
    changed = [name for name in files.changed if (site.folder / name).exists()]
    gone = [name for name in files.gone if not (site.folder / name).exists()]
    tracked = set(_git(site, around, "ls-files", "-z", "--", *gone).split("\0")) if gone else set()
    names = [*changed, *(name for name in gone if name in tracked)]
    if not names:
        return "nothing to commit"
    given = ("--pathspec-from-file=-", "--pathspec-file-nul")
    if changed:
        _git(site, around, "add", "--force", *given, given=_pathspecs(changed))
    message = _message(settings.commit, files, around)
    words = ("commit", "--quiet", "--only", "-m", message, *given)
    ran = _run_git(site, around, words, _pathspecs(names))
    if ran.trouble and not any(word in ran.said for word in _NOTHING):
        raise _git_failed(site, "commit", ran.trouble)
    done = "nothing to commit" if ran.trouble else "committed"
    if settings.push:
        _git(site, around, "push", "--quiet", settings.push, "HEAD")
        done += f", pushed to {settings.push}"
    return done


#: What git says where there is nothing to commit.
_NOTHING = ("nothing to commit", "no changes added", "nothing added to commit")


def _pathspecs(names: list[str]) -> bytes:
    return "\0".join(f":(literal){name}" for name in names).encode()


def _message(pattern: str, files: Unpublished, around: Around) -> str:
    values: Mapping[str, str] = {
        "day": f"{around.now():%Y-%m-%d}", "time": f"{around.now():%H:%M}",
        "files": str(len(files.changed) + len(files.gone)), "machine": around.machine,
    }  # fmt: skip
    return _FIELD.sub(lambda match: values.get(match[1], match[0]), pattern)


def _git(site: SiteFile, around: Around, *words: str, given: bytes = b"") -> str:
    ran = _run_git(site, around, words, given)
    if ran.trouble:
        raise _git_failed(site, words[0], ran.trouble)
    return ran.said


def _run_git(site: SiteFile, around: Around, words: tuple[str, ...], given: bytes) -> RanCommand:
    environment = {**around.environment, "LC_ALL": "C", "GIT_TERMINAL_PROMPT": "0"}
    return around.run(Command(("git", *words), site.folder, environment, given, limit=600))


def _git_failed(site: SiteFile, what: str, trouble: str) -> AtlasError:
    return AtlasError(f"git {what} failed in {site.folder} ({trouble}). Correct that; the next "
                      "round tries it again.")  # fmt: skip
