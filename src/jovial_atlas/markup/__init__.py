"""HTML files as bytes: finding the tags of a head, putting a block of tags in, taking it out again.

Everything that is not asked for stays as it is, byte for byte. Knows nothing of sites.
"""

from jovial_atlas.markup.additions import PLACES, Additions, TrailPlace, trail_place
from jovial_atlas.markup.inject import (
    MARK,
    ChangedError,
    Tag,
    block_mark,
    inject,
    mark_of,
    restore,
    without_block,
)
from jovial_atlas.markup.links import LinkWish, PutLink, put_links
from jovial_atlas.markup.scan import HeadSpan, ScannedTag, scan_head

__all__ = [
    "MARK",
    "PLACES",
    "Additions",
    "ChangedError",
    "HeadSpan",
    "LinkWish",
    "PutLink",
    "ScannedTag",
    "Tag",
    "TrailPlace",
    "block_mark",
    "inject",
    "mark_of",
    "put_links",
    "restore",
    "scan_head",
    "trail_place",
    "without_block",
]
