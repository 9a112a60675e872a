"""Language versions: `<xhtml:link rel="alternate" hreflang="…" href="…"/>`."""

from __future__ import annotations

import polars as pl

from jovial_atlas import languages
from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.extensions.extension import Extension, SheetColumn
from jovial_atlas.sitemaps.node import XmlNode
from jovial_atlas.sitemaps.notes import EntryNotes
from jovial_atlas.sitemaps.text import escaped

_CELL = """
      <xsl:for-each select="xhtml:link[@rel='alternate']">
        <xsl:if test="position() &gt; 1"><xsl:text>, </xsl:text></xsl:if>
        <a href="{@href}"><xsl:value-of select="@hreflang"/></a>
      </xsl:for-each>
    """


class AlternateExtension(Extension):
    """The versions of a page in other languages, itself among them."""

    column = "alternates"
    type = pl.List(pl.Struct({"lang": pl.String, "href": pl.String}))
    namespace = protocol.XHTML
    prefix = "xhtml"
    name = "link"
    shown = SheetColumn("versions", "", "Languages", _CELL)

    def rendered(self, item: pl.Expr) -> pl.Expr:
        """As `Extension.rendered`."""
        fields = item.struct
        return pl.concat_str(
            pl.lit('  <xhtml:link rel="alternate" hreflang="'), escaped(fields.field("lang")),
            pl.lit('" href="'), escaped(fields.field("href")), pl.lit('"/>\n'),
        )  # fmt: skip

    def check(self, node: XmlNode, entry: EntryNotes) -> None:
        """As `Extension.check`; BCP 47 for the language."""
        if node.attributes.get("rel") != "alternate":
            return
        language = node.attributes.get("hreflang", "")
        if not language:
            entry("sitemap-value", node.line, "<xhtml:link> has no hreflang")
        elif language.lower() != "x-default" and (wrong := languages.fault_of(language)):
            entry("alternate-language", node.line, f"hreflang {language!r} {wrong}")
        href = node.attributes.get("href", "")
        if not href.startswith(("http://", "https://")):
            entry("sitemap-value", node.line, f"<xhtml:link> href {href!r} is not absolute")
