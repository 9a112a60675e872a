"""HTML files as bytes: finding the tags of a head, putting a block of tags in, taking it out again.

Everything that is not asked for stays as it is, byte for byte. Knows nothing of sites.
"""

from jovial_atlas.markup.dress import PLACES, Dress
from jovial_atlas.markup.inject import MARK, Tag, inject, restore
from jovial_atlas.markup.scan import Found, Head, scan_head

__all__ = ["MARK", "PLACES", "Dress", "Found", "Head", "Tag", "inject", "restore", "scan_head"]
