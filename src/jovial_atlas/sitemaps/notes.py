"""The faults of a sitemap file while it is checked, and the check of elements against a table of
rules: what the checks of entries and of extensions share."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import msgspec

from jovial_atlas.faults import Fault
from jovial_atlas.sitemaps.node import XmlNode
from jovial_atlas.sitemaps.protocol import Element

#: Faults of one code that are told of one file; of the others only their number.
MOST_TOLD = 100


class Notes:
    """The faults of a file as they are found, no more of each code than a person can use."""

    def __init__(self, name: str) -> None:
        self.name = name
        self._faults: dict[str, list[Fault]] = {}
        self._left: dict[str, int] = {}

    def __call__(self, code: str, line: int | None, message: str) -> None:
        faults = self._faults.setdefault(code, [])
        if len(faults) < MOST_TOLD:
            faults.append(Fault(code, f"{self.name}:{line}" if line else self.name, message))
        else:
            self._left[code] = self._left.get(code, 0) + 1

    def told(self) -> Iterator[Fault]:
        """All faults, and how many more there are of each code that has too many."""
        for code, faults in self._faults.items():
            yield from faults
            if left := self._left.get(code):
                message = f"{left:,} more like this in the file; the first {MOST_TOLD} are told."
                yield Fault(code, self.name, message)


class EntryNotes(msgspec.Struct, frozen=True):
    """An entry while its elements are checked: its address, the date of now in the product's form,
    and the faults of its file. Every fault names the entry."""

    loc: str
    now: str
    faults: Notes

    def __call__(self, code: str, line: int | None, sentence: str) -> None:
        """Note a fault: `sentence` says what is wrong, without its full stop."""
        about = f" (entry {self.loc[:120]})" if self.loc else ""
        self.faults(code, line, f"{sentence}{about}.")

    def check_children(self, node: XmlNode, space: str, rules: Mapping[str, Element]) -> None:
        """Check the children of an element that are in its namespace against their rules."""
        seen: dict[str, int] = {}
        for child in node.children:
            if child.space != space:
                continue
            rule = rules.get(child.name)
            if rule is None:
                sentence = f"<{child.name}> may not stand in <{node.name}>"
                self("sitemap-element-unknown", child.line, sentence)
                continue
            seen[child.name] = seen.get(child.name, 0) + 1
            if rule.retired:
                sentence = f"<{child.name}> in <{node.name}> is retired; engines ignore it"
                self("sitemap-element-retired", child.line, sentence)
            elif not rule.test(child.text):
                shown = child.text if len(child.text) <= 80 else child.text[:77] + "…"
                self("sitemap-value", child.line, f"<{child.name}> {shown!r} is not {rule.form}")
        for name, rule in rules.items():
            count = seen.get(name, 0)
            if rule.required and not count:
                sentence = f"<{node.name}> has no <{name}>, which is required"
                self("sitemap-element-missing", node.line, sentence)
            elif count > rule.most:
                sentence = f"<{node.name}> has <{name}> {count} times; {rule.most} is the most"
                self("sitemap-element-repeated", node.line, sentence)
