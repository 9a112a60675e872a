"""Laying out the sample site: about 75 built pages with pictures, films and the usual mistakes.

Dates are counted from the day given, so that news and events stay fresh. The mistakes are
on purpose, one of each kind, so that every check has something to show; `MISTAKES` lists them.
"""

from __future__ import annotations

import json
import shutil
import tomllib
from dataclasses import dataclass, field
from datetime import UTC, datetime, time, timedelta
from html import escape
from importlib.resources import files
from pathlib import Path
from typing import Any

from jinja2 import Environment

URL = "https://www.marrowfen.example"
#: The host where the site stood while it was being built.
OLD_HOST = "https://marrowfen.hosting.example"
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


@dataclass
class _Site:
    """The site while it is laid out."""

    folder: Path
    today: datetime
    content: dict[str, Any]
    template: Any
    pages: int = 0
    tags: dict[str, list[dict[str, Any]]] = field(default_factory=dict)

    def page(
        self,
        path: str,
        title: str,
        body: str,
        *,
        description: str = "",
        heading: str = "",
        head: tuple[str, ...] = (),
        language: str = "",
        canonical: str | None = "",
    ) -> None:
        """Write the page at `path`; `canonical` "" names itself, None names nothing."""
        named = f"{URL}{path}" if canonical == "" else canonical
        lines = ([f'<link rel="canonical" href="{named}">'] if named else []) + list(head)
        text = self.template.render(
            title=title, heading=heading, description=description, head=lines, body=body,
            language=language,
        )  # fmt: skip
        name = f"{path}index.html" if path.endswith("/") else path
        place = self.folder / name.lstrip("/")
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text(text + "\n", "utf-8")
        self.pages += 1

    def moment(self, days: int, hour: int = 9) -> str:
        """A moment so many days from today, with its zone."""
        day = (self.today + timedelta(days=days)).date()
        return datetime.combine(day, time(hour), UTC).isoformat()


def _site(folder: Path, today: datetime) -> _Site:
    here = files("jovial_atlas.demo")
    environment = Environment(autoescape=True)
    return _Site(
        folder,
        today,
        tomllib.loads((here / "content.toml").read_text("utf-8")),
        environment.from_string((here / "templates/page.html").read_text("utf-8")),
    )


def write_later(folder: Path, today: datetime) -> None:
    """Write the field note that is added while a month passes."""
    site = _site(folder, today)
    for note in site.content["later"]:
        _note(site, note)


def lay_out(folder: Path, today: datetime) -> int:
    """Write the built site into `folder`; gives back how many pages it has."""
    here, site = files("jovial_atlas.demo"), _site(folder, today)
    pictures = folder / "pictures"
    films = folder / "films"
    for place in (pictures, films):
        place.mkdir(parents=True, exist_ok=True)
    for media in sorted((here / "media").iterdir(), key=lambda item: item.name):
        target = films if media.name.endswith(".mp4") else pictures
        (target / media.name).write_bytes(media.read_bytes())
    for name in ("style.css", "robots.txt", "old-sitemap.xml"):
        (folder / name).write_bytes((here / "templates" / name).read_bytes())
    (folder / "marrowfen-map.pdf").write_bytes(_map())
    for write in (
        _root, _field_notes, _events, _species, _hides, _shop, _cafe, _volunteer, _places,
        _tags, _authors, _archive, _picture_pages, _print, _german,
    ):  # fmt: skip
        write(site)
    return site.pages


def remove(folder: Path) -> None:
    """Remove a site that was laid out before."""
    for name in (*OWN_NAMES, ".jovial-atlas"):
        shutil.rmtree(folder / name, ignore_errors=True)


def _text(page: dict[str, Any]) -> str:
    return "\n".join(f"<p>{escape(text, quote=False)}</p>" for text in page["text"])


def _picture(name: str, alt: str = "") -> str:
    return f'<p><img src="/pictures/{name}.jpg" alt="{escape(alt)}" width="960" height="540"></p>'


def _listing(folder: str, pages: list[dict[str, Any]]) -> str:
    links = "\n".join(
        f'<li><a href="/{folder}/{page["slug"]}/">{escape(page["title"] or "Seed mix")}</a></li>'
        for page in pages
    )
    return f"<ul>\n{links}\n</ul>"


#: The home page and the German one are versions of each other.
_VERSIONS = (
    f'<link rel="alternate" hreflang="en-GB" href="{URL}/">',
    f'<link rel="alternate" hreflang="de" href="{URL}/de/">',
)


