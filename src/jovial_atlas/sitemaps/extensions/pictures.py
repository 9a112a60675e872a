"""Pictures: `<image:image>`."""

from __future__ import annotations

import polars as pl

from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.extensions.extension import Extension, SheetColumn
from jovial_atlas.sitemaps.node import XmlNode
from jovial_atlas.sitemaps.notes import EntryNotes
from jovial_atlas.sitemaps.text import element, escaped

_CELL = """<div class="media">
      <xsl:for-each select="image:image[position() &lt;= 3]">
        <a href="{image:loc}"><img src="{image:loc}" alt="" loading="lazy"/></a>
      </xsl:for-each>
      <xsl:if test="count(image:image) &gt; 3"><span class="more">and \
<xsl:value-of select="count(image:image) - 3"/> more</span></xsl:if>
    </div>"""


class PictureExtension(Extension):
    """The pictures of a page."""

    column = "images"
    type = pl.List(pl.String)
    namespace = protocol.IMAGE
    prefix = "image"
    name = "image"
    most = protocol.MAX_IMAGES
    shown = SheetColumn(
        "pictures", "pictures", "Pictures", _CELL, numeric=True,
        attributes='class="number" data-sort="{count(image:image)}"',
    )  # fmt: skip

    def rendered(self, item: pl.Expr) -> pl.Expr:
        """As `Extension.rendered`."""
        loc = element("image:loc", escaped(item), "   ")
        return pl.concat_str(pl.lit("  <image:image>\n"), loc, pl.lit("  </image:image>\n"))

    def check(self, node: XmlNode, entry: EntryNotes) -> None:
        """As `Extension.check`."""
        entry.check_children(node, self.namespace, protocol.IMAGE_RULES)
