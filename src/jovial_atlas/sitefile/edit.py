"""Changing the text of a site file: comments, order and spelling of all else stay."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import tomlkit
from tomlkit.items import AoT, Table

from jovial_atlas.errors import AtlasError
from jovial_atlas.sitefile.deciding import SELECTORS

#: Keys of a rule in the order in which they are written.
KEYS = (*SELECTORS, "crawlers", "set", "reason")


def _rules(document: tomlkit.TOMLDocument) -> AoT:
    rules = document.get("rule")
    if rules is None:
        rules = tomlkit.aot()
        document["rule"] = rules
    if not isinstance(rules, AoT):
        raise AtlasError("The rules of this file are one inline list; write them as [[rule]].")
    return rules


def _place(rules: AoT, number: int) -> int:
    if not 1 <= number <= len(rules):
        there = f"there are {len(rules)}" if len(rules) else "there is none"
        raise AtlasError(f"There is no rule {number}; {there}.")
    return number - 1


def _table(values: Mapping[str, Any]) -> Table:
    table = tomlkit.table()
    for key in KEYS:
        if key in values:
            table.add(key, _value(key, values[key]))
    return table


def _value(key: str, value: Any) -> Any:
    if key != "set":
        return value
    inline = tomlkit.inline_table()
    inline.update(value)
    return inline


def add_rule(text: str, values: Mapping[str, Any], at: int | None = None) -> str:
    """The text with one more rule, last or as number `at`. Raises AtlasError."""
    document = tomlkit.parse(text)
    rules = _rules(document)
    if at is None or at == len(rules) + 1:
        rules.append(_table(values))
    else:
        rules.insert(_place(rules, at), _table(values))
    return tomlkit.dumps(document)


def change_rule(text: str, number: int, values: Mapping[str, Any]) -> str:
    """The text with some keys of a rule set anew; None takes a key out. Raises AtlasError."""
    document = tomlkit.parse(text)
    rules = _rules(document)
    rule = rules[_place(rules, number)]
    for key, value in values.items():
        if value is None:
            rule.pop(key, None)
        else:
            rule[key] = _value(key, value)
    return tomlkit.dumps(document)


def remove_rule(text: str, number: int) -> str:
    """The text without a rule. Raises AtlasError."""
    document = tomlkit.parse(text)
    rules = _rules(document)
    del rules[_place(rules, number)]
    if not len(rules):
        del document["rule"]
    return tomlkit.dumps(document)


def set_policy(text: str, name: str, choice: str) -> str:
    """The text with another choice for a policy."""
    document = tomlkit.parse(text)
    if "policies" not in document:
        # Before the first list of tables, or it would seem to belong to the last of them.
        document["policies"] = tomlkit.table()
    document["policies"][name] = choice
    return tomlkit.dumps(document)


def move_rule(text: str, number: int, to: int) -> str:
    """The text with a rule at another place in the order. Raises AtlasError."""
    document = tomlkit.parse(text)
    rules = _rules(document)
    start, end = _place(rules, number), _place(rules, to)
    rule = rules[start]
    del rules[start]
    rules.insert(end, rule)
    return tomlkit.dumps(document)


def set_export(text: str, engine: str, kind: str, columns: Mapping[str, str]) -> str:
    """The text with the columns of a table that an engine exports. Raises AtlasError."""
    document = tomlkit.parse(text)
    found = document.get("engine")
    engines = found if isinstance(found, AoT) else []
    table = next((one for one in engines if str(one.get("name")) == engine), None)
    if table is None:
        raise AtlasError(f"There is no [[engine]] named {engine}; it is one inline list perhaps.")
    entry = tomlkit.inline_table()
    named = tomlkit.inline_table()
    named.update(columns)
    entry.update({"kind": kind, "columns": named})
    kept = [one for one in table.get("exports", []) if dict(one.get("columns", {})) != columns]
    exports = tomlkit.array()
    for one in [*kept, entry]:
        exports.append(one)
    table["exports"] = exports
    return tomlkit.dumps(document)


def set_key(text: str, table: str, key: str, value: Any) -> str:
    """The text with a key of a table set; the table is added at the end where there is none."""
    document = tomlkit.parse(text)
    if table not in document:
        document.add(tomlkit.nl())
        document[table] = tomlkit.table()
    found = document[table]
    assert isinstance(found, Table)  # the file was read as a site file
    found[key] = value
    return tomlkit.dumps(document)
