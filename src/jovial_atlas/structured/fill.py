"""Nodes filled from the fields of a page, by a mapping: property → what fills it.

A mapping's values: a text (with `{{ }}` a pattern), a number or truth, as it is; `{ field = "a"
}` or `{ field = ["a", "b"] }`, the first that holds anything; `{ type = "T", ... }`, a node; `{
each = "a", type = "T", ... }`, a node for each item of a list, in which `{ item = "key" }` is a
part of the item ("" the item itself); `{ hours = "a" }`, opening hours; `{ ref = "publisher" }`,
a node elsewhere; a list of any of these. "" leaves a property out. What a property takes decides
how a value is written: dates, durations, prices, addresses, members of enumerations, lists.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable, Mapping, Sequence
from functools import lru_cache
from importlib.resources import files
from typing import Any, Protocol
from urllib.parse import urljoin
from zoneinfo import ZoneInfo

import msgspec

from jovial_atlas import foreign
from jovial_atlas.structured.hours import parse_hours
from jovial_atlas.structured.nodes import Node
from jovial_atlas.structured.spellings import duration, moment, price
from jovial_atlas.structured.vocabulary import Vocabulary

_KEYS = frozenset({"field", "type", "each", "item", "ref", "hours"})
#: Properties of which each line, or part between semicolons, is a value.
_LISTED = frozenset({"recipeIngredient", "supply", "tool", "sameAs", "keywords", "image"})
_CAMEL = re.compile(r"(?<=[a-z])([A-Z])")


class Fields(Protocol):
    """The fields of one page, as `fill` asks for them."""

    base: str
    #: The zone of times that say none.
    zone: ZoneInfo | None

    def field(self, name: str) -> Any:
        """A field by name; None or an empty value where there is nothing."""

    def text(self, pattern: str) -> str:
        """A pattern filled in."""

    def ref(self, name: str) -> Node | None:
        """A reference to a node of the site; None where there is no such node."""

    def extras(self) -> Sequence[str]:
        """Names of the page's extra fields."""


@lru_cache(maxsize=1)
def _defaults() -> dict[str, dict[str, Any]]:
    text = files("jovial_atlas.structured").joinpath("defaults.toml").read_text("utf-8")
    return tomllib.loads(text)


@lru_cache(maxsize=256)
def _default_of(above: tuple[str, ...]) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for one in reversed(above):
        found.update(_defaults().get(one, {}))
    return {key: how for key, how in found.items() if how != ""}


def default_mapping(kind: str, words: Vocabulary) -> dict[str, Any]:
    """The tool's own mapping of a type: that of each type above it, nearer ones winning."""
    return _default_of(words.above(kind))


def fill(
    kind: str,
    mapping: Mapping[str, Any],
    fields: Fields,
    words: Vocabulary,
    origins: dict[str, str] | None = None,
) -> Node:
    """The node of a type, filled by a mapping over the tool's own. `origins` takes for each
    property where its value comes from."""
    whole = _whole(kind, mapping, words)
    node: Node = {"@type": kind}
    named: dict[str, str] = {}
    if extras := fields.extras():
        known = words.properties(kind)
        for name in extras:
            key = _property(name, known)
            if key and key not in mapping and not words.successor(key):
                named[key] = name
    for key, filler in whole.items():
        value = filler.value(fields, None)
        if value or value is False or value == 0:
            node[key] = value
            if origins is not None:
                filler.note(key, value, fields, origins)
    for key, name in named.items():
        if key in node:
            continue
        filler = _filler(key, {"field": f"extra.{name}"}, words.properties(kind)[key], words)
        value = filler.value(fields, None)
        if value not in (None, "", [], {}):
            node[key] = value
            if origins is not None:
                filler.note(key, value, fields, origins)
    return node


class _Filler(msgspec.Struct, frozen=True):
    """What fills one property: `value` of the fields of a page and an item of a list, `origin` in
    words."""

    value: Callable[[Fields, Any], Any]
    origin: Callable[[Fields], str]
    #: What fills the properties of the node that it makes, where it makes one.
    inner: tuple[tuple[str, _Filler], ...] = ()

    def note(self, path: str, value: Any, fields: Fields, origins: dict[str, str]) -> None:
        """Note where a value at a path comes from, and what stands inside it."""
        origins[path] = self.origin(fields)
        if isinstance(value, dict):
            for key, filler in self.inner:
                if key in value:
                    filler.note(f"{path}.{key}", value[key], fields, origins)


