"""Settings of a site as one file, taken into another site; parts of them set anew.

The file is TOML: `format`, `site`, and `[files]` with the text of the site file and of the tables
beside it, as they are, so that comments go along and people can read it.
"""

from __future__ import annotations

import tomllib
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

import tomlkit
from msgspec import structs

from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import nearest
from jovial_atlas.rounds.deciding.history import (
    Contents,
    contents_of,
    differences,
    tables_named,
    turns_with,
)
from jovial_atlas.rounds.deciding.rules import Turns
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.edit import set_part
from jovial_atlas.sitefile.model import SiteModel
from jovial_atlas.sitefile.tables import text_of

_FORMAT = 1
#: What is a site's own: it goes to another site only where it is asked for by name.
SITE_OWN = ("site", "host", "source", "output", "publisher", "place", "ledger")
_TABLES = ("overrides", "videos", "links", "moves")
#: What a site file cannot be without.
_NEEDED = ("site", "source")


def parts() -> list[str]:
    """The parts of settings: the tables of a site file, and those that are files beside it."""
    return [one.encode_name for one in structs.fields(SiteModel)]


@dataclass(frozen=True, slots=True)
class SettingsChange:
    """Settings before and after, how verdicts turn (None where there is no survey), the
    differences as lines, and the parts that were taken or set anew."""

    before: Contents
    after: Contents
    turns: Turns | None
    differences: str
    parts: tuple[str, ...]


def settings_text(site: SiteFile) -> str:
    """All settings of a site as one file. Raises OutputError where one cannot be read."""
    document = tomlkit.document()
    document.add(tomlkit.comment(f"The settings of {site.model.site.url}."))
    document["format"] = _FORMAT
    document["site"] = site.model.site.url
    files = tomlkit.table()
    for name, data in contents_of(site.path).items():
        if data is not None:
            files[name if name != site.path.name else "atlas.toml"] = _quoted(text_of(data))
    document["files"] = files
    return tomlkit.dumps(document)


def _quoted(text: str) -> tomlkit.items.String:
    """A text as it is between quotes, where TOML allows it; with escaped letters else."""
    text = text.replace("\r\n", "\n")
    plain = "'''" not in text and all(one >= " " or one in "\t\n" for one in text)
    return tomlkit.string(text, literal=plain, multiline=plain)


def _read(path: Path) -> tuple[str, dict[str, str]]:
    """Address of the site and texts of a file of settings. Raises AtlasError."""
    try:
        values = tomllib.loads(path.read_bytes().decode("utf-8-sig"))
    except OSError as error:
        raise AtlasError(f"{path} cannot be read ({error.strerror or error}).") from error
    except (ValueError, RecursionError) as error:
        raise AtlasError(f"{path} is no file of settings: it is not TOML ({error}).") from None
    files = values.get("files")
    if values.get("format") != _FORMAT or not isinstance(files, dict) or "atlas.toml" not in files:
        raise AtlasError(
            f"{path} is no file of settings; `jovial-atlas settings export` writes one."
        )
    texts = {name: text for name, text in files.items() if isinstance(text, str)}
    return str(values.get("site", "")), texts


def importing(site: SiteFile, path: Path, only: Sequence[str], now: datetime) -> SettingsChange:
    """What taking a file of settings into a site changes: all parts of the same site, without what
    is a site's own of another one, or those named. Nothing is saved. Raises AtlasError."""
    url, texts = _read(path)
    given = tomllib.loads(texts["atlas.toml"])
    same = url == site.model.site.url
    wanted = [_part(one) for one in only] or [
        one for one in parts() if same or one not in (*SITE_OWN, *_TABLES)
    ]
    if absent := [one for one in only if one not in given]:
        raise AtlasError(f"{path} says nothing of {absent[0]}; it has {', '.join(given)}.")
    before = contents_of(site.path)
    text = text_of(before[site.path.name] or b"")
    taken = [one for one in wanted if one in given]
    for one in taken:
        text = set_part(text, one, texts["atlas.toml"])
    after: Contents = {site.path.name: text.encode()}
    theirs = tables_named(texts["atlas.toml"].encode())
    ours = tables_named(after[site.path.name] or b"")
    for one in _TABLES:
        if one in wanted and one in ours and (rows := texts.get(theirs.get(one, ""))) is not None:
            after[ours[one]] = rows.encode()
    return _change(site, before | {n: before.get(n) for n in after}, after, taken, now)


def reset(site: SiteFile, names: Sequence[str], now: datetime) -> SettingsChange:
    """What setting parts anew changes: they go out of the site file, so that defaults hold; of a
    table beside it the rows go too. Nothing is saved. Raises AtlasError."""
    before = contents_of(site.path)
    text = text_of(before[site.path.name] or b"")
    named = tables_named(before[site.path.name] or b"")
    chosen = [_part(one) for one in names]
    after: Contents = {}
    for one in chosen:
        if one in _NEEDED:
            raise AtlasError(f"A site file cannot be without [{one}]. Change it by hand, or write "
                             "a new one with `jovial-atlas init --replace`.")  # fmt: skip
        text = set_part(text, one, "")
        if one in named and before.get(named[one]) is not None:
            after[named[one]] = None
    after[site.path.name] = text.encode()
    return _change(site, before, after, chosen, now)


def _part(name: str) -> str:
    if name in parts():
        return name
    best = nearest(name, parts())
    meant = f" Did you mean {best!r}?" if best else f" There are {', '.join(parts())}."
    raise AtlasError(f"{name!r} is no part of the settings.{meant}")


def _change(
    site: SiteFile, before: Contents, after: Contents, named: Sequence[str], now: datetime
) -> SettingsChange:
    old = {name: before[name] for name in after}
    turns = turns_with(site.path.absolute(), after, now)
    return SettingsChange(old, after, turns, differences(old, after), tuple(named))


def part_sizes(site: SiteFile) -> list[tuple[str, int, int]]:
    """The parts of the settings, how many keys or tables the site file has of each, and how many
    rows the table beside it has."""
    contents = contents_of(site.path)
    document = tomllib.loads(text_of(contents[site.path.name] or b""))
    named = tables_named(contents[site.path.name] or b"")
    return [
        (one, len(document.get(one, ())), max(0, _rows(contents.get(named.get(one, "")))))
        for one in parts()
    ]


def _rows(data: bytes | None) -> int:
    return len(text_of(data).splitlines()) - 1 if data else 0
