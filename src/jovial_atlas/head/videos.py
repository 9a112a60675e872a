"""One model of a page's videos, from which sitemap and structured data are both made."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import polars as pl

from jovial_atlas.sitemaps.write import VIDEO_FIELDS

#: The list column that the sitemap writer takes.
VIDEO_LIST = pl.List(pl.Struct(dict.fromkeys(VIDEO_FIELDS, pl.String)))
_REQUIRED = ("thumbnail_loc", "title", "description", "content_loc")
_NAMES = {"thumbnail_loc": "picture (poster)", "content_loc": "media file"}


def page_videos(page: Mapping[str, Any]) -> list[dict[str, str | None]]:
    """The videos of one page, by the elements of the sitemap protocol.

    Title from the video, else the page's heading or title; description from the video,
    else the page's, else its first sentences. Players are not read yet: `player_loc` and
    `duration` stay empty.
    """
    return [
        {
            "thumbnail_loc": video["thumbnail"],
            "title": video["title"] or page["heading"] or page["title"],
            "description": _description(video, page),
            "content_loc": video["content"],
            "player_loc": None,
            "duration": None,
            "publication_date": page["published"] or page["lastmod"],
        }
        for video in page["videos"] or []
    ]


def _description(video: Mapping[str, Any], page: Mapping[str, Any]) -> str | None:
    text = video["description"] or page["description"] or page["excerpt"]
    return text[:2_048] if text else None


def missing_fields(video: Mapping[str, Any]) -> list[str]:
    """What the protocol requires and the video lacks, in words; empty for a video that can
    be listed."""
    return [_NAMES.get(name, name) for name in _REQUIRED if not video[name]]


def with_videos(decided: pl.DataFrame) -> pl.DataFrame:
    """The pages that have videos which can be listed, as `loc, lastmod, videos`."""
    rows = [
        {
            "loc": page["loc"],
            "lastmod": page["lastmod"],
            "videos": [video for video in page_videos(page) if not missing_fields(video)],
        }
        for page in decided.filter(pl.col("videos").list.len() > 0).to_dicts()
    ]
    return pl.DataFrame(
        [row for row in rows if row["videos"]],
        schema={"loc": pl.String, "lastmod": pl.String, "videos": VIDEO_LIST},
    )
