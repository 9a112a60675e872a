"""Writes the XML schemas that the tests hold written files to, from the facts of the protocol:
elements in order, how often each may stand, and the form of its text. They are kept apart from
the product's own table of rules, so that the one checks the other."""

from __future__ import annotations

from pathlib import Path

CORE = "http://www.sitemaps.org/schemas/sitemap/0.9"
GOOGLE = "http://www.google.com/schemas/sitemap-"
XHTML = "http://www.w3.org/1999/xhtml"

TYPES = """
 <xs:simpleType name="address"><xs:restriction base="xs:anyURI">
  <xs:pattern value="https?://[^/?#]+([/?][^#]*)?"/><xs:maxLength value="2047"/>
 </xs:restriction></xs:simpleType>
 <xs:simpleType name="moment"><xs:union memberTypes="xs:gYear xs:gYearMonth xs:date"><xs:simpleType>
  <xs:restriction base="xs:dateTime"><xs:pattern value=".*(Z|[+-]\\d\\d:\\d\\d)"/></xs:restriction>
 </xs:simpleType></xs:union></xs:simpleType>
 <xs:simpleType name="yesno"><xs:restriction base="xs:string">
  <xs:enumeration value="yes"/><xs:enumeration value="no"/>
 </xs:restriction></xs:simpleType>
"""
#: element: (form, least, most). Forms are the types above, of XML Schema, or facets of text.
URL = {
    "loc": ("address", 1, 1),
    "lastmod": ("moment", 0, 1),
    "changefreq": ("always|hourly|daily|weekly|monthly|yearly|never", 0, 1),
    "priority": ("decimal 0.0 1.0", 0, 1),
}
VIDEO = {
    "thumbnail_loc": ("address", 1, 1),
    "title": ("text 1 10000", 1, 1),
    "description": ("text 1 2048", 1, 1),
    "content_loc": ("address", 0, 1),
    "player_loc": ("address", 0, 1),
    "duration": ("decimal 1 28800", 0, 1),
    "expiration_date": ("moment", 0, 1),
    "rating": ("decimal 0.0 5.0", 0, 1),
    "content_segment_loc": ("attributes duration? https?://.+", 0, 99),
    "view_count": ("xs:nonNegativeInteger", 0, 1),
    "publication_date": ("moment", 0, 1),
    "tag": ("xs:string", 0, 32),
    "category": ("text 1 256", 0, 1),
    "family_friendly": ("yesno", 0, 1),
    "restriction": ("attribute relationship required [A-Z]{2}( [A-Z]{2})*", 0, 1),
    "gallery_loc": ("attributes title? https?://.+", 0, 1),
    "price": (r"attributes currency,type?,resolution? \d+(\.\d+)?", 0, 99),
    "requires_subscription": ("yesno", 0, 1),
    "uploader": ("attribute info optional .{1,255}", 0, 1),
    "platform": ("attribute relationship required (web|mobile|tv)( (web|mobile|tv))*", 0, 1),
    "live": ("yesno", 0, 1),
    "id": ("attributes type? .+", 0, 99),
}


#: Names of elements with an attribute → the pattern of their text.
TYPED: dict[str, str] = {}


def typed() -> str:
    named = "".join(
        f'<xs:simpleType name="{name}"><xs:restriction base="xs:string">'
        f'<xs:pattern value="{pattern}"/></xs:restriction></xs:simpleType>\n'
        for name, pattern in TYPED.items()
    )
    return (
        '<xs:simpleType name="relation"><xs:restriction base="xs:string"><xs:enumeration '
        f'value="allow"/><xs:enumeration value="deny"/></xs:restriction></xs:simpleType>\n{named}'
    )


