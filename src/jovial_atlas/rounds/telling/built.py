"""The ledger's memory of what builds made public."""

from __future__ import annotations

from jovial_atlas.engines.published import Published
from jovial_atlas.ledger import Built, Ledger


def note_built(public: Published, ledger: Ledger) -> None:
    """Let the ledger know what stands in the sitemaps now; the index is not counted."""
    ledger.note_built(
        [
            Built(loc, public.sections[loc], urls)
            for loc, (_, urls) in public.sitemaps.items()
            if public.sections.get(loc)
        ]
    )
