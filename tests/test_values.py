"""Values of fields, of both kinds, within each other."""

from dataclasses import dataclass
from typing import NamedTuple

import msgspec
import pytest

from jovial_atlas.values import asdict, astuple, replace


class Quick(msgspec.Struct, frozen=True):
    name: str
    inner: object = None


@dataclass(frozen=True)
class Slow:
    name: str
    inner: object = None


class Pair(NamedTuple):
    one: object
    two: int


@pytest.mark.parametrize("outer", [Quick, Slow])
@pytest.mark.parametrize("inner", [Quick, Slow])
def test_fields_are_given_as_plain_values_whatever_kind_they_are_of(outer, inner):
    value = outer("a", [inner("b"), {"c": (inner("d"), Pair(inner("e"), 2))}])
    told = {"name": "e", "inner": None}
    within = [{"name": "b", "inner": None}, {"c": ({"name": "d", "inner": None}, Pair(told, 2))}]
    assert asdict(value) == {"name": "a", "inner": within}
    assert astuple(value) == ("a", within)
    changed = replace(value, name="z")
    assert (type(changed), changed.name, changed.inner) == (outer, "z", value.inner)
    with pytest.raises(AttributeError):
        value.name = "y"
