"""What pages are to each other: who says the same, who links where, what is usual in a section."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property

import polars as pl

from jovial_atlas.checks.texts import PublishedTexts
from jovial_atlas.head.texts import phrase_of, phrases_in
from jovial_atlas.review.measures import PageMeasures
from jovial_atlas.rounds.state.last_survey import LastSurvey

#: Of fewer pages nothing is usual.
_FEW = 5


def targets_of(measures: Iterable[PageMeasures]) -> frozenset[str]:
    """The addresses of the site that pages link to in their texts."""
    return frozenset(target for one in measures for target in one.within)


@dataclass(frozen=True)
class Neighbours:
    """What some pages are to all listed pages of their site. `texts` are those of the pages as
    their heads have them, `targets` the addresses that they link to; None: any page may be one. Of
    a large site titles and descriptions are held against those that the pages have themselves, not
    as their heads are written."""

    survey: LastSurvey
    texts: Sequence[PublishedTexts]
    targets: Collection[str] | None = None

    @cached_property
    def by_title(self) -> dict[str, list[str]]:
        """Title → pages that have it."""
        if not self.survey.is_held:
            return self._same("title", {one.title.value for one in self.texts})
        return _grouped((one.title.value, one.page.loc) for one in self.survey.published)

    @cached_property
    def by_description(self) -> dict[str, list[str]]:
        """Description → pages that have it, first sentences left out."""
        if not self.survey.is_held:
            return self._same("description", {one.description.value for one in self.texts})
        own = (one for one in self.survey.published if one.description.source != "excerpt")
        return _grouped((one.description.value, one.page.loc) for one in own)

    def _same(self, name: str, values: set[str | None]) -> dict[str, list[str]]:
        """Value → listed pages that have it in a column of the page table."""
        wanted = _among(name, values - {None})
        found = self.survey.decided_where(wanted).filter("listed").select(name, "loc")
        return _grouped(found.collect(engine="streaming").iter_rows())

    @cached_property
    def by_phrase(self) -> dict[str, list[str]]:
        """Phrase in small letters → pages that want to be found for it."""
        if self.survey.is_held:
            heads, every = self.survey.heads, self.survey.published
            said = [(phrase_of(one.page, heads), one.page.loc) for one in every]
        else:
            named = self.survey.pages.filter(pl.col("phrase").is_not_null()).select("phrase", "loc")
            said = [*named.collect(engine="streaming").iter_rows()]
            texts = self.survey.site.texts.items()
            said += [(one["phrase"], loc) for loc, one in texts if "phrase" in one]
        return _grouped((one.casefold(), loc) for text, loc in said for one in phrases_in(text))

    @cached_property
    def links_in(self) -> dict[str, int]:
        """Address → how many other listed pages link to it; of a large site only of the pages
        themselves."""
        links = self.survey.table.filter("listed").select("loc", to="links").explode("to")
        if not self.survey.is_held:
            links = links.filter(_among("to", {one.page.loc for one in self.texts}))
        found = (
            links.filter(pl.col("to").is_not_null() & (pl.col("to") != pl.col("loc")))
            .group_by("to").agg(pl.col("loc").n_unique()).collect(engine="streaming")
        )  # fmt: skip
        return dict(found.iter_rows())

    @cached_property
    def usual_words(self) -> dict[tuple[str, str | None], float]:
        """Section and language → the median of words, where there are at least five pages."""
        found = (
            self.survey.table.filter("listed").group_by("section", "language")
            .agg(pl.col("words").median(), pages=pl.col("words").count())
            .filter(pl.col("pages") >= _FEW).collect(engine="streaming")
        )  # fmt: skip
        rows = found.select("section", "language", "words").iter_rows()
        return {(section, language): words for section, language, words in rows}

    @cached_property
    def usual_links_in(self) -> dict[str, float]:
        """Section → the median of the pages that link to one of it, of a small site."""
        counts: dict[str, list[int]] = {}
        for one in self.survey.published if self.survey.is_held else ():
            counts.setdefault(one.page.section, []).append(self.links_in.get(one.page.loc, 0))
        return {
            name: float(sorted(some)[len(some) // 2])
            for name, some in counts.items()
            if len(some) >= _FEW
        }

    @property
    def _linked(self) -> pl.Expr:
        """Whether a page is linked to."""
        return pl.lit(True) if self.targets is None else _among("loc", self.targets)

    @cached_property
    def dead(self) -> dict[str, str]:
        """Target that is a page, and no good one → why."""
        gone = self.survey.decided_where(self._linked).filter(~pl.col("listed"))
        other = pl.col("canonical").ne_missing(pl.col("loc")) & pl.col("canonical").is_not_null()
        why = (
            pl.when(pl.col("redirect").is_not_null() | pl.col("send_to").is_not_null())
            .then(pl.lit("sends visitors on"))
            .when(pl.col("kind") == "error")
            .then(pl.lit("is an error page"))
            .when(other)
            .then(pl.lit("stands behind another address"))
            .when(~pl.col("index"))
            .then(pl.lit("is kept out of the index"))
        )
        told = gone.select("loc", why=why).filter(pl.col("why").is_not_null())
        return dict(told.collect(engine="streaming").iter_rows())

    @cached_property
    def known(self) -> frozenset[str]:
        """The targets that are pages of the survey."""
        found = self.survey.pages.select("loc").filter(self._linked)
        return frozenset(found.collect(engine="streaming")["loc"])


def _among(name: str, values: Collection[str | None]) -> pl.Expr:
    return pl.col(name).is_in(pl.Series(sorted(map(str, values)), dtype=pl.String).implode())


def _grouped(pairs: Iterable[tuple[str | None, str]]) -> dict[str, list[str]]:
    found: dict[str, list[str]] = {}
    for value, loc in pairs:
        if value:
            found.setdefault(value, []).append(loc)
    return found
