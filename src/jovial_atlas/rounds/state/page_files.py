"""Where the file of each page lies, or the copy that a crawl kept of it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from jovial_atlas.pages.page import Page
from jovial_atlas.rounds.state.crawled_copies import copy_of
from jovial_atlas.rounds.state.site_files import file_of_row
from jovial_atlas.sitefile import SiteFile


def page_place(site: SiteFile) -> Callable[[Page], Path | None]:
    """Gives the file that a page was read from, or the copy of what was fetched; None where there
    is neither, and for what is no page of text."""
    find = file_of_row(site)

    def place(page: Page) -> Path | None:
        if page.kind not in (None, "page", "error"):
            return None
        path = find(page)
        if path is None and page.digest:
            copy = copy_of(site, page.digest)
            path = copy if copy.exists() else None
        return path

    return place
