"""The record over time: announcements with intent and outcome, and what engines reported."""

from jovial_atlas.ledger.announcing import Announcing
from jovial_atlas.ledger.carry import Carrying
from jovial_atlas.ledger.events import RecordOfEvents
from jovial_atlas.ledger.hearing import Hearing
from jovial_atlas.ledger.outside import RecordOfOutside
from jovial_atlas.ledger.reviewing import RecordOfReviews
from jovial_atlas.ledger.store import schema_of
from jovial_atlas.ledger.tending import RecordOfRounds
from jovial_atlas.records import (
    Announcement,
    Built,
    Heard,
    PageReport,
    SitemapReport,
    SiteReviewed,
    Unsettled,
    Visit,
)


class Ledger(
    Announcing, Hearing, RecordOfReviews, RecordOfOutside, RecordOfRounds, RecordOfEvents, Carrying
):
    """The record of one host of a site."""


__all__ = [
    "Announcement",
    "Built",
    "Heard",
    "Ledger",
    "PageReport",
    "SiteReviewed",
    "SitemapReport",
    "Unsettled",
    "Visit",
    "schema_of",
]
