"""The part of the site file about reviews: which marks count, how much, and from where on."""

from collections.abc import Iterable
from typing import Annotated

from msgspec import field

from jovial_atlas.faults import nearest
from jovial_atlas.findings.marks import MARKS
from jovial_atlas.sitefile.parts import Part, check, says

_Off = Annotated[tuple[str, ...], says("marks that do not count")]
_Weights = Annotated[dict[str, float], says("mark → its weight, 0 for one that is only told")]
_Limits = Annotated[dict[str, float], says("mark → its lower limit, as the reference has it")]
_Most = Annotated[dict[str, float], says("mark → its upper limit, as the reference has it")]


def _known(codes: Iterable[str]) -> None:
    for code in codes:
        if code not in MARKS:
            meant = nearest(code, MARKS, 50)
            hint = f"; did you mean {meant!r}" if meant else ""
            raise ValueError(f"there is no mark {code!r}{hint}")


class ReviewChoices(Part, frozen=True, kw_only=True):
    """What a site, or some of its sections, say of marks."""

    off: _Off = ()
    weights: _Weights = field(default_factory=dict)
    least: _Limits = field(default_factory=dict)
    most: _Most = field(default_factory=dict)

    @check("off")
    @classmethod
    def _marks(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        _known(value)
        return value

    @check("weights")
    @classmethod
    def _weight(cls, value: dict[str, float]) -> dict[str, float]:
        _known(value)
        for code, weight in value.items():
            if weight < 0:
                raise ValueError(f"the weight of {code!r} is below 0")
        return value

    @check("least", "most")
    @classmethod
    def _limit(cls, value: dict[str, float]) -> dict[str, float]:
        _known(value)
        for code in value:
            if not MARKS[code].limits and code != "reading-ease":
                raise ValueError(f"{code!r} has no limits")
        return value


class ReviewOfSections(ReviewChoices, frozen=True, kw_only=True):
    """`[[review.for]]`: what holds for some sections instead."""

    sections: Annotated[tuple[str, ...], says("sections it holds for", min_length=1)]


class Reviewing(ReviewChoices, frozen=True, kw_only=True):
    """`[review]`: which marks of a review count, how much, and from where on."""

    for_sections: Annotated[
        tuple[ReviewOfSections, ...], says("what holds for some sections instead")
    ] = field(default=(), name="for")
