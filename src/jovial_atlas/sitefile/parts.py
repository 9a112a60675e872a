"""Tables of a file of settings as classes, and reading them with every mistake at once.

A table is a subclass of `Part`; its keys are fields made by `entry`, checked by functions marked
with `check` and `check_whole`. Unknown keys and loose types are mistakes.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from types import UnionType
from typing import (
    Annotated,
    Any,
    ClassVar,
    Literal,
    TypeVar,
    Union,
    get_args,
    get_origin,
    get_type_hints,
)

import msgspec

#: Names of limits, and how they are said of a value.
_LIMITS = {"ge": "at least {}", "gt": "more than {}", "le": "at most {}", "min_length": ""}
_PLAIN = {str: "text in quotes", bool: "true or false", int: "a whole number", float: "a number",
          tuple: "a list in [ ]", dict: "a table"}  # fmt: skip


_NOTHING: Any = object()


@dataclass(frozen=True, slots=True)
class Entry:
    """What `entry` says of a key."""

    default: Any = _NOTHING
    default_factory: Callable[[], Any] | None = None
    description: str = ""
    alias: str = ""
    limits: dict[str, Any] = field(default_factory=dict)

    @property
    def required(self) -> bool:
        """Whether the key must be given."""
        return self.default is _NOTHING and self.default_factory is None


def entry(
    default: Any = _NOTHING,
    *,
    description: str = "",
    default_factory: Callable[[], Any] | None = None,
    alias: str = "",
    **limits: Any,
) -> Any:
    """A key of a table: what it means, its `default` (without one it must be given), how it is
    written where that is no name of a field, and its limits: `ge`, `gt`, `le`, `min_length`."""
    return Entry(default, default_factory, description, alias, limits)


Marked = TypeVar("Marked")


def check(*names: str) -> Callable[[Marked], Marked]:
    """Marks a class method that takes the value of these keys ("*" for all), and gives it back or
    raises ValueError with a sentence that has no full stop."""

    def mark(method: Marked) -> Marked:
        method._checks = names  # type: ignore[attr-defined]
        return method

    return mark


def check_whole(method: Marked) -> Marked:
    """Marks a method that looks at a table as a whole, and raises ValueError as `check`."""
    method._is_whole = True  # type: ignore[attr-defined]
    return method


class Part:
    """A table; its values cannot be changed. Made directly, nothing is checked: `read_part` does
    that. (Classes that write their own methods as source, as those of the standard library do,
    take a hundred times as long to make, and every command makes all of these.)"""

    _entries: ClassVar[dict[str, Entry]] = {}

    def __init_subclass__(cls) -> None:
        super().__init_subclass__()
        found: dict[str, Entry] = {}
        for base in reversed(cls.__mro__[1:]):
            found |= vars(base).get("_entries", {})
        for name in vars(cls).get("__annotations__", {}):
            said = vars(cls).get(name, _NOTHING)
            found[name] = said if isinstance(said, Entry) else Entry(said)
        cls._entries = found

    def __init__(self, **values: Any) -> None:
        if odd := values.keys() - self._entries.keys():
            raise TypeError(f"{type(self).__name__} has no {sorted(odd)[0]}")
        for name, one in self._entries.items():
            if name in values:
                value = values[name]
            elif one.required:
                raise TypeError(f"{type(self).__name__} needs {name}")
            else:
                value = one.default_factory() if one.default_factory else one.default
            object.__setattr__(self, name, value)

    def __setattr__(self, name: str, value: Any) -> None:
        raise AttributeError(f"{type(self).__name__}.{name} cannot be changed")

    def __eq__(self, other: object) -> bool:
        return type(self) is type(other) and vars(self) == vars(other)

    def __hash__(self) -> int:
        return hash((type(self), *vars(self).values()))

    def __repr__(self) -> str:
        said = ", ".join(f"{name}={value!r}" for name, value in vars(self).items())
        return f"{type(self).__name__}({said})"


P = TypeVar("P", bound=Part)


@dataclass(frozen=True, slots=True)
class Key:
    """A key as it is written: the field's name, type and meaning; its default, if it has one."""

    name: str
    type: Any
    description: str
    required: bool
    default: Any
    limits: dict[str, Any]


