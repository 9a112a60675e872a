"""`explain`: one page, its verdict and everything published for it."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

import click

from jovial_atlas.cli.common import FORMATS, Work, atlas_command
from jovial_atlas.cli.names import PAGE_NAME

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.head.videos import Film
    from jovial_atlas.pages.page import Page
    from jovial_atlas.rounds.deciding.explain import Explained

#: What links say of a page.
_LINKS = ("links_in", "links_out", "content_links_in", "content_links_out", "depth", "weight",
          "weight_rank")  # fmt: skip
#: What was heard of its clicks and visits.
_TRAFFIC = ("clicks", "impressions", "visits", "position")


@atlas_command(
    "explain",
    state="reads",
    formats=FORMATS,
    examples=("explain /privacy/", "explain /events/owl-walk/ --format json"),
)
@click.argument("url", type=PAGE_NAME)
def command(work: Work, url: str) -> int:
    """Explain the page at URL (its address, or its path from '/' on): the verdict, the
    layers behind it, and everything that is published for it."""
    from jovial_atlas.rounds.deciding.explain import explain
    from jovial_atlas.rounds.state.last_survey import last_survey

    site, out = work.site(), work.output
    explained = explain(url, last_survey(site, work.now()), site)
    if out.format == "json":
        out.json(_as_json(explained))
    else:
        _show(out, explained)
    return 0


def _as_json(explained: Explained) -> dict[str, Any]:
    from msgspec import to_builtins
    from msgspec.structs import asdict

    page = explained.page
    head = to_builtins(explained.head)
    structured = head.pop("json_ld")
    del head["loc"]
    return {
        "loc": page.loc,
        "verdict": page.verdict,
        "reason": page.reason,
        "decided_by": page.decided_by,
        "section": page.section,
        "role": page.role,
        "source": page.source,
        "path": page.path,
        "lastmod": page.lastmod,
        "lastmod_from": page.lastmod_from,
        "read_from": explained.read_from,
        "layout": explained.layout,
        "merged": to_builtins(page.merged or []),
        "extra": page.extra or {},
        "repeats": page.variant_of,
        "layers": [
            {
                "layer": layer.name,
                "sets": layer.sets,
                "reason": layer.reason,
                "decides": list(layer.won),
                "crawlers": list(layer.crawlers),
            }
            for layer in explained.layers
        ],
        "links": {name: getattr(page, name) for name in _LINKS},
        "traffic": {name: getattr(page, name) for name in _TRAFFIC},
        "sitemap": explained.sitemap,
        "robots": explained.robots,
        "head": head,
        "lengths": explained.lengths,
        "structured_data": structured,
        "videos": [
            {"name": film.name, "why_not": film.why_not, "values": asdict(film.values),
             "from": film.origin}
            for film in explained.films
        ],
    }  # fmt: skip


def _show(out: Output, explained: Explained) -> None:
    page, head = explained.page, explained.head
    out.say(page.loc, style="bold")
    style = "bold green" if page.verdict == "listed" else "bold yellow"
    out.indented(f"{page.verdict}:", page.reason or "", style=style)
    out.indented("decided", f"by {page.decided_by}")
    if page.variant_of:
        out.indented("repeats", page.variant_of)
    out.indented("section", f"{page.section}; it is {_ROLES.get(page.role, page.role)}")
    # A table is its own source, and a query has no path.
    out.indented("source ", ", ".join(dict.fromkeys(filter(None, (page.source, page.path)))))
    dated = f"{page.lastmod or 'not known'}"
    if page.links_in is not None:
        out.indented("linked ", _linked(page))
    if clicked := _clicked(page):
        out.indented("clicked", clicked)
    out.indented("lastmod", dated + (f" (from {page.lastmod_from})" if page.lastmod else ""))
    out.indented("sitemap", ", ".join(explained.sitemap) or "in none of the files on disk")
    _show_reading(out, explained)
    rule = f" by {explained.robots['rule']!r}" if explained.robots["rule"] else ""
    allowed = "may be fetched" if explained.robots["allowed"] else "may not be fetched"
    out.indented("robots ", f"{allowed}{rule}; directives: {head.directives or 'none needed'}")
    _show_layers(out, explained)
    if page.merged:
        out.table(
            ["Also said by", "Of", "Value: fold", "Used"],
            [[one.source, one.column, one.value, one.used] for one in page.merged],
        )
    known = {key: value for key, value in (page.extra or {}).items() if value is not None}
    if known:
        out.indented("extra  ", json.dumps(known, ensure_ascii=False, default=str))
    _show_head(out, explained)
    for film in explained.films:
        _show_film(out, film)
    if head.json_ld:
        out.say("Structured data", style="bold")
        for node in head.json_ld["@graph"]:
            values = {key: value for key, value in node.items() if key not in ("@type", "@id")}
            out.indented(node["@type"], json.dumps(values, ensure_ascii=False))


#: What a page is, in words.
_ROLES = {
    "page": "a plain page", "home": "the home page", "article": "an article",
    "listing": "a listing of others", "paged": "a later page of a listing",
    "author": "a page about an author", "search": "a search page", "error": "an error page",
    "draft": "a draft", "picture": "a page that only shows a picture", "document": "a document",
    "product": "a page about a product", "event": "a page about an event", "feed": "a feed",
}  # fmt: skip
#: Places that values are taken from, in words where they do not speak for themselves.
_PLACES = {
    "words": "the line beside the heading", "html": "the html element", "byline": "the byline",
    "links": "links to pages of tags", "text": "the text itself", "feed": "a feed of the site",
    "place": "its address", "time": "a time element", "meta": "the head",
}  # fmt: skip


def _show_reading(out: Output, explained: Explained) -> None:
    """What was read from where, and what was passed over."""
    page = explained.page
    values = {
        "heading": page.heading, "language": page.language, "author": page.author,
        "tags": ", ".join(page.tags or ()), "published": page.published,
    }  # fmt: skip
    for name, value in values.items():
        if value:
            place = explained.read_from.get(name)
            said = f" (from {_PLACES.get(place, place)})" if place else ""
            out.indented(f"{name:<7}", f"{value}{said}")
    for name, passed in explained.layout.items():
        out.indented("layout ", f"{name} passed over: {', '.join(passed)}")


def _show_head(out: Output, explained: Explained) -> None:
    head = explained.head
    out.say("Head", style="bold")
    out.indented(
        "title      ",
        f"{head.title or 'none'} (from {head.title_from or 'nowhere'}"
        f"{_measured(explained.lengths['title'])})",
    )
    out.indented("description", f"{head.description or 'none'} "
                 f"(from {head.description_from or 'nowhere'}"
                 f"{_measured(explained.lengths['description'])})")  # fmt: skip
    out.indented("canonical  ", head.canonical)


def _show_film(out: Output, film: Film) -> None:
    from msgspec.structs import asdict

    out.say()
    out.say(f"Video {film.name}: {film.why_not or 'listed'}", style="bold")
    out.table(
        ["Field", "Value: fold", "From"],
        [
            [name, _shown(value), film.origin.get(name, "")]
            for name, value in asdict(film.values).items()
            if value is not None
        ],
    )


def _show_layers(out: Output, explained: Explained) -> None:
    """Every layer that says something of the page."""
    out.table(
        [
            "Layer, weakest first",
            "Says",
            "Decides",
            "Because: fold",
        ],
        [
            [
                f"{one.name}, for {', '.join(one.crawlers)}" if one.crawlers else one.name,
                ", ".join(_setting(name, value) for name, value in one.sets.items()),
                ", ".join(one.won),
                one.reason,
            ]
            for one in explained.layers
        ],
    )


def _measured(length: dict[str, int]) -> str:
    if not length:
        return ""
    return f"; {length['characters']} characters, {length['px']} px of {length['of']}"


def _linked(page: Page) -> str:
    """How readers come to a page over links."""
    from jovial_atlas.faults import plural

    content = f", {page.content_links_in:,} of them in the content" if page.links_in else ""
    far = "no way leads there from the start"
    if page.depth is not None:
        far = f"{plural(page.depth, 'click')} from the start" if page.depth else "the start page"
    rank = page.weight_rank or 0
    return (
        f"from {plural(page.links_in or 0, 'page')}{content}; {far}; more weight than {rank:.0%} "
        "of the others"
    )


def _clicked(page: Page) -> str:
    """How often it was clicked, shown and visited, as far as that is known."""
    from jovial_atlas.faults import plural

    parts = [plural(page.clicks, "click")] if page.clicks is not None else []
    if page.impressions is not None:
        place = f" at place {page.position:.1f}" if page.position is not None else ""
        parts.append(f"shown {plural(page.impressions, 'time')}{place}")
    parts += [plural(page.visits, "visit")] if page.visits is not None else []
    return f"{', '.join(parts)} in 28 days" if parts else ""


def _shown(value: object) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return ", ".join(value) if isinstance(value, list) else str(value)


def _setting(name: str, value: object) -> str:
    """`not index`, `priority 0.8`: what a layer says of one field."""
    if isinstance(value, bool):
        return name if value else f"not {name}"
    return f"{name} {value}"
