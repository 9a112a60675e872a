"""Values of this package that are made of fields: dataclasses, and records that are defined several
times as fast (`msgspec.Struct`), which is what a command waits for as it starts."""

from __future__ import annotations

import dataclasses
from typing import Any, TypeVar

import msgspec

ValueT = TypeVar("ValueT")


def replace(value: ValueT, **changes: Any) -> ValueT:
    """A value with other fields."""
    if isinstance(value, msgspec.Struct):
        return msgspec.structs.replace(value, **changes)
    return dataclasses.replace(value, **changes)  # type: ignore[type-var]


def asdict(value: Any) -> dict[str, Any]:
    """The fields of a value by name, with those of all values within."""
    return {name: _plain(getattr(value, name)) for name in _names(value)}


def astuple(value: Any) -> tuple[Any, ...]:
    """The fields of a value in their order, with those of all values within."""
    return tuple(_plain(getattr(value, name)) for name in _names(value))


def _names(value: Any) -> tuple[str, ...]:
    if isinstance(value, msgspec.Struct):
        return value.__struct_fields__
    return tuple(one.name for one in dataclasses.fields(value))


def _plain(value: Any) -> Any:
    if isinstance(value, msgspec.Struct) or dataclasses.is_dataclass(value):
        return asdict(value)
    if isinstance(value, dict):
        return {_plain(key): _plain(inner) for key, inner in value.items()}
    if isinstance(value, list | tuple):
        made = [_plain(inner) for inner in value]
        if isinstance(value, list):
            return made
        return type(value)(*made) if hasattr(value, "_fields") else tuple(made)
    return value
