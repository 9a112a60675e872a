"""The head of a file of texts: YAML, TOML or JSON between fences, a JSON object, or plain lines."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable
from typing import Any

import yaml

from jovial_atlas import foreign
from jovial_atlas.faults import Fault

_FENCE = re.compile(
    r"\A(---|\+\+\+|;;;)[ \t]*\r?\n(.*?)(?:\r?\n)?^\1[ \t]*(?:\r?\n|\Z)", re.S | re.M
)


def front_matter(text: str, path: str) -> tuple[dict[str, Any] | None, str, list[Fault]]:
    """The fields, the text after them, and faults. Fields None: they cannot be read, and the
    page is left out rather than published without them."""
    match = _FENCE.match(text) or _OBJECT.match(text)
    if not match:
        return *_plain_head(text), []
    try:
        read = _READERS.get(match[1], _read_yaml)(match[2])
    except (yaml.YAMLError, ValueError) as error:
        mark = getattr(error, "problem_mark", None)
        line = (mark.line + 2) if mark else 1
        said = " ".join(str(getattr(error, "problem", None) or error).split())
        message = f"The front matter cannot be read ({said}); the page is left out."
        return None, "", [Fault("front-matter-broken", f"{path}:{line}", message)]
    if read is not None and not isinstance(read, dict):
        message = "The front matter is no table of fields; the page is left out."
        return None, "", [Fault("front-matter-broken", f"{path}:1", message)]
    return {str(k): v for k, v in (read or {}).items()}, text[match.end() :], []


#: The library's reader in C takes a tenth of the time, where it is there.
_YAML = getattr(yaml, "CSafeLoader", yaml.SafeLoader)


def _read_yaml(text: str) -> Any:
    try:
        return yaml.load(text, Loader=_YAML)  # noqa: S506 - safe, whichever it is
    except yaml.YAMLError:
        return yaml.safe_load(text)  # which tells better where it is wrong


#: A JSON object at the very beginning, as some generators take it.
_OBJECT = re.compile(r"\A()(\{\s*\n.*?\n\})\s*\n", re.S)
_READERS: dict[str, Callable[[str], Any]] = {
    "+++": tomllib.loads, ";;;": foreign.read_json, "": foreign.read_json,
}  # fmt: skip
#: Lines like `Title: Reeds`, the first of them with one of these names.
_PLAIN_LINE = re.compile(r"([A-Za-z][A-Za-z0-9 _-]*):[ \t]*(.*)")
_PLAIN_NAMES = frozenset(
    {"title", "date", "author", "authors", "slug", "tags", "category", "status", "lang", "summary",
     "modified", "template"}
)  # fmt: skip


def _plain_head(text: str) -> tuple[dict[str, Any], str]:
    """The fields of a head that is lines of `Key: value` up to the first empty line, and the text
    after it; none where the text begins without one."""
    head, *after = re.split(r"\r?\n[ \t]*\r?\n", text, maxsplit=1)
    fields: dict[str, Any] = {}
    name = ""
    for line in head.splitlines():
        match = _PLAIN_LINE.match(line)
        if match:
            name = match[1].strip().lower()
            fields[name] = match[2].strip()
        elif name and line[:1] in " \t":
            fields[name] = f"{fields[name]} {line.strip()}"
        else:
            return {}, text
        if len(fields) == 1 and name not in _PLAIN_NAMES:
            return {}, text
    if not fields:
        return {}, text
    if fields.get("status", "").lower() in ("draft", "hidden"):
        fields["draft"] = True
    return fields, after[0] if after else ""


def head_of(text: str) -> str:
    """All that the fields of a file can stand in: its head, else its first lines."""
    match = _FENCE.match(text) or _OBJECT.match(text)
    return match[0] if match else re.split(r"\r?\n[ \t]*\r?\n", text, maxsplit=1)[0]
