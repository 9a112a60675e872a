"""The schema.org vocabulary: types with their parents and properties, enumerations, superseded
terms.

The table `vocabulary.json` is made from the vocabulary's public release (licensed CC BY-SA 3.0,
as the table itself says). A property belongs to a type and to all types below it.
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from functools import cached_property, lru_cache
from importlib.resources import files
from typing import Any

#: Types of plain values. `Text` takes the narrower ones in.
VALUES = frozenset(
    ["Text", "URL", "Date", "DateTime", "Time", "Number", "Integer", "Boolean", "CssSelectorType",
     "XPathType", "Float", "PronounceableText"]
)  # fmt: skip
#: May stand between a property and what it leads to (https://schema.org/Role).
ROLES = frozenset({"Role", "OrganizationRole", "PerformanceRole", "EmployeeRole", "LinkRole"})


class Vocabulary:
    """The vocabulary as one table; answers are worked out when they are first asked for."""

    def __init__(self, table: dict[str, Any]) -> None:
        self._types: dict[str, list[Any]] = table["types"]
        self._members: dict[str, list[str]] = table["enumerations"]
        self._successors: dict[str, str] = table["superseded_properties"]
        self.superseded_types = frozenset(table["superseded_types"])
        self._above: dict[str, tuple[str, ...]] = {}
        self._properties: dict[str, dict[str, tuple[str, ...]]] = {}

    def is_type(self, name: str) -> bool:
        """Whether a type, or an enumeration's member, has this name."""
        return name in self._types or name in ROLES

    def above(self, name: str) -> tuple[str, ...]:
        """A type and all above it, nearest first."""
        types = self._above.get(name)
        if types is None:
            order = dict.fromkeys([name])
            row = [name]
            while row:
                row = [up for one in row for up in self._types.get(one, ((), ()))[0]]
                order.update(dict.fromkeys(row))
            types = self._above[name] = tuple(order)
        return types

    def is_a(self, name: str, wanted: str) -> bool:
        """Whether a type is another one, or below it."""
        return wanted in self.above(name)

    def properties(self, name: str) -> dict[str, tuple[str, ...]]:
        """Property → expected types, of a type and all above it."""
        own = self._properties.get(name)
        if own is None:
            own = {}
            for one in reversed(self.above(name)):
                for key, expected in self._types.get(one, ((), {}))[1].items():
                    own[key] = tuple(dict.fromkeys((*own.get(key, ()), *expected)))
            self._properties[name] = own
        return own

    def successor(self, name: str) -> str | None:
        """The property that took the place of another; None where that is still in use."""
        return self._successors.get(name)

    def members(self, name: str) -> tuple[str, ...] | None:
        """The members of an enumeration and of those below it; None where it is none."""
        if "Enumeration" not in self.above(name):
            return None
        below = [one for one in self._members if self.is_a(one, name)]
        return tuple(member for one in below for member in self._members[one])

    @cached_property
    def all_properties(self) -> frozenset[str]:
        """Names of all properties there are."""
        return frozenset(key for _, own in self._types.values() for key in own)

    def nearest_type(self, name: str) -> str | None:
        """The type that a wrong name most likely means."""
        return _nearest(name, list(self._types))

    def nearest_property(self, name: str, types: Sequence[str]) -> str | None:
        """The property of some types that a wrong name most likely means."""
        return _nearest(name, [key for one in types for key in self.properties(one)])


def _nearest(name: str, known: Sequence[str]) -> str | None:
    from rapidfuzz import process

    same = next((one for one in known if one.casefold() == name.casefold()), None)
    if same:
        return same
    best = process.extractOne(name, known, score_cutoff=75)
    return best[0] if best else None


@lru_cache(maxsize=1)
def vocabulary() -> Vocabulary:
    """The table that ships with the tool."""
    text = files("jovial_atlas.structured").joinpath("vocabulary.json").read_bytes()
    return Vocabulary(json.loads(text))
