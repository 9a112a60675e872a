"""`[languages]`: where versions of pages in other languages are."""

import re
from collections.abc import Iterable
from typing import Annotated

from msgspec import field

from jovial_atlas import languages
from jovial_atlas.sitefile.parts import Part, check, check_whole, says


class Languages(Part, frozen=True, kw_only=True):
    """`[languages]`: where versions of a page in other languages are."""

    folders: Annotated[
        dict[str, str],
        says(
            "language → folder; pages with the same path in two of them are versions of each other"
        ),
    ] = field(default_factory=dict)
    endings: Annotated[
        dict[str, str],
        says(
            'language → end of the names of its files or folders, as in { de = ".de" } for '
            "/walks.de.html; pages whose paths are the same but for it, or without one, are "
            "versions of each other"
        ),
    ] = field(default_factory=dict)
    default: Annotated[str, says("language for everybody else (x-default)")] = ""

    @check("folders")
    @classmethod
    def _folders(cls, value: dict[str, str]) -> dict[str, str]:
        _check_tags(value)
        for folder in value.values():
            if not folder.startswith("/") or not folder.endswith("/"):
                raise ValueError(f"{folder!r} must begin and end with '/'")
        return value

    @check("endings")
    @classmethod
    def _endings(cls, value: dict[str, str]) -> dict[str, str]:
        _check_tags(value)
        for ending in value.values():
            if not re.fullmatch(r"[._-][A-Za-z0-9_-]+", ending):
                raise ValueError(
                    f"{ending!r} must be a dot, hyphen or underscore with letters behind, as '.de'"
                )
        return value

    @check_whole
    def _default_is_there(self) -> None:
        # What has no ending is in the language of the site.
        if self.default and not self.endings and self.default not in self.folders:
            raise ValueError(f"default = {self.default!r} is none of `folders`")

    @property
    def are_placed(self) -> bool:
        """Whether places tell languages: folders or names of files."""
        return bool(self.folders or self.endings)

    @property
    def have_versions(self) -> bool:
        """Whether pages in these places are versions of others."""
        return len(self.folders) > 1 or bool(self.endings)


def _check_tags(named: Iterable[str]) -> None:
    for language in named:
        if fault := languages.fault_of(language):
            raise ValueError(f"{language!r} {fault}")
