"""When the files of a folder were last committed, where the folder is in a git work tree."""

from __future__ import annotations

import subprocess
from pathlib import Path

from jovial_atlas import dates

_PATIENCE = 60.0


def commit_dates(folder: Path) -> dict[str, str]:
    """Path inside the folder → date of its newest commit, in the product's form.

    Files that were changed since, or that git does not know, are not in it; nor is anything
    where git is missing, slow, or has no work tree there.
    """
    log = _git(folder, "log", "--format=%x00%cI", "--name-only", "--no-renames", "-z", "--relative",
               "--", ".")  # fmt: skip
    if log is None:
        return {}
    dates_by_path: dict[str, str] = {}
    when: str | None = None
    for piece in log.split("\0"):
        text = piece.strip("\n")
        if not text:
            continue
        if (read := _date(text)) is not None:
            when = read
        elif when:
            dates_by_path.setdefault(text, when)
    changed = _git(folder, "status", "--porcelain", "-z", "--no-renames", "--", ".") or ""
    prefix = (_git(folder, "rev-parse", "--show-prefix") or "").strip("\n")
    for entry in changed.split("\0"):
        dates_by_path.pop(entry[3:].removeprefix(prefix), None)
    return dates_by_path


def _date(text: str) -> str | None:
    # A date of %cI: 2026-11-23T10:00:00+01:00; no file is called so by chance.
    return dates.read(text) if len(text) == 25 and text[10] == "T" else None


def _git(folder: Path, *arguments: str) -> str | None:
    try:
        done = subprocess.run(  # noqa: S603 - git by name, arguments from our own list
            ["git", "-C", str(folder), *arguments],  # noqa: S607
            capture_output=True,
            timeout=_PATIENCE,
            check=False,
        )
    except (OSError, subprocess.TimeoutExpired):
        return None
    return done.stdout.decode("utf-8", "replace") if done.returncode == 0 else None
