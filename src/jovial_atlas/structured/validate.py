"""Structured data against the vocabulary, the table of features, and itself.

A node is a dictionary as JSON-LD has it, its terms bare (`Event`, `startDate`). Nothing is fetched.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import msgspec

from jovial_atlas.structured import values
from jovial_atlas.structured.features import Feature, Features, Wanted, own_table
from jovial_atlas.structured.forms import CODES, FORMS
from jovial_atlas.structured.nodes import NodeView
from jovial_atlas.structured.rules import RULES
from jovial_atlas.structured.vocabulary import ROLES, VALUES, Vocabulary, vocabulary

#: Codes of what makes a node invalid, so that it is not published.
INVALID = frozenset({"data-type", "data-value", "data-required", "data-rule"})
_ADDRESSES = ("https://schema.org/", "http://schema.org/")


class Issue(msgspec.Struct, frozen=True):
    """One thing that is wrong, or could be better: in which of the nodes (by number), at which
    path inside it. `lacking` is the property, or the properties of which one is enough, that is
    not there."""

    code: str
    node: int
    path: str
    message: str
    lacking: str = ""


@dataclass(slots=True)
class _Slot:
    """What a property of a type takes. Where any text will do, `plain` says so."""

    text: bool
    formats: tuple[str, ...]
    classes: tuple[str, ...]
    members: frozenset[str]
    form: Callable[[Any], str] | None
    superseded: str
    plain: bool


@dataclass(slots=True)
class _Plan:
    """What is known of the nodes of a type, or of several together."""

    kinds: tuple[str, ...]
    #: What is wrong with the type itself, and what it is superseded by.
    wrong: str
    superseded: str
    feature: Feature | None
    rules: list[Callable[[NodeView], str]]
    slots: dict[str, _Slot | None]


class Validator:
    """Validates the nodes of one page at a time. `features` puts rows in place of the tool's."""

    def __init__(
        self, features: Mapping[str, Any] | None = None, words: Vocabulary | None = None
    ) -> None:
        self.words = words or vocabulary()
        self.features = Features({**own_table(), **(features or {})}, self.words)
        self._slots: dict[tuple[str, str], _Slot | None] = {}
        self._plans: dict[Any, _Plan] = {}

    def validate(
        self, nodes: Sequence[NodeView], *, advice: bool = True, known: Sequence[NodeView] = ()
    ) -> list[Issue]:
        """All issues of the nodes of a page, in their order; without `advice` those alone that
        say something is wrong. `known` are further nodes that these may refer to."""
        by_id = {node["@id"]: node for node in (*known, *nodes) if isinstance(node.get("@id"), str)}
        issues: list[Issue] = []
        for number, node in enumerate(nodes):
            plan = self._node(node, "", number, issues)
            if plan is not None and plan.feature is not None:
                self._feature(node, plan.feature, "", number, by_id, issues, advice)
        return issues

    def _plan(self, node: NodeView) -> _Plan | None:
        """What is known of a node's types; None where it says none."""
        given = node.get("@type")
        key: Any = given if type(given) is str else tuple(types_of(node))
        plan = self._plans.get(key)
        if plan is None and (kinds := types_of(node)):
            plan = self._plans[key] = self._planned(tuple(kinds))
        return plan

    def _planned(self, kinds: tuple[str, ...]) -> _Plan:
        wrong = ""
        for kind in kinds:
            if not self.words.is_type(kind):
                best = self.words.nearest_type(kind)
                meant = f" Did you mean {best}?" if best else ""
                wrong = f"{kind!r} is no type of the vocabulary.{meant}"
                break
        old = ", ".join(kind for kind in kinds if kind in self.words.superseded_types)
        row = next((one for kind in kinds if (one := self.features.of(kind))), None)
        above = self.words.above(kinds[0])
        rules = [rule for kind, rule in RULES if kind in above]
        return _Plan(kinds, wrong, old, row, rules, {})

    def _node(self, node: NodeView, path: str, number: int, issues: list[Issue]) -> _Plan | None:
        plan = self._plan(node)
        if plan is None or plan.wrong:
            message = plan.wrong if plan else "The node says no @type."
            issues.append(Issue("data-type", number, path, message))
            return None
        if plan.superseded:
            message = f"The type {plan.superseded} is superseded."
            issues.append(Issue("data-superseded", number, path, message))
        for key, value in node.items():
            if value is not None and key[:1] != "@":
                self._property(plan, key, value, f"{path}.{key}" if path else key, number, issues)
        for rule in plan.rules:
            if message := rule(node):
                issues.append(Issue("data-rule", number, path, message))  # noqa: PERF401
        return plan

    def _property(
        self, plan: _Plan, key: str, value: Any, at: str, number: int, issues: list[Issue]
    ) -> None:
        """A property of a node and its values, at its path."""
        try:
            slot = plan.slots[key]
        except KeyError:
            slot = plan.slots[key] = self._slot(plan.kinds, key)
        if slot is None:
            self._unknown(plan.kinds, key, at, number, issues)
            return
        kind = type(value)
        if slot.plain and kind is str and value and not value.isspace():
            return
        if slot.superseded:
            message = f"{key} is superseded by {slot.superseded}."
            issues.append(Issue("data-superseded", number, at, message))
        if kind is list:
            for path, one in enumerate(value):
                self._value(one, slot, f"{at}[{path}]", number, issues)
        else:
            self._value(value, slot, at, number, issues)

    def _slot(self, kinds: Sequence[str], key: str) -> _Slot | None:
        for kind in kinds:
            at = (kind, key)
            if at not in self._slots:
                self._slots[at] = self._made(kind, key)
            if (slot := self._slots[at]) is not None:
                return slot
        return None

    def _made(self, kind: str, key: str) -> _Slot | None:
        expected = self.words.properties(kind).get(key)
        if expected is None and kind in ROLES:
            expected = ("Text", "Thing")
        if expected is None and key.endswith(("-input", "-output")):
            expected = ("Text",)  # of actions (https://schema.org/docs/actions.html)
        if expected is None:
            return None
        plain = tuple(one for one in expected if one in VALUES)
        classes = tuple(one for one in expected if one not in VALUES)
        members = {m for one in classes for m in self.words.members(one) or ()}
        text = bool({"Text", "PronounceableText", "CssSelectorType", "XPathType"} & set(plain))
        formats = tuple(one for one in plain if one in values.VALUE_FORMATS)
        if "Duration" in classes:
            formats = (*formats, "Duration")
        form = FORMS.get(key)
        new = self.words.successor(key) or ""
        any_text = text and form is None and not new
        return _Slot(text, formats, classes, frozenset(members), form, new, any_text)

    def _unknown(
        self, kinds: Sequence[str], key: str, at: str, number: int, issues: list[Issue]
    ) -> None:
        best = self.words.nearest_property(key, kinds)
        meant = f" Did you mean {best}?" if best else ""
        known = " It belongs to other types." if key in self.words.all_properties else ""
        message = f"{' and '.join(kinds)} has no property {key!r}.{meant or known}"
        issues.append(Issue("data-property", number, at, message))

    def _value(self, value: Any, slot: _Slot, at: str, number: int, issues: list[Issue]) -> None:
        if isinstance(value, dict):
            if "@value" in value:
                self._value(value["@value"], slot, at, number, issues)
            elif "@type" in value or len(value) != ("@id" in value):
                self._inner(value, slot, at, number, issues)
            return
        if isinstance(value, str):
            message = self._text(value, slot)
        elif isinstance(value, bool):
            message = "" if slot.text or "Boolean" in slot.formats else "It is no yes or no."
        elif isinstance(value, (int, float)):
            message = _number(value, slot)
        elif isinstance(value, list):
            message = "A list stands inside a list."
        else:
            message = ""
        if message:
            issues.append(Issue("data-value", number, at, message))
        elif slot.form and (message := slot.form(value)):
            code = CODES.get(slot.form, "data-form")
            issues.append(Issue(code, number, at, message))

    def _inner(
        self, value: Mapping[str, Any], slot: _Slot, at: str, number: int, issues: list[Issue]
    ) -> None:
        kinds = types_of(value)
        fitting = any(
            kind in ROLES or self.words.is_a(kind, wanted)
            for kind in kinds
            for wanted in slot.classes
        )
        known = kinds and all(self.words.is_type(kind) for kind in kinds)
        if known and not fitting:
            wanted = " or ".join([*slot.classes, *(("Text",) if slot.text else slot.formats)])
            message = f"It is {' and '.join(kinds)}; {wanted} is expected."
            issues.append(Issue("data-expected", number, at, message))
        self._node(value, at, number, issues)

    @staticmethod
    def _text(text: str, slot: _Slot) -> str:
        """What is wrong with a text as the value of a property, "" for nothing."""
        if not text.strip():
            return "It is empty."
        if slot.text:
            return ""
        if slot.members:
            name = _bare(text)
            if name in slot.members or any(
                values.VALUE_FORMATS[one][0](text) for one in slot.formats
            ):
                return ""
            same = next((m for m in slot.members if m.casefold() == name.casefold()), None)
            some = ", ".join(sorted(slot.members)[:6])
            meant = f"Did you mean {same}?" if same else f"There are {some}."
            others = set(slot.classes) - {"Text"}
            return f"{text!r} is no {' or '.join(sorted(others))}. {meant}"
        if slot.formats and not any(values.VALUE_FORMATS[one][0](text) for one in slot.formats):
            # A text is tolerated where a node is expected, but not instead of an address of it.
            if slot.classes and slot.formats != ("URL",) and "Duration" not in slot.formats:
                return ""
            if slot.classes and slot.formats == ("URL",) and not _ADDRESSED & set(slot.classes):
                return ""
            form = slot.formats[0]
            return f"{text[:80]!r} is no {form}; it is written as {values.VALUE_FORMATS[form][1]}."
        return ""

    def _feature(
        self,
        node: NodeView,
        feature: Feature,
        path: str,
        number: int,
        known: Mapping[str, NodeView],
        issues: list[Issue],
        advice: bool,
    ) -> None:
        asked = [("data-required", feature.required)]
        if advice:
            asked.append(("data-recommended", feature.recommended))
        for code, wanted in asked:
            for wanted_property in wanted:
                for way in wanted_property:
                    if _has(node, way, known):
                        break
                else:
                    at = f"{path}." if path else ""
                    said = " or ".join(at + ".".join(way) for way in wanted_property)
                    kind = " and ".join(types_of(node))
                    issues.append(Issue(code, number, path, f"{kind} lacks {said}.", said))
        for name, inner in feature.inside.items():
            for value, file in _values(node, name):
                at = f"{path}.{name}{file}" if path else f"{name}{file}"
                if isinstance(value, dict):
                    whole = known.get(value["@id"], value) if _reference(value) else value
                    if not _reference(whole):
                        self._feature(whole, inner, at, number, known, issues, advice)
                elif _asked(feature.required, name) and inner.required:
                    lacking = " or ".join(".".join(way) for way in inner.required[0])
                    message = f"{at} is a text; a node with {lacking} is required."
                    issues.append(Issue("data-required", number, at, message))