def element(name: str, rule: tuple[str, int, int]) -> str:
    form, least, most = rule
    head = f'<xs:element name="{name}" minOccurs="{least}" maxOccurs="{most}"'
    kind, *limits = form.split(maxsplit=3) if form.startswith("attribute") else form.split()
    if kind == "attribute":
        attribute, use, pattern = limits
        form = "t:address" if attribute == "info" else "t:relation"
        TYPED[name] = pattern
        return (
            f'{head}><xs:complexType><xs:simpleContent><xs:extension base="t:{name}">'
            f'<xs:attribute name="{attribute}" use="{use}" type="{form}"/>'
            "</xs:extension></xs:simpleContent></xs:complexType></xs:element>"
        )
    if kind == "attributes":
        TYPED[name] = limits[1]
        given = "".join(
            f'<xs:attribute name="{one.rstrip("?")}" type="xs:string" '
            f'use="{"optional" if one.endswith("?") else "required"}"/>'
            for one in limits[0].split(",")
        )
        return (
            f'{head}><xs:complexType><xs:simpleContent><xs:extension base="t:{name}">'
            f"{given}</xs:extension></xs:simpleContent></xs:complexType></xs:element>"
        )
    if "|" in form:
        facets = "".join(f'<xs:enumeration value="{one}"/>' for one in form.split("|"))
        inner = f'<xs:restriction base="xs:string">{facets}</xs:restriction>'
    elif kind == "decimal":
        inner = (
            f'<xs:restriction base="xs:decimal"><xs:minInclusive value="{limits[0]}"/>'
            f'<xs:maxInclusive value="{limits[1]}"/></xs:restriction>'
        )
    elif kind == "text":
        inner = (
            f'<xs:restriction base="xs:string"><xs:minLength value="{limits[0]}"/>'
            f'<xs:maxLength value="{limits[1]}"/></xs:restriction>'
        )
    else:
        return f'{head} type="{kind if kind.startswith("xs:") else "t:" + kind}"/>'
    return f"{head}><xs:simpleType>{inner}</xs:simpleType></xs:element>"


def schema(space: str, body: str, imports: dict[str, str] | None = None) -> str:
    named = "".join(
        f' <xs:import namespace="{one}" schemaLocation="{file}"/>\n'
        for one, file in (imports or {}).items()
    )
    return (
        f'<xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" xmlns:t="{space}" '
        f'targetNamespace="{space}" elementFormDefault="qualified">\n{named}{TYPES}{body}</xs:schema>\n'
    )


def sequence(name: str, inner: str) -> str:
    return (
        f' <xs:element name="{name}"><xs:complexType><xs:sequence>\n{inner}\n'
        " </xs:sequence></xs:complexType></xs:element>\n"
    )


def write(folder: Path) -> dict[str, Path]:
    """Write the schemas; gives those of a urlset and an index."""
    extensions = {
        "image": sequence("image", element("loc", ("address", 1, 1))),
        "video": sequence("video", "\n".join(element(n, r) for n, r in VIDEO.items())),
        "news": sequence(
            "news",
            '<xs:element name="publication"><xs:complexType><xs:sequence>'
            + element("name", ("xs:string", 1, 1))
            + '<xs:element name="language"><xs:simpleType><xs:restriction base="xs:string">'
            '<xs:pattern value="[a-z]{2,3}|zh-cn|zh-tw"/></xs:restriction></xs:simpleType>'
            "</xs:element></xs:sequence></xs:complexType></xs:element>"
            + element("publication_date", ("moment", 1, 1))
            + element("title", ("xs:string", 1, 1)),
        ),
    }
    imports = {f"{GOOGLE}image/1.1": "image.xsd", f"{GOOGLE}video/1.1": "video.xsd",
               f"{GOOGLE}news/0.9": "news.xsd", XHTML: "xhtml.xsd"}  # fmt: skip
    for space, name in imports.items():
        body = extensions.get(name.removesuffix(".xsd"), "")
        body += typed() if name == "video.xsd" else ""
        if space == XHTML:
            body = (
                ' <xs:element name="link"><xs:complexType>'
                '<xs:attribute name="rel" use="required" fixed="alternate"/>'
                '<xs:attribute name="hreflang" use="required" type="xs:language"/>'
                '<xs:attribute name="href" use="required" type="t:address"/>'
                "</xs:complexType></xs:element>\n"
            )
        (folder / name).write_text(schema(space, body))
    url = "\n".join(element(name, rule) for name, rule in URL.items())
    url += '\n<xs:any namespace="##other" processContents="strict" minOccurs="0" maxOccurs="unbounded"/>'
    entry = url.replace("\n" + element("changefreq", URL["changefreq"]), "")
    found = {}
    for root, child, inner in (
        ("urlset", "url", url),
        ("sitemapindex", "sitemap", entry.partition('<xs:element name="changefreq"')[0]),
    ):
        body = (
            f' <xs:element name="{root}"><xs:complexType><xs:sequence>'
            f'<xs:element name="{child}" maxOccurs="50000"><xs:complexType><xs:sequence>\n{inner}\n'
            "</xs:sequence></xs:complexType></xs:element></xs:sequence></xs:complexType></xs:element>\n"
        )
        found[root] = folder / f"{root}.xsd"
        found[root].write_text(schema(CORE, body, imports if root == "urlset" else None))
    return found