def _root(site: _Site) -> None:
    site.page(
        "/", "Marrowfen Wetland Reserve",
        _picture("reedbed-dawn", "The reedbed at Marrowfen at sunrise")
        + "<p>Four square kilometres of reed, open water and alder wood, open every day of the "
        'year. Come for the <a href="/events/">guided walks</a>, stay for the '
        '<a href="/cafe/">café</a>, and read our <a href="/field-notes/">field notes</a> '
        'while it rains. The <a href="/marrowfen-map.pdf">map</a> fits on one page.</p>'
        '<p>New here? Begin with the <a href="/places/visitor-barn/">visitor barn</a> and the '
        '<a href="/questions/">questions people ask</a>.</p>',
        description="Reedbeds, open water and four hides: plan a visit to Marrowfen, see what is "
        "about, and join a guided walk.", head=_VERSIONS,
    )  # fmt: skip
    site.page(
        "/about/", "About the reserve",
        "<p>Marrowfen has been looked after by its neighbours for sixty years. A warden, two "
        "helpers and a hundred volunteers cut the reed, mend the paths and count the birds.</p>"
        '<p>See our <a href="/opening-times/">opening times</a>, the <a href="/places/">places</a> '
        'and how to <a href="/volunteer/">volunteer</a>. The <a href="/files/report.pdf">yearly '
        "report</a> is free.</p>",
        description="Who looks after Marrowfen, how it is paid for, and what we do all year.",
    )  # fmt: skip
    site.page(
        "/contact/", "Contact",
        "<p>Write to hello@marrowfen.example or call 01632 960 018 between nine and four. "
        "Letters reach us at the Visitor Barn, Sedge Lane, Marrowfen.</p>",
        description="Telephone, letters and the way to the visitor barn.",
    )  # fmt: skip
    site.page(
        "/privacy/", "Privacy",
        "<p>This site sets no cookies. If you write to us we keep your letter until it is "
        "answered. That is all there is to say.</p>",
        description="What we keep and for how long.",
    )  # fmt: skip
    site.page(
        "/thank-you/", "Thank you", "<p>Your message has arrived. We answer within a week.</p>"
    )
    site.page(
        "/search/", "Search",
        '<form action="/search/"><input name="q"><button>Search</button></form>'
        "<p>Type a word to look for it on this site.</p>",
        head=('<meta name="robots" content="noindex, follow">',),
    )  # fmt: skip
    site.page(
        "/404.html", "Page not found", "<p>There is no page at this address.</p>", canonical=None
    )
    site.page(
        "/walks/", "Walks", "<p>The walks have moved.</p>", canonical=None,
        head=('<meta http-equiv="refresh" content="0; url=/events/">',),
    )  # fmt: skip
    site.page(
        "/questions/", "Questions people ask",
        "<h2>May I bring my dog?</h2><p>Yes, on a lead, except between the sluice and the willow "
        "bridge in spring.</p><h2>Is the boardwalk level?</h2><p>Yes, for all of its two "
        "kilometres; wheelchairs are lent at the visitor barn.</p><h2>What does it cost?</h2>"
        "<p>The reserve is free. Guided walks cost between nothing and eight pounds.</p>",
        description="Dogs, wheelchairs, prices: short answers to what visitors ask us most.",
    )  # fmt: skip


def _field_notes(site: _Site) -> None:
    notes = site.content["field-notes"]
    for note in notes:
        _note(site, note)
        for tag in note["tags"]:
            site.tags.setdefault(tag, []).append(note)
    site.page(
        "/field-notes/winter-roost/", "Draft: the winter roost",
        "<p>To be written when the count is in.</p>",
        head=('<meta name="robots" content="noindex">',),
    )  # fmt: skip
    site.page(
        "/field-notes/", "Field notes", _listing("field-notes", notes),
        description="What the wardens and volunteers of Marrowfen saw this week, and last year.",
    )  # fmt: skip


def _note(site: _Site, note: dict[str, Any]) -> None:
    published = site.moment(note["days"])
    changed = site.moment(400) if note["slug"] == "snow-on-the-willows" else published
    head = (
        f'<meta property="article:published_time" content="{published}">',
        f'<meta property="article:modified_time" content="{changed}">',
        f'<meta name="author" content="{note["author"]}">',
    )
    tags = " ".join(f'<a href="/tags/{tag}/">{tag}</a>' for tag in note["tags"])
    author = note["author"].lower().replace(" ", "-")
    site.page(
        f"/field-notes/{note['slug']}/", note["title"],
        f'<p>By <a href="/authors/{author}/">{note["author"]}</a>, '
        f'<time datetime="{published}" class="published">{published[:10]}</time></p>'
        + _picture(note["picture"], note["alt"]) + _text(note) + _film(note)
        + f"<p>Tags: {tags}</p>",
        description=note["summary"], head=head,
    )  # fmt: skip