#: Tables whose keys were asked for: their types take long to work out.
_KEYS: dict[type[Part], dict[str, Key]] = {}


@dataclass(frozen=True, slots=True)
class Mistake:
    """What is wrong with the value at `path`, as the end of a sentence. `known` are the keys of a
    table, where this one is none of them."""

    path: tuple[str | int, ...]
    message: str
    known: tuple[str, ...] = ()


def keys_of(part: type[Part]) -> dict[str, Key]:
    """The keys of a table, as they are written."""
    if part in _KEYS:
        return _KEYS[part]
    types = get_type_hints(part, include_extras=True)
    found = _KEYS[part] = {}
    for name, one in part._entries.items():
        default = None if one.default is _NOTHING else one.default
        found[one.alias or name] = Key(
            name, types[name], one.description, one.required, default, one.limits
        )
    return found


def names_of(part: type[Part]) -> tuple[str, ...]:
    """The names of a table's fields."""
    return tuple(part._entries)


def changed(part: P, **values: Any) -> P:
    """The same table with other values."""
    return type(part)(**{**vars(part), **values})


def options_of(part: type[Part], name: str) -> tuple[Any, ...]:
    """What the type of a field is made of: the values that it may have, or the types."""
    return get_args(next(one.type for one in keys_of(part).values() if one.name == name))


def given_in(part: Part) -> dict[str, Any]:
    """The fields of a table that say something, by name."""
    return {name: value for name, value in vars(part).items() if value is not None}


def parts_in(kind: Any) -> Iterator[type[Part]]:
    """The tables that a type holds."""
    if isinstance(kind, type) and issubclass(kind, Part):
        yield kind
    for inner in get_args(kind):
        yield from parts_in(inner)


def _checks_of(part: type[Part]) -> tuple[dict[str, list[str]], list[str]]:
    """The names of methods that check keys, by field, and of those that check the whole."""
    single: dict[str, list[str]] = {}
    whole = []
    for base in reversed(part.__mro__):
        for method, one in vars(base).items():
            for name in getattr(one, "_checks", ()):
                for one_of in names_of(part) if name == "*" else (name,):
                    single.setdefault(one_of, []).append(method)
            if getattr(one, "_is_whole", False):
                whole.append(method)
    return single, whole


def read_part(
    part: type[P], said: Any, path: tuple[str | int, ...] = ()
) -> tuple[P | None, list[Mistake]]:
    """A table from what a file says, or None and every mistake in it. `path` is where it stands."""
    if not isinstance(said, Mapping):
        return None, [_mistake(dict, said, path)]
    keys = keys_of(part)
    single, whole = _checks_of(part)
    known = tuple(sorted(keys))
    mistakes = [Mistake((*path, one), "is no key.", known) for one in said if one not in keys]
    values = {}
    for shown, one in keys.items():
        here = (*path, shown)
        if shown not in said:
            if one.required:
                mistakes.append(Mistake(here, "is missing."))
            continue
        value, wrong = _read(one.type, said[shown], here, one.limits)
        if not wrong:
            try:
                for method in single.get(one.name, ()):
                    value = getattr(part, method)(value)
            except ValueError as error:
                wrong = [Mistake(here, f"{error}.")]
        mistakes += wrong
        values[one.name] = value
    if mistakes:
        return None, mistakes
    made = part(**values)
    try:
        for method in whole:
            getattr(made, method)()
    except ValueError as error:
        return None, [Mistake(path, f"{error}.")]
    return made, []


