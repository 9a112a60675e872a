"""What stands on the pages of the sample site, part by part; the mistakes are on purpose."""

from __future__ import annotations

import json
from html import escape
from typing import Any

from jovial_atlas.demo.builder import (
    OLD_HOST,
    URL,
    SiteBuilder,
    figure,
    link_list,
    paragraphs,
)

#: The home page and the German one are versions of each other.
_VERSIONS = (
    f'<link rel="alternate" hreflang="en-GB" href="{URL}/">',
    f'<link rel="alternate" hreflang="de" href="{URL}/de/">',
)


def write_root(site: SiteBuilder) -> None:
    site.page(
        "/", "Marrowfen Wetland Reserve",
        figure("reedbed-dawn", "The reedbed at Marrowfen at sunrise")
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
    _write_helpers(site)


def _write_helpers(site: SiteBuilder) -> None:
    """Pages that help people along, and those that nobody should find."""
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


def write_field_notes(site: SiteBuilder) -> None:
    notes = site.content["field-notes"]
    for note in notes:
        write_note(site, note)
        for tag in note["tags"]:
            site.tags.setdefault(tag, []).append(note)
    site.page(
        "/field-notes/winter-roost/", "Draft: the winter roost",
        "<p>To be written when the count is in.</p>",
        head=('<meta name="robots" content="noindex">',),
    )  # fmt: skip
    site.page(
        "/field-notes/", "Field notes", link_list("field-notes", notes),
        description="What the wardens and volunteers of Marrowfen saw this week, and last year.",
    )  # fmt: skip


def write_note(site: SiteBuilder, note: dict[str, Any]) -> None:
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
        + figure(note["picture"], note["alt"]) + paragraphs(note) + _film(note)
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


def write_events(site: SiteBuilder) -> None:
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
            f'<span class="price">{event["price"]} pounds</span>.</p>' + paragraphs(event),
            description=event["text"][0],
            head=(f'<script type="application/ld+json">{data}</script>',),
            canonical=wrong if event["slug"] == "winter-wildfowl-count" else "",
        )  # fmt: skip
    site.page(
        "/events/", "Guided walks and events", link_list("events", events),
        description="Walks, counts and working days at Marrowfen in the coming weeks.",
    )  # fmt: skip


def write_species(site: SiteBuilder) -> None:
    for species in site.content["species"]:
        site.page(
            f"/species/{species['slug']}/", species["title"],
            f"<p><i>{species['name']}</i></p>"
            + figure(species["picture"], species["title"]) + paragraphs(species)
            + species.get("more", ""),
            description=species["text"][0],
        )  # fmt: skip
    site.page(
        "/species/", "Species", link_list("species", site.content["species"]),
        description="Birds, mammals, frogs and dragonflies of Marrowfen, with where to look.",
    )  # fmt: skip


def write_hides(site: SiteBuilder) -> None:
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
    for hide in site.content["hides"]:
        poster = f' poster="/pictures/{hide["poster"]}.jpg"' if hide["poster"] else ""
        published = site.moment(hide["days"])
        site.page(
            f"/hides/{hide['slug']}/", hide["title"],
            f'<figure><video controls width="320" height="180"{poster}>'
            f'<source src="/films/{hide["film"]}.mp4" type="video/mp4"></video>'
            f"<figcaption>{hide['caption']}</figcaption></figure>" + paragraphs(hide),
            description=hide["caption"],
            head=(f'<meta property="article:published_time" content="{published}">',),
        )  # fmt: skip
    site.page(
        "/hides/", "Hide cameras", link_list("hides", site.content["hides"]),
        description="Short films from the cameras at Marrowfen's hides.",
    )  # fmt: skip


def write_shop(site: SiteBuilder) -> None:
    for article in site.content["shop"]:
        site.page(
            f"/shop/{article['slug']}/", article["title"],
            figure(article["picture"], article["title"]) + paragraphs(article)
            + f'<p class="facts"><span class="price">{article["price"]} pounds</span>, article '
            f'<span class="sku">{article["sku"]}</span>.</p>',
            heading=article["title"] or "Meadow seed mix",
            description="" if article["slug"] == "heron-mug" else article["text"][0],
        )  # fmt: skip
    site.page(
        "/shop/", "Shop", link_list("shop", site.content["shop"]),
        description="A few good things from the shop in the visitor barn.",
    )  # fmt: skip
    basket = site.folder / "shop/willow-basket/index.html"
    text = basket.read_text("utf-8").replace("Woven", "Woven à la main")
    basket.write_bytes(text.encode("windows-1252"))


def write_cafe(site: SiteBuilder) -> None:
    for dish in site.content["cafe"]:
        site.page(
            f"/cafe/{dish['slug']}/", dish["title"],
            figure(dish["picture"], dish["title"]) + paragraphs(dish) + _recipe(dish),
            description=dish["text"][0],
        )  # fmt: skip
    site.page(
        "/cafe/", "Café recipes", link_list("cafe", site.content["cafe"]),
        description="What we cook in the Café on the Dyke, to try at home.",
    )  # fmt: skip


