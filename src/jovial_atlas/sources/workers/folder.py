"""A folder of files: which of them are pages, and how they become addresses.

Loads nothing of tables: it is known which files there are before those are needed.
"""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Literal

import msgspec

from jovial_atlas import addresses, patterns
from jovial_atlas.errors import ContentError
from jovial_atlas.faults import Fault
from jovial_atlas.sources.html_page.context import PageFile
from jovial_atlas.sources.workers.git import commit_dates

Style = Literal["folder", "file", "plain"]

HTML_ENDINGS = (".html", ".htm", ".xhtml")
#: Folders that hold no page of a site: parts of templates, and what programs bring along.
NO_CONTENT = frozenset({"node_modules", "__pycache__", "_layouts", "_includes"})


class Folder(msgspec.Struct, frozen=True):
    """Which files of a folder are pages, and how they become addresses.

    `documents` are endings of other files that are pages too; `include` and `exclude` are
    patterns over paths inside the folder; `written` are files to pass over.
    """

    root: Path
    site: str
    style: Style = "folder"
    mount: str = "/"
    documents: tuple[str, ...] = ()
    include: tuple[str, ...] = ()
    exclude: tuple[str, ...] = ()
    endings: tuple[str, ...] = HTML_ENDINGS
    written: frozenset[str] = frozenset()


def page_files(folder: Folder) -> tuple[list[PageFile], list[Fault]]:
    """All page files below a folder, sorted by path, with their addresses.

    Hidden files and folders are passed over, and those of `NO_CONTENT`; a link that leads out of
    the folder is a fault. Raises ContentError where the folder cannot be read.
    """
    root = folder.root
    if not root.is_dir():
        what = "is not a folder" if root.exists() else "does not exist"
        raise ContentError(f"The content folder {root} {what}. Correct `path` in its [[source]].")
    files: list[PageFile] = []
    faults: list[Fault] = []
    inside = root.resolve()
    beginning = len(os.path.join(root, ""))  # noqa: PTH118
    wanted = _wanted(folder)
    endings = (*folder.endings, *(ending.lower() for ending in folder.documents))

    def refuse(error: OSError) -> None:
        if Path(error.filename) == root:
            raise ContentError(
                f"The content folder {root} cannot be read ({error.strerror})."
            ) from error
        path = Path(error.filename).relative_to(root).as_posix()
        faults.append(Fault("page-unreadable", path, f"It cannot be read ({error.strerror})."))

    for entry in _files(str(root), refuse):
        name = entry.name
        if not name.lower().endswith(endings):
            continue
        path = entry.path[beginning:].replace(os.sep, "/")
        if not wanted(path):
            continue
        file_path = entry.path
        if file_path in folder.written:
            continue
        if entry.is_symlink() and not Path(file_path).resolve().is_relative_to(inside):
            faults.append(Fault("page-outside", path, "It is a link that leads out of the folder."))
            continue
        style = folder.style if name.lower().endswith(HTML_ENDINGS) else "file"
        loc = address_of(path, folder.site, style, folder.mount)
        shown = path.encode("utf-8", "surrogateescape").decode("utf-8", "replace")
        files.append(PageFile(file_path, shown, loc))
    files.sort(key=lambda file: file.path)
    return files, faults


def _files(folder: str, refuse: Callable[[OSError], None]) -> Iterator[os.DirEntry[str]]:
    """All files below a folder; hidden ones are passed over, links to folders not followed."""
    waiting = [folder]
    while waiting:
        try:
            with os.scandir(waiting.pop()) as entries:
                for entry in entries:
                    if entry.name.startswith("."):
                        continue
                    if entry.is_dir(follow_symlinks=False):
                        if entry.name not in NO_CONTENT:
                            waiting.append(entry.path)
                    elif not entry.is_dir():
                        yield entry
        except OSError as error:
            refuse(error)


def _wanted(folder: Folder) -> Callable[[str], bool]:
    """Whether a path is asked for by the patterns of the source."""

    def compiled(given: tuple[str, ...]) -> re.Pattern[str] | None:
        rooted = [one if one.startswith(("/", "*")) else f"/{one}" for one in given]
        try:
            return re.compile(patterns.any_of(rooted)) if given else None
        except ValueError as error:
            raise ContentError(f"{folder.root}: {error}.") from None

    if not folder.include and not folder.exclude:
        return lambda _path: True
    include, exclude = compiled(folder.include), compiled(folder.exclude)

    def wanted(path: str) -> bool:
        name = addresses.escape(f"/{path}")
        return (include is None or bool(include.search(name))) and not (
            exclude and exclude.search(name)
        )

    return wanted


def address_of(path: str, site: str, style: Style, mount: str = "/") -> str:
    """The normalised address of a file: `folder` turns index files into folder addresses,
    `plain` drops endings as well, `file` leaves every name as it is."""
    folder, slash, name = path.rpartition("/")
    stem = name.rpartition(".")[0]
    if style != "file" and stem == "index":
        name = ""
    elif style == "plain":
        name = stem
    if mount == "/" and addresses.is_plain(path):
        return f"{site}/{folder}{slash}{name}"
    segments = [segment for segment in (*mount.split("/"), *folder.split("/")) if segment]
    inner = "/".join(addresses.escape(segment, "!$&'()*+,;=:@-._~") for segment in segments)
    last = addresses.escape(name, "!$&'()*+,;=:@-._~")
    return addresses.normalise(f"{site}/{inner}{'/' if inner else ''}{last}")


def with_commits(files: list[PageFile], root: Path) -> list[PageFile]:
    """The files with the dates of their last commits, where the folder is in a git repository."""
    committed = commit_dates(root)
    if not committed:
        return files
    return [PageFile(f.place, f.path, f.loc, committed.get(f.path)) for f in files]
