"""What commands change in settings, kept as it is made; and changes taken back.

Settings are the site file and the tables beside it that it names. What was changed by hand since
the last command is found by the next one, and kept as a change of its own.
"""

from __future__ import annotations

import difflib
import tomllib
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from msgspec import structs

from jovial_atlas import dates
from jovial_atlas.errors import AtlasError
from jovial_atlas.files import digest, remove, write_over, writing
from jovial_atlas.history import Clash, FileTexts, History, KeptChange, taken_out
from jovial_atlas.place import STATE
from jovial_atlas.rounds.deciding.rules import Turns, turns_between
from jovial_atlas.rounds.state.last_survey import last_survey
from jovial_atlas.rounds.state.names import HISTORY
from jovial_atlas.sitefile.blocks import blocks_of
from jovial_atlas.sitefile.deciding import Overrides
from jovial_atlas.sitefile.linking import Linking
from jovial_atlas.sitefile.moving import Moving
from jovial_atlas.sitefile.parts import Part
from jovial_atlas.sitefile.read import SiteFile, parse_site_file
from jovial_atlas.sitefile.tables import table_text, text_of
from jovial_atlas.sitefile.videos import Videos

#: Tables of the site file that name a table beside it.
_NAMING: dict[str, type[Part]] = {
    "overrides": Overrides, "videos": Videos, "links": Linking, "moves": Moving,
}  # fmt: skip
#: File → what it holds; None where there is no such file.
Contents = dict[str, bytes | None]


def history_of(site_path: Path) -> History:
    """The record of changes of the settings of a site."""
    return History(site_path.absolute().parent / STATE / HISTORY)


def contents_of(site_path: Path) -> Contents:
    """The site file and the tables that it names, by their names. Raises OutputError where one
    cannot be read."""
    path = site_path.absolute()
    found: Contents = {path.name: _bytes_of(path)}
    for name in tables_named(found[path.name] or b"").values():
        found[name] = _bytes_of(path.parent / name)
    return found


def tables_named(site_file: bytes) -> dict[str, str]:
    """Table of the site file → file beside it; none where the site file cannot be read."""
    try:
        values = tomllib.loads(site_file.decode("utf-8-sig"))
    except (ValueError, RecursionError):
        return {}
    named = {}
    for key, part in _NAMING.items():
        said = values.get(key)
        default = next(one.default for one in structs.fields(part) if one.name == "file")
        name = said.get("file", default) if isinstance(said, dict) else default
        if isinstance(name, str) and name:
            named[key] = name
    return named


def _bytes_of(path: Path) -> bytes | None:
    try:
        with writing(path):
            return path.read_bytes() if path.is_file() else None
    except ValueError:
        return None


@dataclass(frozen=True, slots=True)
class Deed:
    """What a command is: who gives it, as it was typed, why it says it is done, how many pages it
    turned (None where nobody counted), and the change that it takes back, if any."""

    who: str
    command: str
    why: str = ""
    turned: int | None = None
    takes_back: int = 0


class Watch:
    """Settings as they are when a command begins. What was changed by hand since the last command
    is kept as a change of its own. Raises OutputError."""

    def __init__(self, site_path: Path, now: datetime) -> None:
        self._path = site_path.absolute()
        self._now = now
        self._before = contents_of(self._path)
        history_of(self._path).tidy()
        self._keep_by_hand()

    def keep(self, deed: Deed) -> KeptChange | None:
        """Keep what the command changed; gives the change, None where there is none. Raises
        OutputError."""
        after = contents_of(self._path)
        after |= {name: _bytes_of(self._path.parent / name) for name in self._before.keys() - after}
        before = self._before | {n: self._before.get(n) for n in after}
        changed = [name for name in after if after[name] != before[name]]
        if not changed:
            return None
        history = history_of(self._path)
        entry = KeptChange(
            number=_next(history),
            at=dates.write(self._now),
            who=deed.who,
            command=deed.command,
            why=deed.why,
            turned=self._turned(before, after) if deed.turned is None else deed.turned,
            files=tuple(FileTexts(n, _name(before[n]), _name(after[n])) for n in changed),
            takes_back=deed.takes_back,
        )
        texts = [data for name in changed for data in (before[name], after[name])]
        history.add(entry, [data for data in texts if data is not None])
        return entry

    def _turned(self, before: Contents, after: Contents) -> int | None:
        """How many pages the change turns; None where that cannot be told, or only slowly."""
        try:
            was, becomes = settled(self._path, before), settled(self._path, after)
            if was is None or becomes is None or not last_survey(was, self._now).is_held:
                return None
            return turns_between(was, becomes, self._now).turned
        except AtlasError:
            return None

    def _keep_by_hand(self) -> None:
        """Keep what is not as the last change that is known left it."""
        history = history_of(self._path)
        known = {one.name: one.after for entry in history.entries() for one in entry.files}
        files = [
            FileTexts(name, known[name], _name(data))
            for name, data in self._before.items()
            if name in known and known[name] != _name(data)
        ]
        if files:
            texts = [data for one in files if (data := self._before[one.name]) is not None]
            at = self._last_write(files)
            found = KeptChange(number=_next(history), at=at, who="", command="", files=tuple(files))
            history.add(found, texts)

    def _last_write(self, files: Iterable[FileTexts]) -> str:
        places = [self._path.parent / one.name for one in files]
        times = [place.stat().st_mtime for place in places if place.exists()]
        when = datetime.fromtimestamp(max(times), UTC) if times else self._now
        return dates.write(min(when.replace(microsecond=0), self._now))


