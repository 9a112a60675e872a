"""The extensions of the sitemap protocol: one class each, with all that writer, reader, checker
and style sheet need to know of it. Another one is a module here and a row of `EXTENSIONS`."""

from __future__ import annotations

from jovial_atlas.sitemaps.extensions.alternates import AlternateExtension
from jovial_atlas.sitemaps.extensions.articles import NEWS_FIELDS, NewsExtension
from jovial_atlas.sitemaps.extensions.extension import Extension, SheetColumn
from jovial_atlas.sitemaps.extensions.pictures import PictureExtension
from jovial_atlas.sitemaps.extensions.videos import VIDEO_FIELDS, VIDEO_TYPE, VideoExtension
from jovial_atlas.sitemaps.protocol import CORE

__all__ = [
    "ELEMENTS",
    "EXTENSIONS",
    "NAMESPACES",
    "NEWS_FIELDS",
    "VIDEO_FIELDS",
    "VIDEO_TYPE",
    "Extension",
    "SheetColumn",
]

#: Column of the writer's table → extension, in the order in which they are written.
EXTENSIONS: dict[str, Extension] = {
    extension.column: extension
    for extension in (AlternateExtension(), NewsExtension(), PictureExtension(), VideoExtension())
}
#: Namespace and name of an element → its extension.
ELEMENTS = {(each.namespace, each.name): each for each in EXTENSIONS.values()}
#: Namespace → the prefix under which it is written.
NAMESPACES = {CORE: "", **{each.namespace: each.prefix for each in EXTENSIONS.values()}}