def _film(note: dict[str, Any]) -> str:
    if note["slug"] != "dawn-at-the-reedbed":
        return ""
    return (
        '<iframe src="https://play.reelstead.example/embed/fen-dawn-2" title="The same dawn" '
        'width="160" height="90"></iframe>'
    )


def _events(site: _Site) -> None:
    events = site.content["events"]
    for event in events:
        start = site.moment(event["days"], 8)
        data = json.dumps(
            {
                "@context": "https://schema.org", "@type": "Event", "name": event["title"],
                "startDate": start,
                "location": {"@type": "Place", "name": event["place"],
                             "address": "Sedge Lane, Marrowfen"},
            }
        )  # fmt: skip
        if event["slug"] == "reed-cutting-day":
            data = data.replace("}", ",", 1)
        wrong = f"{URL}/walks/winter-count/"
        site.page(
            f"/events/{event['slug']}/", event["title"],
            f'<p class="facts"><time class="starts" datetime="{start}">{start[:10]}, 8:00</time>, '
            f'<span class="place">{event["place"]}</span>, '
            '<span class="address">Sedge Lane, Marrowfen</span>, '
            f'<span class="price">{event["price"]} pounds</span>.</p>' + _text(event),
            description=event["text"][0],
            head=(f'<script type="application/ld+json">{data}</script>',),
            canonical=wrong if event["slug"] == "winter-wildfowl-count" else "",
        )  # fmt: skip
    site.page(
        "/events/", "Guided walks and events", _listing("events", events),
        description="Walks, counts and working days at Marrowfen in the coming weeks.",
    )  # fmt: skip


def _species(site: _Site) -> None:
    for one in site.content["species"]:
        site.page(
            f"/species/{one['slug']}/", one["title"],
            f"<p><i>{one['name']}</i></p>" + _picture(one["picture"], one["title"]) + _text(one),
            description=one["text"][0],
        )  # fmt: skip
    site.page(
        "/species/", "Species", _listing("species", site.content["species"]),
        description="Birds, mammals, frogs and dragonflies of Marrowfen, with where to look.",
    )  # fmt: skip