_WHOLE: dict[tuple[str, int], tuple[Mapping[str, Any], dict[str, _Filler]]] = {}


def _whole(kind: str, mapping: Mapping[str, Any], words: Vocabulary) -> dict[str, _Filler]:
    """A mapping over the tool's own, worked out once for as long as it is the same one."""
    had = _WHOLE.get((kind, id(mapping)))
    if had is None or had[0] is not mapping:
        if len(_WHOLE) > 256:
            _WHOLE.clear()
        both = {**default_mapping(kind, words), **mapping}
        known = words.properties(kind)
        made = {
            key: _filler(key, how, known.get(key, ()), words)
            for key, how in both.items()
            if how != ""
        }
        had = _WHOLE[kind, id(mapping)] = (mapping, made)
    return had[1]


def _property(name: str, known: Mapping[str, Any]) -> str:
    """The property that an extra field is called like, "" for none."""
    if name in known:
        return name
    parts = name.split("_")
    camel = parts[0] + "".join(part[:1].upper() + part[1:] for part in parts[1:])
    return camel if camel in known else ""


def _says(origin: str) -> Callable[[Fields], str]:
    return lambda _fields: origin


def _filler(key: str, how: Any, expected: tuple[str, ...], words: Vocabulary) -> _Filler:
    """What fills a property, by what its mapping says."""
    coerce = _coercer(key, expected, words)
    if isinstance(how, str):
        if "{{" in how or "{%" in how:
            return _Filler(lambda fields, _: coerce(fields.text(how), fields), _says("pattern"))
        return _Filler(lambda fields, _: coerce(how, fields), _says("constant"))
    if isinstance(how, Sequence):
        parts = [_filler(key, one, expected, words) for one in how]

        def several(fields: Fields, item: Any) -> Any:
            made = [one.value(fields, item) for one in parts]
            return [one for one in made if one not in (None, "", [], {})]

        return _Filler(several, parts[0].origin if parts else _says("constant"))
    if not isinstance(how, Mapping):
        return _Filler(lambda _fields, _: how, _says("constant"))
    if "item" in how:
        name = how["item"]
        return _Filler(lambda fields, item: coerce(_part(item, name), fields), _says("item"))
    if "ref" in how:
        ref = how["ref"]
        return _Filler(lambda fields, _: fields.ref(ref), _says(f"site file, {ref}"))
    for sort in ("hours", "each", "field"):
        if sort in how:
            return _of_field(sort, how, coerce, words)
    known = words.properties(how.get("type", "Thing"))
    return _Filler(_node_filler(how, words), _says(""), _inner(how, known, words))


def _of_field(sort: str, how: Mapping[str, Any], coerce: _Coerce, words: Vocabulary) -> _Filler:
    """What is filled by the first of some fields that holds anything."""
    names = [how[sort]] if isinstance(how[sort], str) else list(how[sort])

    def first(fields: Fields) -> Any:
        for name in names:
            value = fields.field(name)
            if value not in (None, "", [], {}):
                return value
        return None

    def origin(fields: Fields) -> str:
        return next((f"field {n}" for n in names if fields.field(n) not in (None, "", [], {})), "")

    if sort == "hours":
        return _Filler(lambda fields, _: _hours(first(fields)), origin)
    if sort == "field":
        return _Filler(lambda fields, _: coerce(first(fields), fields), origin)
    node = _node_filler({k: v for k, v in how.items() if k != "each"}, words)

    def each(fields: Fields, _item: Any) -> Any:
        made = [node(fields, one) for one in _items(first(fields))]
        return [one for one in made if one]

    return _Filler(each, origin)


def _inner(
    how: Mapping[str, Any], known: Mapping[str, tuple[str, ...]], words: Vocabulary
) -> tuple[tuple[str, _Filler], ...]:
    return tuple(
        (key, _filler(key, one, known.get(key, ()), words))
        for key, one in how.items()
        if key != "type"
    )


def _node_filler(how: Mapping[str, Any], words: Vocabulary) -> Callable[[Fields, Any], Any]:
    """A node inside another; None where none of its fields holds anything."""
    kind = how.get("type", "Thing")
    known = words.properties(kind)
    inner = _inner(how, known, words)
    constant = all(not isinstance(one, Mapping) for key, one in how.items() if key != "type")

    def value(fields: Fields, item: Any) -> Any:
        node: Node = {"@type": kind}
        substance = constant
        for key, filler in inner:
            given = filler.value(fields, item)
            if given not in (None, "", [], {}):
                node[key] = given
                # An address or a date that every page has says nothing by itself.
                substance = substance or key not in ("url", "validFrom", "priceCurrency")
        return node if substance and len(node) > 1 else None

    return value


