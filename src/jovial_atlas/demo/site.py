"""Laying out the sample site: about 75 built pages with pictures, films and the usual mistakes.

Dates are counted from the day given, so that news and events stay fresh. The mistakes are
on purpose, one of each kind, so that every check has something to show; `MISTAKES` lists them.
"""

from __future__ import annotations

import shutil
from datetime import datetime
from importlib.resources import files
from pathlib import Path

from jovial_atlas.demo.builder import (
    builder_of,
)
from jovial_atlas.demo.contents import (
    write_archive,
    write_authors,
    write_cafe,
    write_events,
    write_field_notes,
    write_german,
    write_hides,
    write_note,
    write_picture_pages,
    write_places,
    write_print,
    write_root,
    write_shop,
    write_species,
    write_tags,
    write_volunteer,
)

OWN_NAMES = ("public",)

#: Path of the page → what is wrong with it. The checks find each of them.
MISTAKES = {
    "/species/reed-bunting-female/": "shares its title with another page",
    "/shop/seed-mix/": "has no title",
    "/shop/heron-mug/": "has no description",
    "/shop/willow-basket/": "is not in the encoding it declares",
    "/events/winter-wildfowl-count/": "names a canonical that does not exist",
    "/events/reed-cutting-day/": "holds structured data that is not JSON",
    "/places/field-school/": "names the old temporary host as canonical",
    "/places/cafe/": "names two canonicals",
    "/hides/spring-flood/": "has a film that was cut off while it was uploaded",
    "/field-notes/dawn-at-the-reedbed/": "shows a film that its service no longer has",
    "/field-notes/snow-on-the-willows/": "says it changes in the future",
    "/volunteer/cafe-helper/": "misspells a robots directive",
    "/volunteer/hide-host/": "has two descriptions",
    "/about/": "links to pages that do not exist",
    "/walks/": "sends visitors on to /events/",
    "/print/dawn-at-the-reedbed/": "is noindexed and names another canonical",
    "/search/": "is noindexed, and barred by robots.txt so that nobody sees it",
    "/field-notes/winter-roost/": "is a draft that was published with noindex",
    "/picture-pages/starlings/": "is a page with nothing but a picture",
}


def write_later(folder: Path, today: datetime) -> None:
    """Write the field note that is added while a month passes."""
    site = builder_of(folder, today)
    for note in site.content["later"]:
        write_note(site, note)


#: Not as this tool writes it: what `inject` put into pages stays as it is.
_NOINDEX = b'<meta content="noindex" name="robots">'


def hide(folder: Path, *, hidden: bool) -> None:
    """Leave a noindex in the head of each page, as a template of a site that is being built does;
    or take it out again."""
    for path in folder.rglob("*.html"):
        bare = path.read_bytes().replace(_NOINDEX, b"")
        end = _NOINDEX + b"</head>"
        path.write_bytes(bare.replace(b"</head>", end, 1) if hidden else bare)


def write_last(folder: Path, today: datetime) -> None:
    """Write the field note that is added in the week that nobody watches."""
    site = builder_of(folder, today)
    for note in site.content["last"]:
        write_note(site, note)


def lay_out(folder: Path, today: datetime) -> int:
    """Write the built site into `folder`; gives back how many pages it has."""
    here, site = files("jovial_atlas.demo"), builder_of(folder, today)
    pictures = folder / "pictures"
    films = folder / "films"
    for path in (pictures, films):
        path.mkdir(parents=True, exist_ok=True)
    for media in sorted((here / "media").iterdir(), key=lambda item: item.name):
        target = films if media.name.endswith(".mp4") else pictures
        (target / media.name).write_bytes(media.read_bytes())
    for name in ("style.css", "robots.txt", "old-sitemap.xml"):
        (folder / name).write_bytes((here / "templates" / name).read_bytes())
    (folder / "marrowfen-map.pdf").write_bytes(_map())
    for write in (
        write_root, write_field_notes, write_events, write_species, write_hides, write_shop,
        write_cafe, write_volunteer, write_places, write_tags, write_authors, write_archive,
        write_picture_pages, write_print, write_german,
    ):  # fmt: skip
        write(site)
    return site.pages


def remove(folder: Path) -> None:
    """Remove a site that was laid out before."""
    for name in (*OWN_NAMES, ".jovial-atlas"):
        shutil.rmtree(folder / name, ignore_errors=True)


def _map() -> bytes:
    """A one-page PDF of the reserve: a path round a pool."""
    drawing = b"1 0 0 RG 4 w 100 100 m 300 80 l 480 220 l 420 420 l 180 460 l 90 260 l h S"
    objects = [
        b"<< /Type /Catalog /Pages 2 0 R >>",
        b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
        b"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 595 595] /Contents 4 0 R >>",
        b"<< /Length %d >>\nstream\n%s\nendstream" % (len(drawing), drawing),
    ]
    out = b"%PDF-1.4\n"
    offsets = []
    for number, body in enumerate(objects, start=1):
        offsets.append(len(out))
        out += b"%d 0 obj\n%s\nendobj\n" % (number, body)
    table = b"".join(b"%010d 00000 n \n" % offset for offset in offsets)
    return out + (
        b"xref\n0 5\n0000000000 65535 f \n%strailer\n<< /Size 5 /Root 1 0 R >>\n"
        b"startxref\n%d\n%%%%EOF\n" % (table, len(out))
    )
