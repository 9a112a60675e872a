"""What many moves have in common: a folder that is called otherwise, an ending that is gone, a date
that was taken out of addresses."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable

import msgspec

from jovial_atlas.addresses import origin
from jovial_atlas.moves.move import pattern_regex

_ENDING = re.compile(r"(/index\.x?html?|/index\.php|\.[A-Za-z][A-Za-z0-9]{0,4}|/)\Z")


class PatternShape(msgspec.Struct, frozen=True):
    """A pattern of old addresses and where it leads, both with their hosts; in words what
    changed."""

    pattern: str
    target: str
    words: str

    @property
    def regex(self) -> str:
        """The regular expression of the pattern, over whole addresses."""
        host = origin(self.pattern)
        return f"^{re.escape(host)}{pattern_regex(self.pattern[len(host) :])[1:]}"

    @property
    def replacement(self) -> str:
        """The target, as a replacement in the syntax of Rust's regular expressions."""
        return re.sub(r"\$([1-9])", r"${\1}", self.target)


def shapes_of(pairs: Iterable[tuple[str, str]], least: int, most: int) -> list[PatternShape]:
    """The patterns that at least so many pairs of (old, new) addresses have in common, the most
    common first, and of those that are as common the narrowest."""
    counts = Counter(shape for pair in pairs if (shape := shape_of(*pair)))
    common = [(shape, count) for shape, count in counts.items() if count >= least]
    common.sort(key=lambda one: (-one[1], -len(one[0].pattern), one[0].pattern))
    return [shape for shape, _ in common[:most]]


def shape_of(old: str, new: str) -> PatternShape | None:
    """The pattern after which an address became another: what stands at their ends in common may be
    anything else. None where nothing is in common."""
    here, there = origin(old), origin(new)
    if "?" in old or "?" in new:
        return None
    old_parts, old_end = _parted(old[len(here) :])
    new_parts, new_end = _parted(new[len(there) :])
    same = _in_common(old_parts[::-1], new_parts[::-1])
    if not same:
        return None
    before, after = old_parts[: len(old_parts) - same], new_parts[: len(new_parts) - same]
    begin = _in_common(before, after)
    middle, rest = before[begin:], after[begin:]
    if not middle and not rest and old_end == new_end and here == there:
        return None
    wild = ["#" if one.isdecimal() else one for one in middle]
    digits = [one for one in middle if one.isdecimal()]
    led = [f"${digits.index(one) + 1}" if one in digits else one for one in rest]
    run = f"${len(digits) + 1}"
    ends = ("", "") if old_end == new_end else (old_end, new_end)
    pattern = "/".join(["", *before[:begin], *wild, "**"]) + ends[0]
    target = "/".join(["", *after[:begin], *led, run]) + ends[1]
    if any(re.search(r"[*#{}$]", one) for one in (*before[:begin], *rest)):
        return None
    words = _words(middle, rest, old_end, new_end, moved=here != there)
    return PatternShape(here + pattern, there + target, words)


def _parted(path: str) -> tuple[list[str], str]:
    """The folders and names of a path, and what it ends with."""
    match = _ENDING.search(path)
    end = match[0] if match else ""
    bare = path[1 : len(path) - len(end)] if len(path) > len(end) else ""
    return (bare.split("/") if bare else []), end


def _in_common(one: list[str], other: list[str]) -> int:
    count = 0
    for a, b in zip(one, other, strict=False):
        if a != b:
            break
        count += 1
    return count


def _words(middle: list[str], rest: list[str], old_end: str, new_end: str, *, moved: bool) -> str:
    if moved:
        return "another host"
    if middle and all(one.isdecimal() for one in middle) and not rest:
        return "numbers taken out of the address"
    if middle and not rest:
        return f"the folder {'/'.join(middle)} taken out of the address"
    if rest and not middle:
        return f"into the folder {'/'.join(rest)}"
    if middle and rest:
        return f"the folder {'/'.join(_short(middle))} is called {'/'.join(rest)} now"
    return f"addresses end in {new_end or 'nothing'}, not in {old_end or 'nothing'}"


def _short(parts: list[str]) -> list[str]:
    return ["#" if one.isdecimal() else one for one in parts]
