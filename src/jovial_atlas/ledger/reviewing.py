"""The part of the ledger about reviews: what the whole site came to, and when."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence

from sqlalchemy import insert, select

from jovial_atlas.ledger import rows
from jovial_atlas.ledger.store import Store
from jovial_atlas.ledger.tables import REVIEWED
from jovial_atlas.records import SiteReviewed

#: A score is kept in so many parts of a point.
_PARTS = 100


class RecordOfReviews(Store):
    """What reviews of the whole site came to."""

    def note_review(
        self, survey: str, score: float, pages: int, marks: Mapping[str, Sequence[int]]
    ) -> None:
        """Record a review of the survey of this time, where it says something else than the one
        before: the score, the pages, and for each mark on how many pages it was good, could be
        better, fell short."""
        said = {
            "score": round(score * _PARTS),
            "pages": pages,
            "marks": json.dumps({code: list(counts) for code, counts in marks.items()}),
        }
        with self._transaction(writes=True) as connection:
            last = connection.execute(
                select(REVIEWED).order_by(REVIEWED.c.id.desc()).limit(1)
            ).first()
            if last is None or any(last._mapping[name] != value for name, value in said.items()):
                row = {"at": self.now(), "survey": survey, **said}
                connection.execute(insert(REVIEWED), [row])

    def reviews(self) -> list[SiteReviewed]:
        """All that were recorded, in the order of time."""
        with self._transaction() as connection:
            found = connection.execute(select(REVIEWED).order_by(REVIEWED.c.id)).all()
        return [
            SiteReviewed(
                rows.moment(row.at, "reviewed.at"),
                rows.count(row.score, "reviewed.score") / _PARTS,
                rows.count(row.pages, "reviewed.pages"),
                rows.triples(row.marks, "reviewed.marks"),
            )
            for row in found
        ]
