"""Tables of a file of settings as classes, and reading them with every mistake at once.

A table is a `Part`, a structure of msgspec, which reads it. What its keys mean stands with their
types, in `says`; what types cannot say is checked by methods marked `check` and `check_whole`.
Here is what msgspec does not do: telling all mistakes instead of the first, as sentences.

Modules with tables do not postpone their annotations (PEP 563): msgspec would compile each of them
again whenever a command starts, which takes longer than reading the file.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from datetime import date, time
from functools import cache
from types import NoneType, UnionType
from typing import Annotated, Any, Literal, TypeVar, Union, get_args, get_origin

import msgspec
from msgspec import Meta, structs

#: Types, and how people call their values.
_CALLED = {str: "text in quotes", bool: "true or false", int: "a whole number", float: "a number",
           tuple: "a list in [ ]", dict: "a table"}  # fmt: skip


def says(meaning: str, **limits: Any) -> Meta:
    """What a key means, and the limits of its values, as `msgspec.Meta` has them."""
    return Meta(description=meaning, **limits)


#: A method, or a class method.
Marked = TypeVar("Marked", bound=Any)


def check(*names: str) -> Callable[[Marked], Marked]:
    """Marks a class method that takes the value of these keys ("*" for all), and gives it back or
    raises ValueError with a sentence that has no full stop."""

    def mark(method: Marked) -> Marked:
        # What a class method is about is marked itself: that is what a class gives out.
        getattr(method, "__func__", method)._checks = names
        return method

    return mark


def check_whole(method: Marked) -> Marked:
    """Marks a method that looks at a table as a whole, and raises ValueError as `check`."""
    method._is_whole = True
    return method


class Part(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """A table. Unknown keys and loose types are mistakes; its values cannot be changed."""

    def __post_init__(self) -> None:
        checks = checks_of(type(self))
        for name, methods in checks.of_keys.items():
            value = getattr(self, name)
            for method in methods:
                value = method(value)
            structs.force_setattr(self, name, value)
        for method in checks.of_whole:
            method(self)


P = TypeVar("P", bound=Part)


class Checks(msgspec.Struct, frozen=True):
    """What types cannot say of a table: checks of keys, by field, and of the whole."""

    of_keys: dict[str, list[Callable[[Any], Any]]]
    of_whole: list[Callable[[Any], None]]


@cache
def checks_of(part: type[Part]) -> Checks:
    """The checks of a table."""
    checks = Checks({}, [])
    for name in dir(part):
        method: Any = getattr(part, name, None)
        for key in getattr(method, "_checks", ()):
            for one in names_of(part) if key == "*" else (key,):
                checks.of_keys.setdefault(one, []).append(method)
        if getattr(method, "_is_whole", False):
            checks.of_whole.append(method)
    return checks


class Key(msgspec.Struct, frozen=True):
    """A key of a table: the field's name, type and meaning; its default, if it has one."""

    name: str
    type: Any
    meaning: str
    required: bool
    default: Any


class Mistake(msgspec.Struct, frozen=True):
    """What is wrong with the value at `path`, as the end of a sentence. `known` are the keys of a
    table, where this one is none of them."""

    path: tuple[str | int, ...]
    message: str
    known: tuple[str, ...] = ()


@cache
def keys_of(part: type[Part]) -> dict[str, Key]:
    """The keys of a table, as they are written, its kind first."""
    told = part.__struct_config__
    keys = {}
    if told.tag_field:
        keys[told.tag_field] = Key(told.tag_field, Literal[told.tag], f'"{told.tag}"', True, None)
    for part_field in structs.fields(part):
        notes = get_args(part_field.type)[1:] if get_origin(part_field.type) is Annotated else ()
        meaning = "".join(note.description or "" for note in notes)
        default = None if part_field.default is msgspec.NODEFAULT else part_field.default
        keys[part_field.encode_name] = Key(
            part_field.name, part_field.type, meaning, part_field.required, default
        )
    return keys


def names_of(part: type[Part]) -> tuple[str, ...]:
    """The names of a table's fields."""
    return part.__struct_fields__


def changed(part: P, **values: Any) -> P:
    """The same table with other values."""
    return structs.replace(part, **values)


def options_of(part: type[Part], name: str) -> tuple[Any, ...]:
    """The words that a field may be, where it is one of a few."""
    (kind,) = (one.type for one in keys_of(part).values() if one.name == name)
    choices = [one for one, _ in _alternatives(kind) if get_origin(one) is Literal]
    return tuple(word for one in choices for word in get_args(one))


def given_in(part: Part) -> dict[str, Any]:
    """The fields of a table that say something, by name."""
    return {name: value for name, value in structs.asdict(part).items() if value is not None}


def parts_in(kind: Any) -> Iterator[type[Part]]:
    """The tables that a type holds."""
    if isinstance(kind, type) and issubclass(kind, Part):
        yield kind
    for inner in get_args(kind):
        yield from parts_in(inner)


def read_part(part: type[P], value: Any) -> tuple[P | None, list[Mistake]]:
    """A table from what a file says, or None and every mistake in it."""
    try:
        return msgspec.convert(value, part), []
    except msgspec.ValidationError as error:
        return None, _mistakes(part, value, ()) or [Mistake((), _ended(error))]


