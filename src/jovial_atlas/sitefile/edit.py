"""Changing the text of a site file: comments, order and spelling of all else stay."""

from __future__ import annotations

import copy
import tomllib
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from typing import Any

import tomlkit
from tomlkit.exceptions import TOMLKitError
from tomlkit.items import AoT, Table

from jovial_atlas.errors import AtlasError
from jovial_atlas.sitefile.blocks import TableBlock, blocks_of, says, text_of_blocks
from jovial_atlas.sitefile.deciding import SELECTORS

#: Keys of a rule in the order in which they are written.
KEYS = (*SELECTORS, "crawlers", "set", "reason")
_RULE = "rule"


def add_rule(text: str, values: Mapping[str, Any], at: int | None = None) -> str:
    """The text with one more rule, last or as number `at`. Raises AtlasError."""
    rules = _rules(text)
    place = len(rules) if at is None or at == len(rules) + 1 else _place(rules, at)
    new = TableBlock(_RULE, _rule_text(values))

    def insert(blocks: list[TableBlock]) -> None:
        where = _rule_blocks(blocks)
        if place < len(where):
            blocks.insert(where[place], new)
        else:
            blocks.insert(where[-1] + 1 if where else len(blocks), new)

    return _with_rules(text, insert, [*rules[:place], _plain(values), *rules[place:]])


def change_rule(text: str, number: int, values: Mapping[str, Any]) -> str:
    """The text with some keys of a rule set anew; None takes a key out. Raises AtlasError."""
    rules = _rules(text)
    place = _place(rules, number)
    wanted = copy.deepcopy(rules)
    for key, value in values.items():
        if value is None:
            wanted[place].pop(key, None)
        else:
            wanted[place][key] = _plain({key: value})[key]

    def change(blocks: list[TableBlock]) -> None:
        where = _rule_blocks(blocks)[place]
        document = tomlkit.parse(blocks[where].text)
        rule = document[_RULE][0]
        for key, value in values.items():
            if value is None:
                rule.pop(key, None)
            else:
                rule[key] = _value(key, value)
        blocks[where] = TableBlock(_RULE, tomlkit.dumps(document))

    return _with_rules(text, change, wanted)


def remove_rule(text: str, number: int) -> str:
    """The text without a rule. Raises AtlasError."""
    rules = _rules(text)
    place = _place(rules, number)

    def remove(blocks: list[TableBlock]) -> None:
        del blocks[_rule_blocks(blocks)[place]]

    return _with_rules(text, remove, [*rules[:place], *rules[place + 1 :]])


def move_rule(text: str, number: int, to: int) -> str:
    """The text with a rule at another place in the order. Raises AtlasError."""
    rules = _rules(text)
    start, end = _place(rules, number), _place(rules, to)
    wanted = [*rules[:start], *rules[start + 1 :]]
    wanted.insert(end, rules[start])

    def move(blocks: list[TableBlock]) -> None:
        where = _rule_blocks(blocks)
        rule = blocks[where[start]]
        # Texts change places; what stands between the rules stays there.
        order = [blocks[one] for one in where if blocks[one] is not rule]
        order.insert(end, rule)
        for one, block in zip(where, order, strict=True):
            blocks[one] = block

    return _with_rules(text, move, wanted)


def set_policy(text: str, name: str, choice: str) -> str:
    """The text with another choice for a policy."""
    return set_key(text, "policies", name, choice)


def set_key(text: str, table: str, key: str, value: Any) -> str:
    """The text with a key of a table set; the table is added at the end where there is none. None
    takes the key out."""
    values = tomllib.loads(text)
    if value is None and key not in values.get(table, {}):
        return text
    if table not in values:
        return _appended(text, tomlkit.dumps({table: {key: value}}))

    def change(document: tomlkit.TOMLDocument) -> None:
        found = document[table]
        assert isinstance(found, Table)  # the file was read as a site file
        if value is None:
            found.remove(key)
        else:
            found[key] = value

    if value is None:
        del values[table][key]
    else:
        values[table][key] = value
    return _with_table(text, table, change, values)


