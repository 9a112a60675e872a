"""What rich results ask for: required and recommended properties by type."""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from functools import lru_cache
from importlib.resources import files
from typing import Any

import msgspec

from jovial_atlas.structured.vocabulary import Vocabulary

#: One wanted property: paths of which one is enough; each path leads through nodes.
Wanted = tuple[tuple[str, ...], ...]


class Feature(msgspec.Struct, frozen=True):
    """What is asked of a type; `inside` has what is asked of the nodes that a property holds."""

    required: tuple[Wanted, ...] = ()
    recommended: tuple[Wanted, ...] = ()
    inside: Mapping[str, Feature] = msgspec.field(default_factory=dict)


class Features:
    """The table of features, with rows of a site in place of the tool's own."""

    def __init__(self, table: Mapping[str, Any], words: Vocabulary) -> None:
        self._rows = {k: _feature(v) for k, v in table.items() if isinstance(v, Mapping)}
        self._words = words
        self._found: dict[str, Feature | None] = {}

    def of(self, kind: str) -> Feature | None:
        """What is asked of a type: its own row, or that of the nearest type above it."""
        if kind not in self._found:
            above = self._words.above(kind)
            self._found[kind] = next((self._rows[k] for k in above if k in self._rows), None)
        return self._found[kind]


def _feature(row: Mapping[str, Any]) -> Feature:
    return Feature(
        tuple(_wanted(one) for one in row.get("required", ())),
        tuple(_wanted(one) for one in row.get("recommended", ())),
        {name: _feature(inner) for name, inner in row.get("inside", {}).items()},
    )


def _wanted(text: str) -> Wanted:
    return tuple(tuple(path.split(".")) for path in text.split("|"))


@lru_cache(maxsize=1)
def own_table() -> dict[str, Any]:
    """The table that ships with the tool."""
    text = files("jovial_atlas.structured").joinpath("features.toml").read_text("utf-8")
    return tomllib.loads(text)