def _mistakes(kind: Any, value: Any, path: tuple[str | int, ...]) -> list[Mistake]:
    """What is wrong with a value: with what it holds, or with it as a whole."""
    fitting = [one for one, _ in _alternatives(kind) if _is_like(value, one)]
    tables = [one for one in fitting if isinstance(one, type)]
    if tables:
        return _of_table(tables, value, path)
    wrong: list[Mistake] = []
    for one in fitting:
        for place, inner, item in _items(one, value):
            if inner is None:
                wrong.append(Mistake((*path, place), "is no key.", get_args(get_args(one)[0])))
            else:
                wrong += _mistakes(inner, item, (*path, place))
    if wrong:
        return wrong
    try:
        msgspec.convert(value, kind)
    except msgspec.ValidationError:
        return [_mistake(kind, value, path)]
    return []


def _of_table(
    tables: list[type[Part]], said: Mapping[str, Any], path: tuple[str | int, ...]
) -> list[Mistake]:
    """What is wrong with a table of one of several types, told by its kind."""
    part, *others = tables
    if others:
        by_kind = {one.__struct_config__.tag: one for one in tables}
        if "kind" not in said:
            return [Mistake(path, "has no kind.")]
        if not isinstance(said["kind"], str) or said["kind"] not in by_kind:
            return [_mistake(Literal[tuple(by_kind)], said["kind"], (*path, "kind"))]
        part = by_kind[said["kind"]]
    keys, checks = keys_of(part), checks_of(part).of_keys
    known = tuple(sorted(keys))
    wrong = [Mistake((*path, one), "is no key.", known) for one in said if one not in keys]
    for shown, key in keys.items():
        here = (*path, shown)
        if shown not in said:
            wrong += [Mistake(here, "is missing.")] if key.required else []
            continue
        inner = _mistakes(key.type, said[shown], here)
        try:
            value = None if inner else msgspec.convert(said[shown], key.type)
            for method in () if inner else checks.get(key.name, ()):
                value = method(value)
        except ValueError as error:
            inner = [Mistake(here, _ended(error))]
        wrong += inner
    if wrong:
        return wrong
    try:
        msgspec.convert(said, part)
    except msgspec.ValidationError as error:
        return [Mistake(path, _ended(error.__cause__ or error))]
    return []


def _ended(error: BaseException) -> str:
    """What an error says, with an end to it."""
    said = str(error)
    return said if said.endswith(("?", ".")) else f"{said}."


def _alternatives(kind: Any, limits: Meta | None = None) -> Iterator[tuple[Any, Meta | None]]:
    """What a value of a type may be, beside nothing, with its limits."""
    if get_origin(kind) is Annotated:
        inner, note, *_ = get_args(kind)
        yield from _alternatives(inner, note)
    elif get_origin(kind) in (Union, UnionType):
        for one in get_args(kind):
            yield from _alternatives(one, limits)
    elif kind is not NoneType:
        yield kind, limits


def _is_like(value: Any, kind: Any) -> bool:
    """Whether a value is a list or a table, as a type has it."""
    if isinstance(value, Mapping):
        return get_origin(kind) is dict or (isinstance(kind, type) and issubclass(kind, Part))
    return isinstance(value, (list, tuple)) and get_origin(kind) is tuple


def _items(kind: Any, value: Any) -> Iterator[tuple[str | int, Any, Any]]:
    """What a list or a table of values holds: place, type (None where none may stand), value."""
    types = get_args(kind)
    if get_origin(kind) is dict:
        names = get_args(types[0])  # where only some may stand
        for name, item in value.items():
            yield name, None if names and name not in names else types[1], item
    elif types[-1] is ...:
        for number, item in enumerate(value):
            yield number, types[0], item


def _mistake(kind: Any, value: Any, path: tuple[str | int, ...]) -> Mistake:
    """A value has another type, or lies beyond the limits of its own."""
    wanted: list[str] = []
    for alternative, limits in _alternatives(kind):
        if get_origin(alternative) is Literal:
            wanted += [f'"{choice}"' for choice in get_args(alternative)]
            continue
        if limits and _fits(value, alternative):
            if limits.min_length is not None:
                few = "text that is not empty" if isinstance(value, str) else "at least one"
                return Mistake(path, f"it must be {few}.")
            told = {"at least": limits.ge, "more than": limits.gt, "at most": limits.le}
            words = " and ".join(f"{n} {limit}" for n, limit in told.items() if limit is not None)
            return Mistake(path, f"is {value!r}; it must be {words}.")
        # What is none of these is a table of its own.
        wanted.append(_CALLED.get(get_origin(alternative) or alternative, "a table"))
        items = get_args(alternative) if get_origin(alternative) is tuple else (...,)
        if items[-1] is not ...:
            wanted[-1] = f"a list of {len(items)}"
    *others, last = dict.fromkeys(wanted)
    words = f"{', '.join(others)} or {last}" if others else last
    return Mistake(path, f"is {_as_said(value)}; it must be {words}.")


def _as_said(value: Any) -> str:
    """A value as a file of TOML says it, whose dates have no quotes."""
    if isinstance(value, (date, time)):
        return value.isoformat()
    return repr(value).lower() if isinstance(value, bool) else repr(value)


def _fits(said: Any, kind: Any) -> bool:
    try:
        msgspec.convert(said, kind)
    except msgspec.ValidationError:
        return False
    return True