def set_in_list(text: str, name: str, number: int, key: str, value: Any) -> str:
    """The text with a key of a table of a list, [[name]], set; `number` counts from 0."""
    values = tomllib.loads(text)
    values[name][number][key] = value
    blocks = blocks_of(text)
    where = [at for at, block in enumerate(blocks) if block.name == name]
    if len(where) == len(values[name]):
        with suppress(TOMLKitError):  # as below
            blocks[where[number]] = TableBlock(name, _block_with(blocks[where[number]], key, value))
            if says(changed := text_of_blocks(blocks), values):
                return changed
    whole = tomlkit.parse(text)
    whole[name][number][key] = value
    return tomlkit.dumps(whole)


def _block_with(block: TableBlock, key: str, value: Any) -> str:
    """A block of a list with a key set: in its place, else on a line behind the last one."""
    document = tomlkit.parse(block.text)
    tables = document[block.name]
    assert isinstance(tables, AoT)
    if key in tables[0]:
        tables[0][key] = value
        return tomlkit.dumps(document)
    lines = block.text.splitlines(keepends=True)
    lines.insert(_end_of(lines), f"{key} = {tomlkit.item(value).as_string()}\n")
    return "".join(lines)


def _end_of(lines: Sequence[str]) -> int:
    """Where the lines of a block end that are neither empty nor comments."""
    said = [n for n, one in enumerate(lines) if one.strip() and not one.lstrip().startswith("#")]
    return said[-1] + 1 if said else len(lines)


def set_export(text: str, engine: str, kind: str, columns: Mapping[str, str]) -> str:
    """The text with the columns of a table that an engine exports. Raises AtlasError."""
    named = [str(one.get("name")) for one in tomllib.loads(text).get("engine", [])]
    if engine not in named:
        raise AtlasError(f"There is no [[engine]] named {engine}; it is one inline list perhaps.")
    values = tomllib.loads(text)
    given = values["engine"][named.index(engine)]
    entry = {"kind": kind, "columns": dict(columns)}
    kept = [one for one in given.get("exports", []) if one.get("columns", {}) != columns]
    given["exports"] = [*kept, entry]

    def change(document: tomlkit.TOMLDocument) -> None:
        found = document.get("engine")
        engines = found if isinstance(found, AoT) else []
        table = next(one for one in engines if str(one.get("name")) == engine)
        exports = tomlkit.array()
        for one in given["exports"]:
            exports.append(_inline(one))
        table["exports"] = exports

    return _with_table(text, "engine", change, values, lambda block: f'"{engine}"' in block.text)


def set_part(text: str, name: str, other: str) -> str:
    """The text with a table, or all tables of that name, as they stand in another text; without
    them where that has none."""
    values, theirs = tomllib.loads(text), tomllib.loads(other)
    blocks = blocks_of(text)
    where = [number for number, block in enumerate(blocks) if block.name == name]
    kept = [block for block in blocks if block.name != name]
    new = [block for block in blocks_of(other) if block.name == name]
    place = where[0] if where else len(kept)
    changed = text_of_blocks([*kept[:place], *new, *kept[place:]])
    values.pop(name, None)
    if name in theirs:
        values[name] = theirs[name]
    if says(changed, values):
        return changed
    document = tomlkit.parse(text)
    document.pop(name, None)
    if name in theirs:
        document[name] = tomlkit.parse(other)[name]
    return tomlkit.dumps(document)


def add_table(text: str, name: str, values: Mapping[str, Any]) -> str:
    """The text with one more table of a list, [[name]], after those that there are."""
    tables = tomlkit.aot()
    table = tomlkit.table()
    for key, value in values.items():
        table.add(key, value)
    tables.append(table)
    new = tomlkit.dumps({name: tables})
    wanted = tomllib.loads(text)
    wanted[name] = [*wanted.get(name, []), *tomllib.loads(new)[name]]
    blocks = blocks_of(text)
    if where := [number for number, block in enumerate(blocks) if block.name == name]:
        # Comments behind the last one are about what follows.
        lines = blocks[where[-1]].text.splitlines(keepends=True)
        end = _end_of(lines)
        last, rest = "".join(lines[:end]), "".join(lines[end:])
        gap = "" if rest[:1] in ("", "\n") else "\n"
        blocks[where[-1]] = TableBlock(name, last)
        blocks.insert(where[-1] + 1, TableBlock(name, f"\n{new}{gap}{rest}"))
        if says(changed := text_of_blocks(blocks), wanted):
            return changed
    return _appended(text, new)