def _hides(site: _Site) -> None:
    whole = (site.folder / "films/heron-fishing.mp4").read_bytes()
    (site.folder / "films/spring-flood.mp4").write_bytes(whole[: len(whole) // 2])
    site.page(
        "/hides/dawn-film/", "Dawn over the reedbed",
        '<figure><iframe src="https://play.reelstead.example/embed/fen-dawn-1" width="640" '
        'height="360"></iframe><figcaption>Half an hour before sunrise, in a minute and a half.'
        "</figcaption></figure><p>Filmed from the tower hide by one of our volunteers, and kept "
        "where there is room for large films.</p>",
        description="The reedbed half an hour before sunrise, filmed from the tower hide.",
        head=(f'<meta property="article:published_time" content="{site.moment(-30)}">',),
    )  # fmt: skip
    for one in site.content["hides"]:
        poster = f' poster="/pictures/{one["poster"]}.jpg"' if one["poster"] else ""
        published = site.moment(one["days"])
        site.page(
            f"/hides/{one['slug']}/", one["title"],
            f'<figure><video controls width="320" height="180"{poster}>'
            f'<source src="/films/{one["film"]}.mp4" type="video/mp4"></video>'
            f"<figcaption>{one['caption']}</figcaption></figure>" + _text(one),
            description=one["caption"],
            head=(f'<meta property="article:published_time" content="{published}">',),
        )  # fmt: skip
    site.page(
        "/hides/", "Hide cameras", _listing("hides", site.content["hides"]),
        description="Short films from the cameras at Marrowfen's hides.",
    )  # fmt: skip


def _shop(site: _Site) -> None:
    for one in site.content["shop"]:
        site.page(
            f"/shop/{one['slug']}/", one["title"],
            _picture(one["picture"], one["title"]) + _text(one)
            + f'<p class="facts"><span class="price">{one["price"]} pounds</span>, article '
            f'<span class="sku">{one["sku"]}</span>.</p>',
            heading=one["title"] or "Meadow seed mix",
            description="" if one["slug"] == "heron-mug" else one["text"][0],
        )  # fmt: skip
    site.page(
        "/shop/", "Shop", _listing("shop", site.content["shop"]),
        description="A few good things from the shop in the visitor barn.",
    )  # fmt: skip
    basket = site.folder / "shop/willow-basket/index.html"
    text = basket.read_text("utf-8").replace("Woven", "Woven à la main")
    basket.write_bytes(text.encode("windows-1252"))


def _cafe(site: _Site) -> None:
    for one in site.content["cafe"]:
        site.page(
            f"/cafe/{one['slug']}/", one["title"],
            _picture(one["picture"], one["title"]) + _text(one) + _recipe(one),
            description=one["text"][0],
        )  # fmt: skip
    site.page(
        "/cafe/", "Café recipes", _listing("cafe", site.content["cafe"]),
        description="What we cook in the Café on the Dyke, to try at home.",
    )  # fmt: skip


def _recipe(one: dict[str, Any]) -> str:
    items = "".join(f"<li>{escape(item)}</li>" for item in one["ingredients"])
    steps = "".join(f"<li>{escape(step)}</li>" for step in one["steps"])
    return (
        f'<p class="facts">For <span class="serves">{one["serves"]} people</span>; prepared in '
        f'<span class="prep">{one["prep"]}</span>, cooked for <span class="cook">{one["cook"]}'
        f"</span>.</p><ul>{items}</ul><ol>{steps}</ol>"
    )


def _volunteer(site: _Site) -> None:
    more = {
        "cafe-helper": ('<meta name="robots" content="index, folow">',),
        "hide-host": ('<meta name="description" content="Become a hide host at Marrowfen.">',),
    }
    for one in site.content["volunteer"]:
        site.page(
            f"/volunteer/{one['slug']}/", one["title"],
            _text(one) + f'<p class="facts">Offered since <time class="posted" datetime='
            f'"{site.moment(one["days"])}">{site.moment(one["days"])[:10]}</time>; '
            '<span class="employment">volunteer</span>, at '
            '<span class="place">Visitor barn</span>, '
            '<span class="address">Sedge Lane, Marrowfen</span>.</p>',
            description=one["text"][0], head=more.get(one["slug"], ()),
        )  # fmt: skip
    site.page(
        "/volunteer/", "Volunteer", _listing("volunteer", site.content["volunteer"]),
        description="Three jobs that need you, for a day a week or an hour a month.",
    )  # fmt: skip


def _places(site: _Site) -> None:
    second = f'<link rel="canonical" href="{URL}/places/">'
    for one in site.content["places"]:
        path = f"/places/{one['slug']}/"
        site.page(
            path, one["title"],
            _picture(one["picture"], one["title"]) + _text(one)
            + f'<p class="facts">{one["hours"]}. {one["address"]}. Telephone 01632 960 018.</p>',
            description=one["text"][0],
            head=(second,) if one["slug"] == "cafe" else (),
            canonical=f"{OLD_HOST}{path}" if one["slug"] == "field-school" else "",
        )  # fmt: skip
    site.page(
        "/places/", "Places", _listing("places", site.content["places"]),
        description="The barn, the café and the field school: where they are and when they open.",
    )  # fmt: skip


def _tags(site: _Site) -> None:
    for tag in site.content["tags"]["names"]:
        notes = site.tags.get(tag, [])
        body = _listing("field-notes", notes) if notes else "<p>Nothing here yet.</p>"
        site.page(f"/tags/{tag}/", f"Notes about {tag}", body,
                  description=f"All field notes about {tag}.")  # fmt: skip


def _authors(site: _Site) -> None:
    for slug, name in site.content["authors"].items():
        notes = [note for note in site.content["field-notes"] if note["author"] == name]
        site.page(f"/authors/{slug}/", name, _listing("field-notes", notes),
                  description=f"Field notes by {name}.")  # fmt: skip


def _archive(site: _Site) -> None:
    notes = site.content["field-notes"]
    years = sorted({site.moment(note["days"])[:4] for note in notes})
    for year in years:
        found = [note for note in notes if site.moment(note["days"])[:4] == year]
        site.page(f"/archive/{year}/", "Field notes by year", _listing("field-notes", found))


def _picture_pages(site: _Site) -> None:
    for name, title in site.content["pictures"].items():
        site.page(f"/picture-pages/{name}/", title, _picture(name, title))


def _print(site: _Site) -> None:
    for note in site.content["field-notes"][:2]:
        hidden = note["slug"] == "dawn-at-the-reedbed"
        site.page(
            f"/print/{note['slug']}/", f"{note['title']} (to print)", _text(note),
            canonical=f"{URL}/field-notes/{note['slug']}/",
            head=('<meta name="robots" content="noindex">',) if hidden else (),
        )  # fmt: skip


def _german(site: _Site) -> None:
    for one in site.content["de"]:
        site.page(f"/de/{one['slug']}/", one["title"], _text(one),
                  description=one["text"][0], language="de")  # fmt: skip
    site.page(
        "/de/", "Naturschutzgebiet Marrowfen", _listing("de", site.content["de"]),
        description="Schilf, Wasser und vier Beobachtungshütten: Ihr Besuch in Marrowfen.",
        language="de", head=_VERSIONS,
    )  # fmt: skip


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
