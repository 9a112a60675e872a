"""From what was measured on a page to its marks."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from functools import lru_cache

from jovial_atlas.findings.marks import MARKS, MarkState
from jovial_atlas.review import judging_content, judging_text
from jovial_atlas.review.reviewed import (
    AS_IT_IS,
    Judged,
    MarkSetting,
    PageReview,
    ReviewedPage,
)
from jovial_atlas.review.verdict import Said

_Limits = Mapping[str, Mapping[str, float]]
#: Each gives the code of a mark with how it stands. A mark that does not apply is not given.
_JUDGES: tuple[Callable[[ReviewedPage, _Limits], Iterator[tuple[str, Said]]], ...] = (
    judging_text.judge_phrases,
    judging_text.judge_texts,
    judging_content.judge_structure,
    judging_content.judge_links,
    judging_content.judge_media,
    judging_text.judge_reading,
    judging_content.judge_delivery,
)


@lru_cache(maxsize=256)
def _limits_of(settings: tuple[tuple[str, MarkSetting], ...]) -> _Limits:
    """The limits of all marks where a site says this of some: the same for all pages of a section.
    """
    said = dict(settings)
    return {code: said.get(code, AS_IT_IS).limits_of(mark) for code, mark in MARKS.items()}


def judge_page(
    page: ReviewedPage,
    settings: Mapping[str, MarkSetting] | None = None,
    exempt: Mapping[str, str] | None = None,
) -> PageReview:
    """Judge a page. `settings` has what its site says of marks, `exempt` the marks that do not
    count for this page, with the owner's reasons."""
    settings, exempt = settings or {}, exempt or {}
    limits = _limits_of(tuple(settings.items()))
    marks = []
    for judge in _JUDGES:
        for code, said in judge(page, limits):
            setting, mark = settings.get(code, AS_IT_IS), MARKS[code]
            if not setting.on:
                continue
            state = said.state
            if mark.advice and state is MarkState.SHORT:
                state = MarkState.BETTER
            marks.append(
                Judged(mark, state, said.measured, said.wanted, setting.weight_of(mark),
                       exempt.get(code, ""))
            )  # fmt: skip
    return PageReview(page, marks)
