"""News: `<news:news>` of an article that is not older than two days."""

from __future__ import annotations

from datetime import datetime, timedelta

import polars as pl

from jovial_atlas import dates
from jovial_atlas.sitemaps import protocol
from jovial_atlas.sitemaps.extensions.extension import Extension, SheetColumn
from jovial_atlas.sitemaps.node import XmlNode
from jovial_atlas.sitemaps.notes import EntryNotes
from jovial_atlas.sitemaps.text import element, escaped

NEWS_FIELDS = ("name", "language", "publication_date", "title")
_CELL = """
      <xsl:value-of select="news:news/news:title"/>
      <div class="more"><xsl:value-of select="news:news/news:publication/news:name"/>, \
<xsl:value-of select="substring(news:news/news:publication_date, 1, 10)"/></div>
    """


class NewsExtension(Extension):
    """What a page is as an article of a publication."""

    column = "news"
    type = pl.Struct(dict.fromkeys(NEWS_FIELDS, pl.String))
    namespace = protocol.NEWS
    prefix = "news"
    name = "news"
    companion = True
    shown = SheetColumn("articles", "articles", "Article", _CELL)

    def rendered(self, item: pl.Expr) -> pl.Expr:
        """As `Extension.rendered`."""
        fields = item.struct
        name, language, date, title = (escaped(fields.field(field)) for field in NEWS_FIELDS)
        return pl.concat_str(
            pl.lit("  <news:news>\n   <news:publication>\n"),
            element("news:name", name, "    "),
            element("news:language", language, "    "),
            pl.lit("   </news:publication>\n"),
            element("news:publication_date", date, "   "),
            element("news:title", title, "   "),
            pl.lit("  </news:news>\n"),
        )

    def check(self, node: XmlNode, entry: EntryNotes) -> None:
        """As `Extension.check`."""
        entry.check_children(node, self.namespace, protocol.NEWS_RULES)
        self._check_age(node, entry)
        if publication := node.first(self.namespace, "publication"):
            entry.check_children(publication, self.namespace, protocol.PUBLICATION_RULES)

    def _check_age(self, news: XmlNode, entry: EntryNotes) -> None:
        node = news.first(self.namespace, "publication_date")
        published = dates.read(node.text) if node else None
        if not node or not published:
            return
        # A day without a time is news until its end.
        published = published if "T" in published else f"{published}T23:59:59Z"
        age = datetime.fromisoformat(entry.now) - datetime.fromisoformat(published)
        if age > timedelta(hours=protocol.NEWS_HOURS):
            sentence = f"Published {node.text}, over {protocol.NEWS_HOURS} hours ago"
            entry("news-old", node.line, sentence)
