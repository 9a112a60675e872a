"""What the page table and its verdicts show: duplicates, contradictions.

Each function takes the decided page table and gives faults; no file is opened, but for
`exists`, which is handed in to tell whether an address that is no page leads to a file. A table
may have many millions of rows: each takes of it only what it tells of.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Sequence

import polars as pl

from jovial_atlas import addresses
from jovial_atlas.faults import Fault, plural
from jovial_atlas.robots import Matcher, RobotsFile
from jovial_atlas.rules import barred
from jovial_atlas.rules.own import guards, refused_fields
from jovial_atlas.sitefile import SiteFile

_TEXTS = ("title", "description")


def check_texts(decided: pl.LazyFrame) -> Iterator[Fault]:
    """Missing and duplicate titles and descriptions of listed pages. Versions in other languages
    are told apart by these."""
    # Documents have no head that a title could stand in.
    listed = decided.filter("listed", (pl.col("kind") != "document").fill_null(True))
    bare = _bare_sources(listed, _TEXTS)
    for name in _TEXTS:
        missing = listed.filter(pl.col(name).is_null())
        for source, count in bare[name]:
            missing = missing.filter(pl.col("source") != source)
            message = (
                f"None of its {count:,} listed pages has a {name}: the source gives none. Name the "
                f"field that holds it in `columns`, or write a pattern into [head] or a section."
            )
            yield Fault(f"{name}-missing", source, message)
        for loc in _locs(missing):
            yield Fault(f"{name}-missing", loc, f"The page has no {name}.")
        for text, locs in _shared(listed.filter(pl.col(name).is_not_null()), name):
            yield Fault(
                f"{name}-duplicate",
                locs[0],
                f"{plural(len(locs), 'page')} share the {name} {_short(text)!r}: {_some(locs)}.",
            )


def _locs(pages: pl.LazyFrame) -> pl.Series:
    return pages.select("loc").collect(engine="streaming").get_column("loc")


def _shared(pages: pl.LazyFrame, name: str) -> Iterator[tuple[str, list[str]]]:
    """Texts that several pages of a language have, with their addresses."""
    key = pl.col(name).hash(5) ^ pl.col("language").hash(6)
    keys = pages.select(key=key).collect(engine="streaming").get_column("key")
    again = keys.filter(keys.is_duplicated()).unique()
    if not again.len():
        return
    shared = (
        pages.filter(key.is_in(again.implode()))
        .select("loc", "language", name)
        .collect(engine="streaming")
        .group_by(name, "language")
        .agg(pl.col("loc").sort())
        .filter(pl.col("loc").list.len() > 1)
        .sort(name, "language")
    )
    yield from shared.select(name, "loc").iter_rows()


#: From so many records on, a text that none of them has is told once.
_MANY_RECORDS = 100


def _bare_sources(
    listed: pl.LazyFrame, names: Sequence[str]
) -> dict[str, list[tuple[str, int]]]:
    """For each text the sources of records (pages that were read themselves are told one by one) of
    which no page has it: name, and how many pages."""
    unread = pl.col("digest").is_null().all()
    counted = (
        listed.group_by("source")
        .agg(pl.len(), *(pl.col(name).is_null().all() & unread for name in names))
        .filter(pl.col("len") >= _MANY_RECORDS, pl.col("source").is_not_null())
        .sort("source")
        .collect(engine="streaming")
    )
    return {
        name: list(counted.filter(name).select("source", "len").iter_rows()) for name in names
    }


def _short(text: str) -> str:
    return text if len(text) <= 70 else text[:67].rstrip() + "…"


def _some(locs: list[str], most: int = 4) -> str:
    paths = [addresses.path_and_query(loc) for loc in locs]
    more = f" and {len(paths) - most:,} more" if len(paths) > most else ""
    return ", ".join(paths[:most]) + more


_HTML = r"(?i)\.x?html?$"


def is_html(path: str) -> bool:
    """Whether a path is that of a file of HTML."""
    return re.search(_HTML, path) is not None


def check_languages_said(decided: pl.LazyFrame) -> Iterator[Fault]:
    """Listed pages of HTML that do not say in which language they are."""
    html = pl.col("path").str.contains(_HTML)
    mute = _locs(decided.filter("listed", pl.col("language").is_null(), html)).to_list()
    if mute:
        has = "has" if len(mute) == 1 else "have"
        message = f"{plural(len(mute), 'page')} {has} no lang: {_some(mute)}."
        yield Fault("language-missing", mute[0], message)


def check_canonicals(decided: pl.LazyFrame, site: SiteFile) -> Iterator[Fault]:
    """Canonicals that lead off the site, to nothing, or to pages that cannot be indexed."""
    joined = _with_targets(decided)
    origin = site.model.site.url
    hosts: dict[str, list[str]] = {}
    shared: dict[str, list[str]] = {}
    for row in joined.iter_rows(named=True):
        loc, canonical = row["loc"], row["canonical"]
        if not row["index"]:
            yield Fault(
                "noindex-canonical", loc, f"It says noindex and names {canonical} as canonical."
            )
        if addresses.origin(canonical) != origin:
            hosts.setdefault(addresses.origin(canonical), []).append(loc)
        elif row["index_target"] is None:
            yield Fault("canonical-missing", loc, f"Its canonical {canonical} does not exist.")
        elif not row["index_target"] or row["redirect_target"]:
            why = "redirects" if row["redirect_target"] else "may not be indexed"
            yield Fault("canonical-unfindable", loc, f"Its canonical {canonical} {why}.")
        elif row["onward"] not in (None, canonical):
            back = row["onward"] == loc
            said = "names it in return" if back else f"names {row['onward']} in turn"
            code = "canonical-loop" if back else "canonical-chain"
            yield Fault(code, loc, f"Its canonical {canonical} {said}.")
        else:
            shared.setdefault(canonical, []).append(loc)
    for host, locs in hosts.items():
        yield Fault(
            "canonical-other-host",
            locs[0],
            f"{plural(len(locs), 'page')} {'names' if len(locs) == 1 else 'name'} "
            f"a canonical on {host}: {_some(locs)}.",
        )
    for canonical, locs in shared.items():
        if len(locs) > 1:
            yield Fault(
                "canonical-shared",
                canonical,
                f"{plural(len(locs), 'page')} name it as canonical: {_some(locs)}.",
            )


def _with_targets(decided: pl.LazyFrame) -> pl.DataFrame:
    """Pages with another page as canonical, with what is decided of that one."""
    other = pl.col("canonical").is_not_null() & (pl.col("canonical") != pl.col("loc"))
    about = decided.select("loc", "canonical", "index", "redirect")
    elsewhere = about.filter(other).collect(engine="streaming")
    named = pl.col("loc").is_in(elsewhere["canonical"].unique().implode())
    known = about.rename({"canonical": "onward"}).filter(
        named if elsewhere.height else pl.lit(False)
    )
    return elsewhere.join(
        known.collect(engine="streaming"), left_on="canonical", right_on="loc", how="left",
        suffix="_target", coalesce=True,
    ).sort("canonical", "loc")  # fmt: skip


def check_overrides(decided: pl.LazyFrame, site: SiteFile) -> Iterator[Fault]:
    """Overrides that a guard refuses, and those of pages that do not exist."""
    for name, refused in refused_fields(site, decided.collect_schema()).items():
        found = decided.filter(refused).select("loc", "author").collect(engine="streaming")
        for loc, author in found.iter_rows():
            who = f"by {author} " if author else ""
            message = f"The page {who}decides {name} for itself; {_guard(site, name)}."
            yield Fault("override-refused", loc, message)
    named = pl.Series(site.overrides.locs, dtype=pl.String)
    spoken = decided.select("loc", "section").filter(pl.col("loc").is_in(named.implode()))
    sections = dict(spoken.collect(engine="streaming").iter_rows()) if named.len() else {}
    for override in site.overrides:
        if override.loc in sections and not site.model.guard:
            continue
        where = f"{site.model.overrides.file}:{override.line}"
        if override.loc not in sections:
            yield Fault("override-unknown", where, f"{override.loc} is no page of the last survey.")
            continue
        for name in override.sets:
            if guards(site, name, sections[override.loc], override.by):
                message = f"{name} of {override.loc}: {_guard(site, name)}."
                yield Fault("override-refused", where, message)


def _guard(site: SiteFile, name: str) -> str:
    number, guard = next(
        (number, one) for number, one in enumerate(site.model.guard, 1) if name in one.fields
    )
    why = f" ({guard.reason})" if guard.reason else ""
    return f"guard {number} allows that to {', '.join(guard.authors) or 'nobody'} only{why}"


def check_noindex_seen(decided: pl.LazyFrame, robots: RobotsFile) -> Iterator[Fault]:
    """Pages whose own noindex no crawler will ever see."""
    matcher = Matcher(robots, "*")
    said = pl.col("directives").str.contains("noindex|none").fill_null(False)
    # What is decided here comes to the same: the tag or header stands where nobody looks.
    decided_so = ~pl.col("index") & (pl.col("kind") != "error")
    closed = barred(robots, _PATH, ["*"])
    for loc in _locs(decided.filter(said | decided_so, closed)) if closed is not None else ():
        rule = matcher.ask(addresses.path_and_query(loc)).rule
        yield Fault("noindex-disallowed", loc, f"{str(rule)!r} keeps its noindex unseen.")


#: Over `loc`: its path with its query.
_PATH = pl.col("loc").str.replace("^https?://[^/]+", "")


def hidden_pages(decided: pl.LazyFrame) -> list[str]:
    """Addresses that a server must keep out of the index: by tag, by header, or not there."""
    shown = pl.col("kind").is_in(["page", "document"]) & pl.col("redirect").is_null()
    return _locs(decided.filter(~pl.col("index") & shown)).to_list()


def check_engines(decided: pl.LazyFrame, robots: RobotsFile, site: SiteFile) -> Iterator[Fault]:
    """Listed pages that one engine's crawler may not fetch, though others may, and pages that
    may be indexed by all but one."""
    listed = decided.filter("listed")
    for engine in site.model.engine:
        for token in engine.crawlers:
            closed = barred(robots, _PATH, [token])
            refused = _locs(listed.filter(closed)).to_list() if closed is not None else []
            if refused:
                barred_from = f"{engine.name}'s crawler {token} may not fetch"
                message = f"{barred_from} {plural(len(refused), 'listed page')}: {_some(refused)}."
                yield Fault("engine-barred", engine.name, message)
            if token.lower() in _tokens(decided):
                own = pl.col("crawlers").struct.field(token.lower()).struct.field("index")
                hidden = _locs(listed.filter(~own)).to_list()
                if hidden:
                    barred_from = (
                        f"{plural(len(hidden), 'listed page')} may not be indexed by {token}"
                    )
                    yield Fault("engine-noindex", engine.name, f"{barred_from}: {_some(hidden)}.")


def check_given(site: SiteFile) -> Iterator[Fault]:
    """What was given to engines by hand, against what the structured data says."""
    publisher = site.model.publisher
    for engine in site.model.engine:
        if engine.profiles:
            for profile in sorted(set(engine.profiles) ^ set(publisher.profiles)):
                given = profile in engine.profiles
                where = "was given to it" if given else "is in the structured data"
                but = "is not in the structured data" if given else "was not given to it"
                message = f"The profile {profile!r} {where} and {but}."
                yield Fault("engine-profiles", engine.name, message)
        country = publisher.address.country
        if engine.country and country and engine.country != country:
            message = f"It was given the country {engine.country}; the address says {country}."
            yield Fault("engine-profiles", engine.name, message)


def _tokens(decided: pl.LazyFrame) -> list[str]:
    kind = decided.collect_schema().get("crawlers")
    return [one.name for one in kind.fields] if isinstance(kind, pl.Struct) else []


def check_pictures(decided: pl.LazyFrame, is_missing: Callable[[str], bool]) -> Iterator[Fault]:
    """Pictures of listed pages whose files are not where they should be."""
    shown = (
        decided.filter("listed", pl.col("images").list.len() > 0)
        .select("loc", pl.col("images").list.eval(pl.element().struct.field("loc")))
        .explode("images")
        .group_by("images")
        .agg(pl.col("loc").sort())
        .sort("images")
        .collect(engine="streaming")
    )
    for picture, pages in shown.iter_rows():
        if is_missing(picture):
            verb = "shows" if len(pages) == 1 else "show"
            message = f"{plural(len(pages), 'page')} {verb} it, and its file is not there: "
            yield Fault("picture-missing", picture, f"{message}{_some(pages)}.")


def check_links(decided: pl.LazyFrame, exists: Callable[[str], bool]) -> Iterator[Fault]:
    """Links to addresses of the site that are neither pages nor files, or that the server answers
    with an error."""
    linking = decided.select("loc", "links").filter(pl.col("links").list.len() > 0)
    targets = linking.select(pl.col("links").explode().unique()).collect(engine="streaming")
    if not targets.height:
        return
    answered = decided.filter((pl.col("status") < 400).fill_null(True)).select("loc")
    gone = frozenset(_locs(decided.filter(pl.col("status") >= 400)))
    missing = targets.lazy().join(answered, left_on="links", right_on="loc", how="anti")
    wanted = [
        target
        for target in missing.collect(engine="streaming").get_column("links").sort()
        if target is not None and (target in gone or not exists(target))
    ]
    some = pl.Series("links", wanted, pl.String)
    broken = (
        linking.explode("links")
        .filter(pl.col("links").is_in(some.implode()))
        .unique()
        .group_by("links")
        .agg(pl.col("loc").sort())
        .sort("links")
    )
    for target, pages in broken.collect(engine="streaming").iter_rows() if wanted else ():
        yield Fault(
            "link-broken",
            target,
            f"{plural(len(pages), 'page')} {'links' if len(pages) == 1 else 'link'} "
            f"to it and it does not exist: {_some(pages)}.",
        )
