"""Revisions of a git work tree: their files laid out elsewhere, and who wrote what in them."""

from __future__ import annotations

import os
import subprocess
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from jovial_atlas.errors import AtlasError

_PATIENCE = 600.0
#: What git calls the author of a line that is not committed.
_NOBODY = "0" * 40


@dataclass(frozen=True, slots=True)
class Author:
    """Who wrote something: name, mail address, and the revision in which it was done; that is
    empty where it is not committed yet."""

    name: str
    mail: str
    revision: str

    def is_one_of(self, names: tuple[str, ...]) -> bool:
        """Whether names or mail addresses have this author among them."""
        return self.name in names or (bool(self.mail) and self.mail in names)

    def __str__(self) -> str:
        mail = f" <{self.mail}>" if self.mail else ""
        where = f", {self.revision[:10]}" if self.revision else ", not committed"
        return f"{self.name}{mail}{where}"


class WorkTree:
    """The git work tree that a folder is in; git runs in the `environment` that is handed in.
    Raises AtlasError where there is none."""

    def __init__(self, folder: Path, environment: Mapping[str, str]) -> None:
        here = folder.resolve()
        self._environment = environment
        self.top = here
        top, common = self._git("rev-parse", "--show-toplevel", "--git-common-dir").splitlines()
        self.top = Path(top)
        self._objects = (here / common / "objects").resolve()

    def named(self, revision: str) -> str:
        """The revision that a name stands for, in full. Raises AtlasError where there is none."""
        found = self._try("rev-parse", "--verify", "--quiet", "--end-of-options",
                     f"{revision}^{{commit}}")  # fmt: skip
        if found is None:
            raise AtlasError(
                f"{revision!r} is no revision of {self.top}. Name a branch, a tag or a commit that "
                "this clone has (`git fetch` brings others), or a folder with a site file."
            )
        return found.strip()

    def lay_out(self, revision: str, into: Path) -> None:
        """Write the files of a revision into a folder; those as they are now, tracked or not, but
        not what git ignores, where it is empty. The work tree, its index and the store of git stay
        as they are. Raises AtlasError."""
        into.mkdir(parents=True)
        beside = into.with_name(f"{into.name}.git")
        (beside / "objects").mkdir(parents=True)
        own = {
            "GIT_INDEX_FILE": str(beside / "index"),
            "GIT_OBJECT_DIRECTORY": str(beside / "objects"),
            "GIT_ALTERNATE_OBJECT_DIRECTORIES": str(self._objects),
        }
        if revision or self._try("rev-parse", "--verify", "--quiet", "HEAD"):
            self._git("read-tree", revision or "HEAD", more=own)
        if not revision:
            self._git("add", "--all", more=own)
        self._git("checkout-index", "--all", "--force", f"--prefix={into}{os.sep}", more=own)

    def authors_of(self, path: str, lines: range, before: str, after: str) -> list[Author]:
        """Who wrote lines of a file (counted from 1) since the revision `before`; where nobody did,
        or there are no such lines, who changed the file last since then; empty where nobody did.
        An empty revision `after` is the files as they are."""
        wrote = self._wrote(path, lines, after) if lines else []
        since = [one for one in wrote if not one.revision or self._is_since(one.revision, before)]
        if since:
            return since
        last = self._last_author(path, before, after)
        return [last] if last else []

    def _wrote(self, path: str, lines: range, after: str) -> list[Author]:
        said = self._try("blame", "--line-porcelain", "-L", f"{lines[0]},{lines[-1]}",
                         *([after] if after else []), "--", path)  # fmt: skip
        found: list[Author] = []
        values: dict[str, str] = {}
        for line in (said or "").splitlines():
            if not line.startswith("\t"):
                key, _, value = line.partition(" ")
                if values:
                    values[key] = value
                else:
                    values["revision"] = key
                continue
            revision = values["revision"]
            mail = values.get("author-mail", "").strip("<>")
            one = Author(values.get("author", ""), mail, revision)
            found.append(self.somebody() if revision == _NOBODY else one)
            values = {}
        return list(dict.fromkeys(found))

    def _is_since(self, revision: str, before: str) -> bool:
        return self._try("merge-base", "--is-ancestor", revision, before) is None

    def _last_author(self, path: str, before: str, after: str) -> Author | None:
        if not after and self._try("status", "--porcelain", "--", path):
            return self.somebody()
        said = self._try("log", "-1", "--format=%aN%x00%aE%x00%H",
                    f"{before}..{after or 'HEAD'}", "--", path)  # fmt: skip
        if not said or not said.strip():
            return None
        return Author(*said.strip().split("\0"))

    def somebody(self) -> Author:
        """Who would commit what is not committed: as git is told here."""
        name, mail = (self._try("config", key) or "" for key in ("user.name", "user.email"))
        return Author(name.strip() or "somebody", mail.strip(), "")

    def _git(self, *arguments: str, more: Mapping[str, str] | None = None) -> str:
        """What git says. Raises AtlasError where it fails, or is not there."""
        try:
            done = subprocess.run(  # noqa: S603 - git by name, arguments from our own list
                ["git", "-C", str(self.top), *arguments],  # noqa: S607
                capture_output=True, timeout=_PATIENCE, check=False,
                env={**self._environment, **(more or {})},
            )  # fmt: skip
        except FileNotFoundError:
            message = "git is not installed here; install it, or name two folders."
            raise AtlasError(message) from None
        except (OSError, subprocess.TimeoutExpired) as error:
            raise AtlasError(f"git did not do its work in {self.top} ({error}).") from error
        if done.returncode:
            why = done.stderr.decode("utf-8", "replace").strip().removeprefix("fatal: ")
            raise AtlasError(f"git cannot read {self.top}: {why}. Name a folder in a work tree.")
        return done.stdout.decode("utf-8", "surrogateescape")

    def _try(self, *arguments: str) -> str | None:
        """As `_git`; None where it fails."""
        try:
            return self._git(*arguments)
        except AtlasError:
            return None
