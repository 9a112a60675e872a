"""Videos: `<video:video>`."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

from jovial_atlas import addresses
from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.extensions.extension import Extension, SheetColumn
from jovial_atlas.sitemaps.node import XmlNode
from jovial_atlas.sitemaps.notes import EntryNotes
from jovial_atlas.sitemaps.text import element, escaped

#: Elements of a video that are checked where they stand, but not written.
_NOT_WRITTEN = frozenset({"tvshow"})
#: The video elements that are written, in the schema's order.
VIDEO_FIELDS = tuple(name for name in protocol.VIDEO_RULES if name not in _NOT_WRITTEN)


def _type(name: str) -> pl.DataType:
    if name == "tag":
        return pl.List(pl.String)
    if attributes := protocol.VIDEO_LISTS.get(name):
        return pl.List(pl.Struct(dict.fromkeys(("text", *attributes), pl.String)))
    return pl.String()


#: One video as a struct: the elements, and their attributes as `element@attribute`. All are text;
#: `tag` is a list, and of those that may stand several times with attributes each is a struct.
VIDEO_TYPE = pl.Struct(
    {name: _type(name) for name in VIDEO_FIELDS}
    | {f"{name}@{rule[0]}": pl.String for name, rule in protocol.VIDEO_ATTRIBUTES.items()}
)
_CELL = """<div class="media">
      <xsl:for-each select="video:video">
        <figure>
          <a href="{(video:content_loc | video:player_loc)[1]}"><img src="{video:thumbnail_loc}" \
alt="" loading="lazy"/></a>
          <figcaption><xsl:value-of select="video:title"/>
            <xsl:if test="video:duration"> (<xsl:value-of select="floor(video:duration div 60)"/>:\
<xsl:value-of select="format-number(video:duration mod 60, '00')"/>)</xsl:if>
          </figcaption>
        </figure>
      </xsl:for-each>
    </div>"""


class VideoExtension(Extension):
    """The videos that a page plays."""

    column = "videos"
    type = pl.List(VIDEO_TYPE)
    namespace = protocol.VIDEO
    prefix = "video"
    name = "video"
    companion = True
    shown = SheetColumn(
        "videos", "videos", "Videos", _CELL, numeric=True,
        attributes='class="number" data-sort="{count(video:video)}"',
    )  # fmt: skip

    def rendered(self, item: pl.Expr) -> pl.Expr:
        """As `Extension.rendered`."""
        return self._rendered(item, VIDEO_FIELDS)

    def texts(self, table: pl.DataFrame) -> pl.Series:
        """As `Extension.texts`. Of all that a video may have most say little: what none of them
        has is not asked of each."""
        videos = table[self.column].list.explode().struct.unnest()
        used = [name for name in VIDEO_FIELDS if videos[name].null_count() < videos.height]
        lines = pl.col(self.column).list.eval(self._rendered(pl.element(), used)).list.join("")
        return table.select(lines.fill_null("")).to_series()

    def _rendered(self, item: pl.Expr, names: Sequence[str]) -> pl.Expr:
        elements = [self._element(name, item) for name in names]
        return pl.concat_str(pl.lit("  <video:video>\n"), *elements, pl.lit("  </video:video>\n"))

    def _element(self, name: str, item: pl.Expr) -> pl.Expr:
        fields = item.struct
        if name == "tag":
            opening, closing = pl.lit("   <video:tag>"), pl.lit("</video:tag>\n")
            tag = pl.concat_str(opening, escaped(pl.element()), closing)
            return fields.field(name).list.eval(tag).list.join("").fill_null("")
        if name in protocol.VIDEO_LISTS:
            lines = fields.field(name).list.eval(self._listed(name)).list.join("")
            return lines.fill_null("")
        value = escaped(fields.field(name))
        if name not in protocol.VIDEO_ATTRIBUTES:
            return element(f"video:{name}", value, "   ")
        attribute = protocol.VIDEO_ATTRIBUTES[name][0]
        given = pl.concat_str(
            pl.lit(f' {attribute}="'), escaped(fields.field(f"{name}@{attribute}")), pl.lit('"')
        )
        line = pl.concat_str(
            pl.lit(f"   <video:{name}"), given.fill_null(""), pl.lit(">"), value,
            pl.lit(f"</video:{name}>\n"),
        )  # fmt: skip
        return line.fill_null("")

    @staticmethod
    def _listed(name: str) -> pl.Expr:
        """One of several elements of a name, with its attributes."""
        field = pl.element().struct.field
        attributes = [
            pl.concat_str(pl.lit(f' {one}="'), escaped(field(one)), pl.lit('"')).fill_null("")
            for one in protocol.VIDEO_LISTS[name]
        ]
        opening, closing = pl.lit(f"   <video:{name}"), pl.lit(f"</video:{name}>\n")
        text = escaped(field("text"))
        return pl.concat_str(opening, *attributes, pl.lit(">"), text, closing).fill_null("")

    def check(self, node: XmlNode, entry: EntryNotes) -> None:
        """As `Extension.check`."""
        entry.check_children(node, self.namespace, protocol.VIDEO_RULES)
        self._check_attributes(node, entry)
        media = [
            child
            for name in ("content_loc", "player_loc")
            if (child := node.first(self.namespace, name))
        ]
        if not media:
            sentence = "<video> has neither <content_loc> nor <player_loc>; one is required"
            entry("video-no-media", node.line, sentence)
        for child in media:
            if child.text == entry.loc:
                sentence = f"<{child.name}> is the address of the page itself"
                entry("video-same-as-page", child.line, sentence)

    def _check_attributes(self, video: XmlNode, entry: EntryNotes) -> None:
        for child in video.children:
            mine = child.space == self.namespace
            rules = protocol.VIDEO_LISTS.get(child.name, {}) if mine else {}
            for attribute, (form, test, required) in rules.items():
                given = child.attributes.get(attribute)
                if given is None and required:
                    entry("sitemap-value", child.line, f"<{child.name}> has no {attribute}")
                elif given is not None and not test(given):
                    shown = f"<{child.name}> {attribute} {given!r}"
                    entry("sitemap-value", child.line, f"{shown} is not {form}")
        for name, (attribute, form, test, required) in protocol.VIDEO_ATTRIBUTES.items():
            node = video.first(self.namespace, name)
            if node is None:
                continue
            value = node.attributes.get(attribute)
            shown = f"<{name}> {attribute} {value!r}"
            if value is None and required:
                entry("sitemap-value", node.line, f"<{name}> has no {attribute}")
            elif value is not None and not test(value):
                entry("sitemap-value", node.line, f"{shown} is not {form}")
            elif (
                attribute == "info"
                and value
                and addresses.origin(value) != addresses.origin(entry.loc)
            ):
                entry("sitemap-value", node.line, f"{shown} is on another host than the page")
