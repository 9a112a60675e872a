"""What is thought of a page's structure, its links, its pictures and films, and its delivery."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping
from itertools import pairwise

from jovial_atlas import addresses
from jovial_atlas.faults import plural
from jovial_atlas.findings.marks import MarkState
from jovial_atlas.review.measures import PageMeasures
from jovial_atlas.review.reviewed import ReviewedPage
from jovial_atlas.review.verdict import Said, good_if, some

_Limits = Mapping[str, Mapping[str, float]]
_Marks = Iterator[tuple[str, Said]]
#: Formats that browsers show (HTML §4.8.3).
_SHOWN_FORMATS = frozenset({"", "jpeg", "jpg", "png", "gif", "webp", "avif", "svg", "apng", "ico"})
#: Headings of these levels part a page.
_SUBHEADINGS = (2, 3)


def judge_structure(page: ReviewedPage, limits: _Limits) -> _Marks:
    """Headings, lists, tables, language."""
    declared = "declared" if page.declares_language else "not declared"
    if page.is_whole:
        wanted = "lang on the html element"
        yield "language-declared", good_if(page.declares_language, declared, wanted)
    measures = page.measures
    if measures is None:
        return
    count, most = measures.main_headings, limits["heading-main"]["most"]
    fine = 1 <= count <= most
    if page.is_whole or count:  # a template may add it
        told = plural(count, "h1 element")
        yield "heading-main", good_if(fine, told, "one", nearly=count > 1)
    levels = [level for level, _, _ in measures.headings]
    skipped = [(one, other) for one, other in pairwise(levels) if other > one + 1]
    told = f"h{skipped[0][1]} follows h{skipped[0][0]}" if skipped else "none left out"
    if len(levels) > 1:
        yield "heading-order", good_if(not skipped, told, "none left out", nearly=True)
    if page.is_text and measures.words:
        yield "heading-spacing", _spacing(measures, limits["heading-spacing"]["most"])
    below = [linkable for level, _, linkable in measures.headings if level in _SUBHEADINGS]
    if len(below) > 1:
        told = f"{sum(below):,} of {len(below):,} have an id"
        yield "heading-ids", good_if(all(below), told, "all", nearly=True)
    if measures.lists or measures.lists_unmarked:
        told = f"{plural(measures.lists_unmarked, 'list')} written with signs alone"
        yield "lists-marked", good_if(not measures.lists_unmarked, told, "none", nearly=True)
    if measures.tables:
        told = f"{measures.tables_unmarked:,} of {plural(measures.tables, 'table')} without a head"
        yield "tables-marked", good_if(not measures.tables_unmarked, told, "none", nearly=True)


def _spacing(measures: PageMeasures, most: float) -> Said:
    words, before = measures.longest_stretch
    told = f"{words:,} words without one"
    if before and words > most:
        told += f", behind {before[:60]!r}"
    return good_if(
        words <= most, told, f"one at least every {most:g} words", nearly=words <= 2 * most
    )


def judge_links(page: ReviewedPage, limits: _Limits) -> _Marks:
    """Links to the page and from it."""
    if page.links_in is not None and not page.is_home:
        least = limits["links-in"]["least"] * (2 if page.important else 1)
        told = f"links from {plural(page.links_in, 'page')}"
        if page.usual_links_in:
            told += f"; half of its section has {page.usual_links_in:,.0f} or more"
        fine = page.links_in >= least
        yield "links-in", good_if(fine, told, f"at least {least:g}", nearly=page.links_in > 0)
    if page.leads:
        told = "; ".join(
            f"{addresses.path_and_query(target)} {why}" for target, why in page.leads[:3]
        )
        more = f" and {len(page.leads) - 3:,} more" if len(page.leads) > 3 else ""
        yield "links-lead", Said(MarkState.SHORT, told + more, "pages that are there and listed")
    elif page.leads is not None:
        yield (
            "links-lead",
            Said(
                MarkState.GOOD,
                "to pages that are there and listed",
                "pages that are there and listed",
            ),
        )
    if page.measures is not None and page.is_text:
        yield from _links_from(page.measures, limits)


def _links_from(measures: PageMeasures, limits: _Limits) -> _Marks:
    """Links that the text of a page has."""
    least = limits["links-within"]["least"]
    told = f"{plural(len(measures.within), 'page')} of the site in its text"
    fine = len(measures.within) >= least
    yield (
        "links-within",
        good_if(fine, told, f"at least {least:g}", nearly=len(measures.within) > 0),
    )
    least = limits["links-out"]["least"]
    told = plural(measures.links_out, "address", "addresses") + " of other sites"
    yield (
        "links-out",
        good_if(measures.links_out >= least, told, f"at least {least:g}", nearly=True),
    )
    if len(measures.within) + measures.links_out:
        called = some(
            [f"{said!r} for {addresses.path_and_query(to)}" for to, said in measures.mute]
        )
        few = len(measures.mute) <= 1
        yield (
            "links-said",
            good_if(
                not measures.mute,
                called or "all say where they lead",
                "where they lead",
                nearly=few,
            ),
        )


def judge_media(page: ReviewedPage, limits: _Limits) -> _Marks:
    """Alternative texts, weight, size and format of pictures; stills and words of films."""
    shown = page.measures.pictures if page.measures is not None else ()
    if shown:
        yield from _judge_alternatives(page)
    yield from _judge_files(page, limits)
    if page.films:
        bare = [one.name for one in page.films if not one.has_still]
        yield (
            "film-still",
            good_if(not bare, f"without: {some(bare)}" if bare else "all have one", "all"),
        )
        silent = [one.name for one in page.films if not one.has_words]
        told = f"neither for {some(silent)}" if silent else "all have one"
        yield "film-transcript", good_if(not silent, told, "captions or a transcript", nearly=True)


def _judge_alternatives(page: ReviewedPage) -> _Marks:
    shown = page.measures.pictures if page.measures is not None else []
    lacking = [addresses.path_and_query(one.loc) for one in shown if one.alt is None]
    told = (
        f"{len(lacking):,} of {len(shown):,} without: {some(lacking)}"
        if lacking
        else "all have one"
    )
    yield "alt-there", good_if(not lacking, told, "all", nearly=len(lacking) * 4 <= len(shown))
    said = Counter(alt for alt, _ in {(one.alt, one.loc) for one in shown if one.alt})
    same = [f"{alt!r} for {count:,}" for alt, count in said.items() if count > 1]
    if said:
        yield (
            "alt-own",
            good_if(not same, some(same) or "none are alike", "one for each", nearly=True),
        )
        names = [repr(one.alt) for one in shown if one.is_named_after_file]
        yield (
            "alt-words",
            good_if(not names, some(names) or "all are words", "words", nearly=len(names) == 1),
        )


def _judge_files(page: ReviewedPage, limits: _Limits) -> _Marks:
    known = page.pictures
    if not known:
        return
    most = limits["picture-weight"]["most"]
    weights = {loc: one.bytes for loc, one in known.items() if one.bytes is not None}
    heavy = [
        f"{addresses.path_and_query(loc)} has {size / 1e6:.1f} MB"
        for loc, size in weights.items()
        if size > most
    ]
    if weights:
        told = some(heavy) if heavy else f"the heaviest has {max(weights.values()) / 1e6:.2f} MB"
        worst = max(weights.values())
        yield (
            "picture-weight",
            good_if(not heavy, told, f"at most {most / 1e6:g} MB each", nearly=worst <= 2 * most),
        )
    times = limits["picture-size"]["most"]
    places = {
        one.loc: one.width for one in (page.measures.pictures if page.measures else ()) if one.width
    }
    sized = {
        loc: (wide, place)
        for loc, place in places.items()
        if loc in known and (wide := known[loc].width)
    }
    if sized:
        large = [
            f"{addresses.path_and_query(loc)} has {wide:,} px for {place:,}"
            for loc, (wide, place) in sized.items()
            if wide > times * place
        ]
        wanted = f"at most {times:g} times as wide as they are shown"
        yield (
            "picture-size",
            good_if(not large, some(large) or "all fit their place", wanted, nearly=True),
        )
    odd = [
        f"{addresses.path_and_query(loc)} is {one.format.upper()}"
        for loc, one in known.items()
        if one.format.lower() not in _SHOWN_FORMATS
    ]
    yield (
        "picture-format",
        good_if(not odd, some(odd) or "all are for the web", "JPEG, PNG, WebP, AVIF, GIF or SVG"),
    )


def judge_delivery(page: ReviewedPage, _limits: _Limits) -> _Marks:
    """What `check` knows of the page, its picture for sharing, its structured data."""
    if page.faults is not None:
        for code, severities in (
            ("found-errors", ("blocker", "error")),
            ("found-warnings", ("warning",)),
        ):
            met = [
                f"{one.code}: {one.message}" for one in page.faults if one.severity in severities
            ]
            told = "; ".join(met[:2]) + (f"; and {len(met) - 2:,} more" if len(met) > 2 else "")
            yield code, good_if(not met, told or "nothing found", "nothing found")
    if page.has_share_picture is not None:
        told = "there is one" if page.has_share_picture else "none"
        yield "share-picture", good_if(page.has_share_picture, told, "one", nearly=True)
    if page.has_data is not None and page.is_text:
        told = "there is some" if page.has_data else "none"
        yield "structured-data", good_if(page.has_data, told, "some", nearly=True)