def _part(item: Any, name: str) -> Any:
    if not name:
        return item
    if isinstance(item, Mapping):
        short = {"question": ("q", "name"), "answer": ("a", "text")}.get(name, ())
        return next((item[one] for one in (name, *short) if item.get(one)), None)
    if isinstance(item, (list, tuple)) and len(item) == 2:
        return item[0] if name in ("question", "name") else item[1]
    return None


def _items(value: Any) -> list[Any]:
    if isinstance(value, str):
        return [one.strip() for one in re.split(r"[;\n]", value) if one.strip()]
    return list(value) if isinstance(value, Sequence) else [] if value is None else [value]


def _hours(value: Any) -> Any:
    if value is None:
        return None
    try:
        return parse_hours(value)
    except ValueError:
        return None


_Coerce = Callable[[Any, Fields], Any]


def _coercer(key: str, expected: tuple[str, ...], words: Vocabulary) -> _Coerce:
    """How a value is written that a property takes; what cannot be told stays as it is."""
    text = _text_coercer(key, expected, words)

    def coerce(value: Any, fields: Fields) -> Any:
        if type(value) is str:
            if key in _LISTED and re.search(r"[;\n]", value):
                value = _items(value)
            else:
                return text(value.strip(), fields)
        if isinstance(value, (list, tuple)):
            made = [coerce(one, fields) for one in value]
            found = [one for one in made if one not in (None, "")]
            return found if key != "keywords" else ", ".join(map(str, found))
        if isinstance(value, Mapping):
            return value.get("loc") or dict(value)
        return value

    return coerce


def _text_coercer(
    key: str, expected: tuple[str, ...], words: Vocabulary
) -> Callable[[str, Fields], Any]:
    if key in ("price", "lowPrice", "highPrice"):
        return lambda text, _: price(text)
    if "Date" in expected or "DateTime" in expected:
        return lambda text, fields: moment(text, fields.zone)
    if "Duration" in expected:
        return lambda text, _: duration(text)
    if "Text" in expected or not expected:
        return lambda text, _: text
    if "URL" in expected:
        return lambda text, fields: (
            urljoin(fields.base, text) if text.startswith(("/", "./", "../")) else text
        )
    members = {m for one in expected for m in words.members(one) or ()}
    if members:
        return lambda text, _: _member(text, members)
    if "Boolean" in expected:
        truth = {"yes": True, "true": True, "no": False, "false": False}
        return lambda text, _: truth.get(text.lower(), text)
    if "Integer" in expected:
        return lambda text, _: int(text) if re.fullmatch(r"[0-9]{1,300}", text) else text
    return lambda text, _: text


def _member(text: str, members: set[str]) -> str:
    bare = re.sub(r"[^a-z]", "", text.removeprefix("https://schema.org/").lower())
    same = next((one for one in members if one.lower() == bare), None)
    return f"https://schema.org/{same}" if same else text


def wrong_mapping(kind: str, mapping: Mapping[str, Any], words: Vocabulary) -> list[str]:
    """What is wrong with a mapping for a type, as sentences."""
    problems: list[str] = []
    known = words.properties(kind)
    for key, how in mapping.items():
        if key in _KEYS:
            continue
        if key not in known:
            best = words.nearest_property(key, [kind])
            meant = f" Did you mean {best}?" if best else ""
            problems.append(f"{kind} has no property {key!r}.{meant}")
        for one in how if isinstance(how, (list, tuple)) else [how]:
            if isinstance(one, Mapping):
                problems += _wrong_entry(key, one, words)
    return problems


def _wrong_entry(key: str, how: Mapping[str, Any], words: Vocabulary) -> list[str]:
    if not _KEYS & how.keys():
        return [f"{key}: a table needs one of {', '.join(sorted(_KEYS))}."]
    kind = how.get("type")
    if kind is None:
        return []
    if not words.is_type(kind):
        best = words.nearest_type(kind)
        meant = f" Did you mean {best}?" if best else ""
        return [f"{key}: {kind!r} is no type of the vocabulary.{meant}"]
    return wrong_mapping(kind, how, words)


def parsed(value: Any) -> Any:
    """A field that holds JSON, as nested front matter comes, as its value."""
    if isinstance(value, str) and value[:1] in ("[", "{"):
        try:
            return foreign.read_json(value)
        except ValueError:
            return value
    return value
