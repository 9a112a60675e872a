"""Proposals for the texts of pages, from the files they were read from."""

from __future__ import annotations

from collections.abc import Callable

from jovial_atlas.head.suggest import propose_description, propose_title
from jovial_atlas.head.texts import Text
from jovial_atlas.pages.page import Page
from jovial_atlas.rounds.state.site_files import file_of_row
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sources.html_page.fulltext import main_text

#: What is proposed.
PROPOSED_FIELDS = ("title", "description")


def proposer(site: SiteFile) -> Callable[[Page], dict[str, Text]]:
    """Gives the proposals for a page (a row of the decided table) by field; without a value where
    the page says too little. Pages of sources without files are read by their excerpt."""
    file_of = file_of_row(site)

    def propose(page: Page) -> dict[str, Text]:
        path = file_of(page)
        text, headings = main_text(path) if path else ("", [])
        text = text or page.excerpt or ""
        return {
            "title": propose_title(page, headings, site.model.site, site.model.lengths),
            "description": propose_description(text),
        }

    return propose
