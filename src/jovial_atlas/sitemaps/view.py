"""The style sheet that shows a sitemap to a person, put together from what extensions show."""

from __future__ import annotations

from collections.abc import Callable
from importlib.resources import files

from jovial_atlas.sitemaps.extensions import EXTENSIONS, Extension


def style_sheet() -> bytes:
    """The style sheet as XSLT 1.0, for all extensions."""
    text = (files("jovial_atlas.sitemaps") / "view.xsl").read_text(encoding="utf-8")
    for mark, made in _PARTS.items():
        text = text.replace(mark, "".join(map(made, EXTENSIONS.values())))
    return text.encode()


def _namespace(extension: Extension) -> str:
    return f'\n  xmlns:{extension.prefix}="{extension.namespace}"'


def _variable(extension: Extension) -> str:
    elements = f"count(//{extension.prefix}:{extension.name})"
    return f'<xsl:variable name="{extension.shown.variable}" select="{elements}"/>\n'


def _number(extension: Extension) -> str:
    shown = extension.shown
    if not shown.words:
        return ""
    return (
        f'  <xsl:call-template name="count"><xsl:with-param name="of" select="${shown.variable}"/>'
        f'<xsl:with-param name="what">{shown.words}</xsl:with-param></xsl:call-template>\n'
    )


def _head(extension: Extension) -> str:
    shown = extension.shown
    head = f'<th class="number">{shown.head}</th>' if shown.numeric else f"<th>{shown.head}</th>"
    return f'  <xsl:if test="${shown.variable} &gt; 0">{head}</xsl:if>\n'


def _cell(extension: Extension) -> str:
    shown = extension.shown
    opening = f"<td {shown.attributes}>" if shown.attributes else "<td>"
    test = f'<xsl:if test="${shown.variable} &gt; 0">'
    return f"    {test}{opening}{shown.cell}</td></xsl:if>\n"


def _prefix(extension: Extension) -> str:
    return f" {extension.prefix}"


#: Mark in the file → what stands there for each extension.
_PARTS: dict[str, Callable[[Extension], str]] = {
    "@PREFIXES@": _prefix,
    "@NAMESPACES@": _namespace,
    "@VARIABLES@\n": _variable,
    "@NUMBERS@\n": _number,
    "@HEADS@\n": _head,
    "@CELLS@\n": _cell,
}