#: Types whose plain value is the address of a thing, as of a picture.
_ADDRESSED = frozenset({"ImageObject", "MediaObject", "VideoObject", "AudioObject"})


def types_of(node: Mapping[str, Any]) -> list[str]:
    """The types of a node, bare; empty for none."""
    given = node.get("@type")
    names = [given] if isinstance(given, str) else given if isinstance(given, list) else []
    return [_bare(name) for name in names if isinstance(name, str)]


def _bare(name: str) -> str:
    for address in _ADDRESSES:
        if name.startswith(address):
            return name[len(address) :]
    return name


def _number(value: float, slot: _Slot) -> str:
    # A number is tolerated where a quantity is expected, as a text is.
    if slot.text or slot.classes or "Number" in slot.formats or "Float" in slot.formats:
        return ""
    if "Integer" in slot.formats:
        return "" if float(value).is_integer() else f"{value} is no whole number."
    return f"{value} is a number; {' or '.join((*slot.formats, *slot.classes))} is expected."


def _reference(node: Mapping[str, Any]) -> bool:
    return len(node) == 1 and isinstance(node.get("@id"), str)


def _values(node: NodeView, name: str) -> Iterator[tuple[Any, str]]:
    value = node.get(name)
    if isinstance(value, list):
        yield from ((one, f"[{number}]") for number, one in enumerate(value))
    elif value is not None:
        yield value, ""


def _has(node: Any, way: Sequence[str], known: Mapping[str, NodeView]) -> bool:
    """Whether a node has a value at the end of a path; a reference to a node elsewhere has all."""
    if not isinstance(node, dict):
        return False
    value = node.get(way[0])
    if value in (None, "", []):
        return False
    if len(way) == 1:
        return True
    for one in value if isinstance(value, list) else [value]:
        inner = one
        if isinstance(one, Mapping) and _reference(one):
            inner = known.get(one["@id"])
            if inner is None:
                return True
        if _has(inner, way[1:], known):
            return True
    return False


def _asked(wanted: Sequence[Wanted], name: str) -> bool:
    return any(way[0] == name for one in wanted for way in one)


@lru_cache(maxsize=1)
def plain_validator() -> Validator:
    """A validator with the tool's own table of features."""
    return Validator()