def _read(
    kind: Any, said: Any, path: tuple[str | int, ...], limits: Mapping[str, Any]
) -> tuple[Any, list[Mistake]]:
    """A value of a type."""
    tables = list(parts_in(kind))
    if not tables:
        return _plain(kind, said, path, limits)
    if get_origin(kind) is tuple:
        if not isinstance(said, (list, tuple)):
            return None, [_mistake(tuple, said, path)]
        if len(said) < limits.get("min_length", 0):
            return None, [Mistake(path, "it must be at least one.")]
        read = [_read(get_args(kind)[0], one, (*path, n), {}) for n, one in enumerate(said)]
        return tuple(value for value, _ in read), [one for _, wrong in read for one in wrong]
    if len(tables) == 1:
        return read_part(tables[0], said, path)
    return _of_a_kind(tables, said, path)


def _of_a_kind(
    tables: list[type[Part]], said: Any, path: tuple[str | int, ...]
) -> tuple[Any, list[Mistake]]:
    """A table of one of several types, told by its key `kind`."""
    if not isinstance(said, Mapping):
        return None, [_mistake(dict, said, path)]
    by_kind = {options_of(one, "kind")[0]: one for one in tables}
    if "kind" not in said:
        return None, [Mistake(path, "has no kind.")]
    found = by_kind.get(said["kind"]) if isinstance(said["kind"], str) else None
    if found is None:
        return None, [_mistake(Literal[tuple(by_kind)], said["kind"], (*path, "kind"))]
    return read_part(found, said, path)


def _plain(
    kind: Any, said: Any, path: tuple[str | int, ...], limits: Mapping[str, Any]
) -> tuple[Any, list[Mistake]]:
    """A value of a type without tables in it."""
    try:
        value = msgspec.convert(said, kind)
    except msgspec.ValidationError:
        return None, _mistakes(kind, said, path)
    if value is None or not limits:
        return value, []
    try:
        # Only types that are no union have limits, but for None.
        return msgspec.convert(said, Annotated[_kinds(kind)[0], msgspec.Meta(**limits)]), []
    except msgspec.ValidationError:
        if "min_length" in limits:
            few = "text that is not empty" if isinstance(said, str) else "at least one"
            return None, [Mistake(path, f"it must be {few}.")]
        wanted = " and ".join(_LIMITS[name].format(limit) for name, limit in limits.items())
        return None, [Mistake(path, f"is {said!r}; it must be {wanted}.")]


def _mistakes(kind: Any, said: Any, path: tuple[str | int, ...]) -> list[Mistake]:
    """What is wrong with a value that has another type: with its items, or with it as a whole."""
    wrong: list[Mistake] = []
    for one in _kinds(kind):
        types, items = get_args(one), []
        if get_origin(one) is dict and isinstance(said, Mapping):
            known = get_args(types[0])  # where only some names may stand
            odd = [name for name in said if known and name not in known]
            wrong += [Mistake((*path, name), "is no key.", known) for name in odd]
            items = [(name, types[1], item) for name, item in said.items()]
        elif get_origin(one) is tuple and isinstance(said, (list, tuple)) and types[-1] is ...:
            items = [(number, types[0], item) for number, item in enumerate(said)]
        for name, of_item, item in items:
            wrong += _plain(of_item, item, (*path, name), {})[1]
    return wrong or [_mistake(kind, said, path)]


def _kinds(kind: Any) -> tuple[Any, ...]:
    """The types of a union, without None."""
    if get_origin(kind) in (Union, UnionType):
        return tuple(one for one in get_args(kind) if one is not type(None))
    return (kind,)


def _mistake(kind: Any, said: Any, path: tuple[str | int, ...]) -> Mistake:
    wanted: list[str] = []
    for one in _kinds(kind):
        if get_origin(one) is Literal:
            wanted += [f'"{choice}"' for choice in get_args(one)]
        else:
            wanted.append(_PLAIN.get(get_origin(one) or one, str(one)))
            items = get_args(one) if get_origin(one) is tuple else (...,)
            if items[-1] is not ...:
                wanted[-1] = f"a list of {len(items)}"
    told = " or ".join(filter(None, [", ".join(wanted[:-1]), wanted[-1]]))
    shown = list(said) if isinstance(said, tuple) else said
    return Mistake(path, f"is {shown!r}; it must be {told}.")
