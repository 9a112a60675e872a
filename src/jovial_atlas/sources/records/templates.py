"""Statements in texts: of templates, `{% … %}` and `{{ … }}`, in whose place generators put what
only they know; and of programs, in Markdown that components stand in (MDX)."""

from __future__ import annotations

import re

#: A statement, which is never long: an end that is missing must not be looked for in all of a text.
_STATEMENT = re.compile(r"\{%.{0,1000}?%\}|\{\{.{0,1000}?\}\}", re.S)
_CODE = re.compile(r"<(pre|code|script|style|textarea)\b.*?</\1\s*>", re.S | re.I)
_BEGINS = re.compile(rb"\s*(?:\{[%{]|(?:---|\+\+\+)[ \t]*\r?\n)")


def has_statements(text: str) -> bool:
    """Whether an HTML file is made for a generator: a statement stands outside of its code."""
    return without_statements(text) != text and _STATEMENT.search(_CODE.sub("", text)) is not None


def without_statements(text: str) -> str:
    """A text without the statements in it."""
    return _STATEMENT.sub("", text) if "{%" in text or "{{" in text else text


def begins_as_template(data: bytes) -> bool:
    """Whether the octets of an HTML file begin with front matter, or with a statement."""
    return _BEGINS.match(data.removeprefix(b"\xef\xbb\xbf")) is not None


#: A fenced block of code, which is text; a block that imports or exports; a comment.
_PROGRAM = re.compile(
    r"(?P<code>^(?P<fence>```+|~~~+)[^\n]*\n.*?^(?P=fence)[ \t]*$)"
    r"|(?:\A\s*|(?<=\n\n))(?:import\s+(?:[\"'{*]|[\w$]+\s*(?:,|from\s))"
    r"|export\s+(?:(?:const|let|var|function|async|class|default)\s|[{*]))(?:[^\n]+(?:\n|\Z))+"
    r"|\{/\*.*?\*/\}",
    re.S | re.M,
)


def without_program(text: str) -> str:
    """A text of MDX without its imports, exports and comments."""
    return _PROGRAM.sub(lambda found: found["code"] or "", text.replace("\r\n", "\n"))