def _recipe(recipe: dict[str, Any]) -> str:
    items = "".join(f"<li>{escape(item)}</li>" for item in recipe["ingredients"])
    steps = "".join(f"<li>{escape(step)}</li>" for step in recipe["steps"])
    return (
        f'<p class="facts">For <span class="serves">{recipe["serves"]} people</span>; prepared in '
        f'<span class="prep">{recipe["prep"]}</span>, cooked for '
        f'<span class="cook">{recipe["cook"]}</span>'
        f".</p><ul>{items}</ul><ol>{steps}</ol>"
    )


def write_volunteer(site: SiteBuilder) -> None:
    more = {
        "cafe-helper": ('<meta name="robots" content="index, folow">',),
        "hide-host": ('<meta name="description" content="Become a hide host at Marrowfen.">',),
    }
    for role in site.content["volunteer"]:
        site.page(
            f"/volunteer/{role['slug']}/", role["title"],
            paragraphs(role) + f'<p class="facts">Offered since <time class="posted" datetime='
            f'"{site.moment(role["days"])}">{site.moment(role["days"])[:10]}</time>; '
            '<span class="employment">volunteer</span>, at '
            '<span class="place">Visitor barn</span>, '
            '<span class="address">Sedge Lane, Marrowfen</span>.</p>',
            description=role["text"][0], head=more.get(role["slug"], ()),
        )  # fmt: skip
    site.page(
        "/volunteer/", "Volunteer", link_list("volunteer", site.content["volunteer"]),
        description="Three jobs that need you, for a day a week or an hour a month.",
    )  # fmt: skip


def write_places(site: SiteBuilder) -> None:
    second = f'<link rel="canonical" href="{URL}/places/">'
    for spot in site.content["places"]:
        path = f"/places/{spot['slug']}/"
        site.page(
            path, spot["title"],
            figure(spot["picture"], spot["title"]) + paragraphs(spot)
            + f'<p class="facts">{spot["hours"]}. {spot["address"]}. Telephone 01632 960 018.</p>',
            description=spot["text"][0],
            head=(second,) if spot["slug"] == "cafe" else (),
            canonical=f"{OLD_HOST}{path}" if spot["slug"] == "field-school" else "",
        )  # fmt: skip
    site.page(
        "/places/", "Places", link_list("places", site.content["places"]),
        description="The barn, the café and the field school: where they are and when they open.",
    )  # fmt: skip


def write_tags(site: SiteBuilder) -> None:
    for tag in site.content["tags"]["names"]:
        notes = site.tags.get(tag, [])
        body = link_list("field-notes", notes) if notes else "<p>Nothing here yet.</p>"
        site.page(f"/tags/{tag}/", f"Notes about {tag}", body,
                  description=f"All field notes about {tag}.")  # fmt: skip


def write_authors(site: SiteBuilder) -> None:
    for slug, name in site.content["authors"].items():
        notes = [note for note in site.content["field-notes"] if note["author"] == name]
        site.page(f"/authors/{slug}/", name, link_list("field-notes", notes),
                  description=f"Field notes by {name}.")  # fmt: skip


def write_archive(site: SiteBuilder) -> None:
    notes = site.content["field-notes"]
    years = sorted({site.moment(note["days"])[:4] for note in notes})
    for year in years:
        found = [note for note in notes if site.moment(note["days"])[:4] == year]
        site.page(f"/archive/{year}/", "Field notes by year", link_list("field-notes", found))


def write_picture_pages(site: SiteBuilder) -> None:
    for name, title in site.content["pictures"].items():
        site.page(f"/picture-pages/{name}/", title, figure(name, title))


def write_print(site: SiteBuilder) -> None:
    for note in site.content["field-notes"][:2]:
        hidden = note["slug"] == "dawn-at-the-reedbed"
        site.page(
            f"/print/{note['slug']}/", f"{note['title']} (to print)", paragraphs(note),
            canonical=f"{URL}/field-notes/{note['slug']}/",
            head=('<meta name="robots" content="noindex">',) if hidden else (),
        )  # fmt: skip


def write_german(site: SiteBuilder) -> None:
    for one in site.content["de"]:
        site.page(f"/de/{one['slug']}/", one["title"], paragraphs(one),
                  description=one["text"][0], language="de")  # fmt: skip
    site.page(
        "/de/", "Naturschutzgebiet Marrowfen", link_list("de", site.content["de"]),
        description="Schilf, Wasser und vier Beobachtungshütten: Ihr Besuch in Marrowfen.",
        language="de", head=_VERSIONS,
    )  # fmt: skip
