"""Base files: what the site files of several sites have in common. A site file names one with
`base`, relative to itself; a base may name another.

What a site file says wins, key by key. Of lists, rules of the base come first, so that the site's
own win; sections of the site come first, since a page is in the first that matches; what has a
name (sections, engines) replaces what has the same name in the base; all else is joined.
"""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from pathlib import Path
from typing import Any

import msgspec

from jovial_atlas.errors import Problem, SiteFileError
from jovial_atlas.sitefile.lines import line_map, line_of

BASE = "base"
#: Bases of bases.
_MOST_BASES = 5
#: Lists of which what the site file says comes first.
_OWN_FIRST = ("section",)
#: Lists whose tables are known by their names.
_NAMED = ("section", "engine")


class Joined(msgspec.Struct, frozen=True):
    """The values of a site file joined with those of its bases; the base files, the nearest first;
    and of each rule that comes from them, in their order: the file, and its number there."""

    values: dict[str, Any]
    bases: tuple[Path, ...] = ()
    rules: tuple[tuple[Path, int], ...] = ()
    #: Base file → its values, as it has them.
    of_base: Mapping[Path, Mapping[str, Any]] = msgspec.field(default_factory=dict)


def joined(values: dict[str, Any], path: Path) -> Joined:
    """A site file's values with those of its bases. Raises SiteFileError for a base that cannot be
    read, names itself, or says what only a site file may."""
    bases: list[Path] = []
    of_base: dict[Path, Mapping[str, Any]] = {}
    here, said = path, values
    while BASE in said:
        base = _base_of(said, here)
        if base in bases or base == path.absolute() or len(bases) == _MOST_BASES:
            raise _wrong(here, f"the base {said[BASE]!r} comes back to itself, or goes too deep.")
        bases.append(base)
        said = _read(base, here)
        of_base[base] = said
        here = base
    if not bases:
        return Joined(values)
    whole: dict[str, Any] = {}
    rules: list[tuple[Path, int]] = []
    for base in reversed(bases):
        whole = _over(whole, of_base[base])
        mine = of_base[base].get("rule", ())
        rules += [(base, number) for number in range(1, len(mine) + 1)] if _are_tables(mine) else []
    whole = _over(whole, values)
    whole.pop(BASE, None)
    return Joined(whole, tuple(bases), tuple(rules), of_base)


def _base_of(said: Mapping[str, Any], here: Path) -> Path:
    name = said[BASE]
    if not isinstance(name, str) or not name:
        raise _wrong(here, 'base must be text in quotes, as in base = "../agency.toml".')
    return (here.absolute().parent / name).resolve()


def _read(base: Path, here: Path) -> dict[str, Any]:
    try:
        said = tomllib.loads(base.read_bytes().decode("utf-8-sig"))
    except OSError as error:
        why = error.strerror or str(error)
        raise _wrong(here, f"the base file {base} cannot be read ({why}).") from None
    except (ValueError, RecursionError) as error:
        raise SiteFileError(str(base), [Problem(None, "", f"this is not TOML: {error}.")]) from None
    site = said.get("site", {})
    if isinstance(site, Mapping) and "url" in site:
        raise SiteFileError(str(base), [Problem(None, "site.url", "is said by each site file; a "
                            "base is for what several have in common.")])  # fmt: skip
    return said


def _wrong(here: Path, message: str) -> SiteFileError:
    lines = line_map(here.read_text("utf-8-sig"))
    return SiteFileError(str(here), [Problem(line_of(lines, (BASE,)), BASE, message)])


def _over(below: Mapping[str, Any], above: Mapping[str, Any]) -> dict[str, Any]:
    """Values with others over them: tables key by key, lists of tables as said above."""
    result = dict(below)
    for key, value in above.items():
        under = result.get(key)
        if isinstance(value, Mapping) and isinstance(under, Mapping):
            result[key] = _over(under, value)
        elif _are_tables(value) and _are_tables(under):
            assert isinstance(under, list)
            if key in _NAMED:
                names = {one.get("name") for one in value}
                under = [one for one in under if one.get("name") not in names]
            result[key] = [*value, *under] if key in _OWN_FIRST else [*under, *value]
        else:
            result[key] = value
    return result


def _are_tables(value: Any) -> bool:
    return isinstance(value, list) and bool(value) and all(isinstance(v, Mapping) for v in value)


def origin_of(own: Mapping[str, Any], found: Joined, table: str, key: str) -> Path | None:
    """The base file that says a key of a table; None where the site file says it, or nobody."""
    for said, place in ((own, None), *((found.of_base[base], base) for base in found.bases)):
        values = said.get(table)
        if isinstance(values, Mapping) and key in values:
            return place
    return None
