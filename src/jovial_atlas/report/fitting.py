"""What fits into a page: of each kind of fault its share of places."""

from __future__ import annotations

from collections.abc import Sequence

from jovial_atlas.report.values import FaultPlace, ReportedFault
from jovial_atlas.values import replace

#: Octets of markup around a place, and around a sentence.
_PLACE, _SENTENCE = 8, 50


def fitted(faults: Sequence[ReportedFault], room: int) -> list[ReportedFault]:
    """The faults with as many of their places as fit into so many bytes. All kinds are kept; those
    with fewer places are kept whole first, so that one kind does not displace the others."""
    kept: dict[int, ReportedFault] = {}
    by_size = sorted(range(len(faults)), key=lambda number: _size(faults[number]))
    for place, number in enumerate(by_size):
        share = room // (len(faults) - place)
        cut = _cut(faults[number], share)
        room -= _size(cut)
        kept[number] = cut
    return [kept[number] for number in range(len(faults))]


def _size(fault: ReportedFault) -> int:
    return sum(_sentence(said, len(places)) + sum(map(_place, places))
               for said, places in fault.said)  # fmt: skip


def _sentence(said: str, places: int) -> int:
    return (_SENTENCE if places > 1 else _PLACE) + len(said.encode("utf-8", "replace"))


def _place(place: FaultPlace) -> int:
    return _PLACE + len(place.where.encode("utf-8", "replace"))


def _cut(fault: ReportedFault, room: int) -> ReportedFault:
    if _size(fault) <= room:
        return fault
    kept: list[tuple[str, Sequence[FaultPlace]]] = []
    for said, places in fault.said:
        room -= _sentence(said, len(places))
        if room < 0:
            break
        some: list[FaultPlace] = []
        for place in places:
            room -= _place(place)
            if room < 0:
                break
            some.append(place)
        if some:
            kept.append((said, some))
    shown = sum(len(places) for _, places in kept)
    return replace(fault, said=kept, left_out=fault.count - shown)