def _next(history: History) -> int:
    entries = history.entries()
    return entries[-1].number + 1 if entries else 1


def _name(data: bytes | None) -> str:
    return "" if data is None else digest(data)


@dataclass(frozen=True, slots=True)
class Undoing:
    """A change taken back, before it is saved: the change, what files would hold, how verdicts
    turn (None where there is no survey), and the differences as lines."""

    entry: KeptChange
    before: Contents
    after: Contents
    turns: Turns | None
    differences: str


def entry_numbered(history: History, number: int | None) -> KeptChange:
    """A change by its number; without one the last that is not taken back and takes back none.
    Raises AtlasError."""
    entries = history.entries()
    if not entries:
        raise AtlasError("No command has changed the settings of this site yet.")
    gone = {one.takes_back for one in entries}
    if number is None:
        free = [one for one in entries if one.number not in gone and not one.takes_back]
        if not free:
            raise AtlasError("Every change is taken back. `undo N` takes back a single one.")
        return free[-1]
    found = next((one for one in entries if one.number == number), None)
    if found is None:
        raise AtlasError(f"There is no change {number}; they go from {entries[0].number} to "
                         f"{entries[-1].number}.")  # fmt: skip
    if number in gone:
        by = next(one.number for one in entries if one.takes_back == number)
        raise AtlasError(f"Change {number} is taken back already, by change {by}: `undo {by}` "
                         "makes it again.")  # fmt: skip
    return found


def taking_back(site_path: Path, entry: KeptChange, now: datetime) -> Undoing:
    """What taking a change back comes to. Nothing is saved. Raises AtlasError where a later change
    touches the same lines, SiteFileError where the settings would be wrong without it."""
    path = site_path.absolute()
    history = history_of(path)
    before, after = {}, {}
    for file in entry.files:
        current = _bytes_of(path.parent / file.name)
        was, became = history.text(file.before), history.text(file.after)
        table = file.name != path.name
        undone = taken_out(was, became, current, _parted, table=table)
        if isinstance(undone, Clash):
            raise AtlasError(_clashes(history, entry, file.name, undone))
        before[file.name], after[file.name] = current, undone
    changes = any(before[name] != after[name] for name in before)
    if not changes:
        raise AtlasError(f"Nothing is left of change {entry.number}: the settings stand as before "
                         "it.")  # fmt: skip
    return Undoing(entry, before, after, turns_with(path, after, now), differences(before, after))


def _parted(data: bytes) -> list[bytes]:
    """A site file in its tables and the empty lines between them."""
    pieces = []
    for block in blocks_of(data.decode("utf-8", "replace")):
        text = block.text.rstrip()
        pieces += [text.encode(), block.text[len(text) :].encode()]
    return pieces


def _clashes(history: History, entry: KeptChange, name: str, clash: Clash) -> str:
    later = [
        str(one.number)
        for one in history.entries()
        if one.number > entry.number and any(file.name == name for file in one.files)
    ]
    first = f"change {later[0]}" if later else "a change by hand"
    near = f", near line {clash.line}" if clash.line else ""
    there = f" ({clash.text[:60]!r} stands there now)" if clash.text else ""
    remedy = f"Take back {' or '.join(later[::-1][:3])} first" if later else "Correct it by hand"
    return (
        f"Change {entry.number} cannot be taken back alone: since {first}, {name} has other text "
        f"where it was made{near}{there}. {remedy}; `history {entry.number}` shows what it changed."
    )


def turns_with(path: Path, after: Contents, now: datetime) -> Turns | None:
    """How verdicts turn with other contents of files; None where there is no survey yet, or where
    the settings are wrong as they are. Raises SiteFileError where they would be."""
    try:
        site = settled(path, {})
    except AtlasError:
        site = None  # it is wrong as it is; without the change it may be right again
    changed = settled(path, after)
    if site is None or changed is None:
        return None
    try:
        return turns_between(site, changed, now)
    except AtlasError:
        return None  # no survey yet


def settled(path: Path, after: Mapping[str, bytes | None]) -> SiteFile | None:
    """The site file with other contents of some files; None where there would be none. Raises
    SiteFileError where it would be wrong."""
    data = after[path.name] if path.name in after else _bytes_of(path)
    if data is None:
        return None
    return parse_site_file(data.decode("utf-8-sig"), path, _tables(path.parent, after))


def _tables(folder: Path, after: Mapping[str, bytes | None]) -> Callable[[Path], str]:
    def read(path: Path) -> str:
        for name, data in after.items():
            if folder / name == path:
                return text_of(data or b"")
        return table_text(path)

    return read


def write_contents(site_path: Path, before: Contents, after: Contents) -> None:
    """Put files in place. Raises OutputError, also where somebody changed one since."""
    folder = site_path.absolute().parent
    for name, data in after.items():
        place, was = folder / name, before[name]
        if data == was:
            continue
        if data is None:
            remove(place)
        else:
            write_over(place, was, data)


def differences(before: Mapping[str, bytes | None], after: Mapping[str, bytes | None]) -> str:
    """What changes in files, as lines with signs in front (unified format)."""
    pieces: list[str] = []
    for name in before:
        was, becomes = (text_of(one or b"").splitlines() for one in (before[name], after[name]))
        pieces += difflib.unified_diff(was, becomes, name, name, n=1, lineterm="")
    return "\n".join(pieces)


def differences_of(history: History, entry: KeptChange) -> str:
    """What a change changed, as lines. Raises AtlasError where it is not kept any more."""
    before = {one.name: history.text(one.before) for one in entry.files}
    after = {one.name: history.text(one.after) for one in entry.files}
    return differences(before, after)
