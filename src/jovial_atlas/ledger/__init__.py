"""The record over time: announcements with intent and outcome, and what engines reported."""

from jovial_atlas.ledger.record import Announcement, Ledger, PageReport, SitemapReport, Visit

__all__ = ["Announcement", "Ledger", "PageReport", "SitemapReport", "Visit"]