def remove_table(text: str, name: str, number: int) -> str:
    """The text without a table of a list, [[name]]; `number` counts from 0."""
    wanted = tomllib.loads(text)
    del wanted[name][number]
    if not wanted[name]:
        del wanted[name]
    blocks = blocks_of(text)
    where = [at for at, block in enumerate(blocks) if block.name == name]
    if where and number < len(where):
        lines = blocks[where[number]].text.splitlines(keepends=True)
        blocks[where[number]] = TableBlock(name, "".join(lines[_end_of(lines) :]).lstrip("\n"))
        changed = text_of_blocks(blocks)
        # A table at the end leaves no empty line behind.
        changed = changed if text.endswith("\n\n") else f"{changed.rstrip()}\n"
        if says(changed, wanted):
            return changed
    whole = tomlkit.parse(text)
    del whole[name][number]
    if not whole[name]:
        del whole[name]
    return tomlkit.dumps(whole)


def _appended(text: str, block: str) -> str:
    """A text with a table at its end; nothing before it is touched."""
    return f"{text.rstrip()}\n\n{block}" if text.strip() else block


def _with_rules(
    text: str, change: Callable[[list[TableBlock]], None], wanted: list[dict[str, Any]]
) -> str:
    """The text with blocks changed so that its rules are those wanted. Where tables cannot be told
    by their lines, they are written anew."""
    values = tomllib.loads(text)
    values.pop(_RULE, None)
    values |= {_RULE: wanted} if wanted else {}
    blocks = blocks_of(text)
    if len(_rule_blocks(blocks)) == len(_rules(text)):
        with suppress(TOMLKitError):  # what looked like a table is the inside of a text
            change(blocks)
            if says(changed := text_of_blocks(blocks), values):
                return changed
    document = tomlkit.parse(text)
    rules = tomlkit.aot()
    for rule in wanted:
        rules.append(_table(rule))
    document.pop(_RULE, None)
    if wanted:
        document[_RULE] = rules
    return tomlkit.dumps(document)


def _with_table(
    text: str,
    name: str,
    change: Callable[[tomlkit.TOMLDocument], None],
    values: Mapping[str, Any],
    chosen: Callable[[TableBlock], bool] = lambda _block: True,
) -> str:
    """The text with a table changed so that it says the values; only its block is written."""
    blocks = blocks_of(text)
    where = [n for n, one in enumerate(blocks) if one.name == name and chosen(one)]
    if len(where) == 1:
        with suppress(TOMLKitError):  # as above
            document = tomlkit.parse(blocks[where[0]].text)
            change(document)
            blocks[where[0]] = TableBlock(name, tomlkit.dumps(document))
            if says(changed := text_of_blocks(blocks), values):
                return changed
    document = tomlkit.parse(text)
    change(document)
    return tomlkit.dumps(document)


def _rules(text: str) -> list[dict[str, Any]]:
    rules = tomllib.loads(text).get(_RULE, [])
    if rules and not isinstance(tomlkit.parse(text)[_RULE], AoT):
        raise AtlasError("The rules of this file are one inline list; write them as [[rule]].")
    return list(rules)


def _place(rules: list[dict[str, Any]], number: int) -> int:
    if not 1 <= number <= len(rules):
        there = f"there are {len(rules)}" if len(rules) else "there is none"
        raise AtlasError(f"There is no rule {number}; {there}.")
    return number - 1


def _rule_blocks(blocks: list[TableBlock]) -> list[int]:
    return [number for number, block in enumerate(blocks) if block.name == _RULE]


def _rule_text(values: Mapping[str, Any]) -> str:
    rules = tomlkit.aot()
    rules.append(_table(values))
    return tomlkit.dumps({_RULE: rules})


def _plain(values: Mapping[str, Any]) -> dict[str, Any]:
    """Values as a parser of TOML gives them."""
    return tomllib.loads(_rule_text(values))[_RULE][0] if values else {}


def _table(values: Mapping[str, Any]) -> Table:
    table = tomlkit.table()
    for key in KEYS:
        if key in values:
            table.add(key, _value(key, values[key]))
    return table


def _value(key: str, value: Any) -> Any:
    return _inline(value) if key == "set" else value


def _inline(values: Mapping[str, Any]) -> Any:
    table = tomlkit.inline_table()
    table.update(values)
    return table
