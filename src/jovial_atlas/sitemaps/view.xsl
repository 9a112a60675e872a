<?xml version="1.0" encoding="UTF-8"?>
<!-- Shows a sitemap or an index of sitemaps to a person. Engines do not read this file. -->
<xsl:stylesheet version="1.0" exclude-result-prefixes="s@PREFIXES@"
  xmlns:xsl="http://www.w3.org/1999/XSL/Transform"
  xmlns:s="http://www.sitemaps.org/schemas/sitemap/0.9"@NAMESPACES@>
<xsl:output method="html" encoding="UTF-8" indent="no" doctype-system="about:legacy-compat"/>

@VARIABLES@
<xsl:variable name="hints" select="count(//s:changefreq) + count(//s:priority)"/>

<xsl:template match="/">
<html lang="en">
<head>
<meta name="viewport" content="width=device-width, initial-scale=1"/>
<meta name="robots" content="noindex"/>
<title>
  <xsl:choose>
    <xsl:when test="s:sitemapindex">Index of sitemaps</xsl:when>
    <xsl:otherwise>Sitemap</xsl:otherwise>
  </xsl:choose>
</title>
<style>
:root { --ink: #22302b; --soft: #5d6d66; --line: #d8dfd9; --ground: #fbfaf6; --mark: #0b6151; }
@media (prefers-color-scheme: dark) {
  :root { --ink: #e4ebe6; --soft: #a3b3ab; --line: #35443d; --ground: #151d1a; --mark: #74cdb7; }
}
body { margin: 0 auto; padding: 2rem 1.5rem 4rem; max-width: 80rem; background: var(--ground);
  color: var(--ink); font: 0.95rem/1.5 "DejaVu Sans", Verdana, sans-serif; }
h1 { font: 1.8rem/1.2 Georgia, "DejaVu Serif", serif; margin: 0; }
header { border-bottom: 3px solid var(--mark); padding-bottom: 1rem; margin-bottom: 1rem; }
header p { color: var(--soft); margin: .35rem 0 0; max-width: 60rem; }
dl { display: flex; flex-wrap: wrap; gap: .3rem 2rem; margin: .9rem 0 0; }
dl div { display: flex; flex-direction: column-reverse; }
dt { color: var(--soft); font-size: .82rem; }
dd { margin: 0; font: 1.35rem/1.2 Georgia, "DejaVu Serif", serif; font-variant-numeric: tabular-nums; }
table { border-collapse: collapse; width: 100%; }
th, td { text-align: left; padding: .4rem .75rem .4rem 0; vertical-align: top; border-bottom: 1px solid var(--line); }
th { font-size: .82rem; color: var(--soft); font-weight: normal; white-space: nowrap; position: sticky; top: 0; background: var(--ground); }
td.number, th.number { text-align: right; font-variant-numeric: tabular-nums; }
td.date { white-space: nowrap; font-variant-numeric: tabular-nums; }
td.loc { overflow-wrap: anywhere; min-width: 16rem; }
th button { all: unset; cursor: pointer; }
th button:hover, th button:focus-visible { color: var(--mark); text-decoration: underline; }
th[aria-sort="ascending"] button::after { content: " \25B2"; }
th[aria-sort="descending"] button::after { content: " \25BC"; }
a { color: var(--mark); text-decoration-thickness: 1px; text-underline-offset: .15em; }
.media { display: flex; flex-wrap: wrap; gap: .4rem; justify-content: flex-end; }
.media img { display: block; width: 5.6rem; height: 3.15rem; object-fit: cover; border-radius: 3px; background: var(--line); }
.media figure { margin: 0; width: 12rem; }
.media figure img { width: 12rem; height: 6.75rem; }
figcaption { font-size: .82rem; color: var(--soft); }
.more { align-self: center; color: var(--soft); font-size: .82rem; }
</style>
</head>
<body>
<xsl:apply-templates/>
<script><xsl:text disable-output-escaping="no">
document.querySelectorAll("th").forEach(function (head, column) {
  var button = document.createElement("button");
  button.textContent = head.textContent;
  head.textContent = "";
  head.appendChild(button);
  button.addEventListener("click", function () {
    var up = head.getAttribute("aria-sort") !== "ascending";
    document.querySelectorAll("th").forEach(function (one) { one.removeAttribute("aria-sort"); });
    head.setAttribute("aria-sort", up ? "ascending" : "descending");
    var body = document.querySelector("tbody");
    var rows = Array.prototype.slice.call(body.rows);
    var numeric = head.className === "number";
    var key = function (row) {
      var cell = row.cells[column];
      var text = cell.getAttribute("data-sort") || cell.textContent;
      return numeric ? Number(text) || 0 : text;
    };
    rows.sort(function (a, b) {
      var p = key(a), q = key(b);
      var order = numeric ? p - q : p.localeCompare(q);
      return up ? order : -order;
    });
    var all = document.createDocumentFragment();
    rows.forEach(function (row) { all.appendChild(row); });
    body.appendChild(all);
  });
});
</xsl:text></script>
</body>
</html>
</xsl:template>

<xsl:template name="count">
  <xsl:param name="of"/><xsl:param name="what"/>
  <xsl:if test="$of &gt; 0">
    <div><dt><xsl:value-of select="$what"/></dt>
    <dd><xsl:value-of select="format-number($of, '###,##0')"/></dd></div>
  </xsl:if>
</xsl:template>

<xsl:template match="s:sitemapindex">
<header>
<h1>Index of sitemaps</h1>
<p>This file tells search engines where the sitemaps of this site are. Each line leads to one of them.</p>
<dl>
  <xsl:call-template name="count"><xsl:with-param name="of" select="count(s:sitemap)"/><xsl:with-param name="what">sitemaps</xsl:with-param></xsl:call-template>
</dl>
</header>
<table>
<thead><tr><th class="number">No.</th><th>Sitemap</th><th>Newest change in it</th></tr></thead>
<tbody>
<xsl:for-each select="s:sitemap">
  <tr>
    <td class="number"><xsl:value-of select="position()"/></td>
    <td class="loc"><a href="{s:loc}"><xsl:value-of select="s:loc"/></a></td>
    <td class="date" data-sort="{s:lastmod}"><xsl:call-template name="date"/></td>
  </tr>
</xsl:for-each>
</tbody>
</table>
</xsl:template>

<xsl:template match="s:urlset">
<header>
<h1>Sitemap</h1>
<p>This file tells search engines which pages of this site there are and when they last changed.</p>
<dl>
  <xsl:call-template name="count"><xsl:with-param name="of" select="count(s:url)"/><xsl:with-param name="what">addresses</xsl:with-param></xsl:call-template>
@NUMBERS@
  <xsl:call-template name="count"><xsl:with-param name="of" select="count(s:url[not(s:lastmod)])"/><xsl:with-param name="what">without a date</xsl:with-param></xsl:call-template>
</dl>
</header>
<table>
<thead><tr>
  <th class="number">No.</th>
  <th>Address</th>
  <th>Last change</th>
@HEADS@
  <xsl:if test="$hints &gt; 0"><th>Changes</th><th class="number">Priority</th></xsl:if>
</tr></thead>
<tbody>
<xsl:for-each select="s:url">
  <tr>
    <td class="number"><xsl:value-of select="position()"/></td>
    <td class="loc"><a href="{s:loc}"><xsl:value-of select="s:loc"/></a></td>
    <td class="date" data-sort="{s:lastmod}"><xsl:call-template name="date"/></td>
@CELLS@
    <xsl:if test="$hints &gt; 0">
      <td><xsl:value-of select="s:changefreq"/></td>
      <td class="number"><xsl:value-of select="s:priority"/></td>
    </xsl:if>
  </tr>
</xsl:for-each>
</tbody>
</table>
</xsl:template>

<xsl:template name="date">
  <xsl:value-of select="substring(s:lastmod, 1, 10)"/>
  <xsl:if test="string-length(s:lastmod) &gt; 10">
    <xsl:text> </xsl:text><xsl:value-of select="substring(s:lastmod, 12, 5)"/>
  </xsl:if>
  <xsl:if test="not(s:lastmod)">–</xsl:if>
</xsl:template>
</xsl:stylesheet>
