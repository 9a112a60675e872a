"""What the sitemaps of before say, brought over: frequency and priority, which pages are listed,
films, the name of news, and addresses that another system serves."""

from __future__ import annotations

import csv
import io
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import partial
from typing import Any

import polars as pl

from jovial_atlas.faults import plural
from jovial_atlas.head.videos import Film
from jovial_atlas.media.fields import VideoRow, of_fields
from jovial_atlas.rounds.deciding.carried import AS_BEFORE, CarriedOver, Took, normal_address
from jovial_atlas.rounds.reading.published import OldSite
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.deciding import Decision
from jovial_atlas.sitefile.edit import add_rule, add_table, set_key
from jovial_atlas.sitefile.overrides import Override
from jovial_atlas.sitefile.parts import given_in
from jovial_atlas.sitefile.videos import SETTABLE, VideoOverride, video_overrides_text
from jovial_atlas.sitemaps.read import read_sitemap
from jovial_atlas.sitemaps.said import said_of_entries
from jovial_atlas.sources.records.listing import films_of_entry
from jovial_atlas.values import replace

_FILMS, _ELSEWHERE = "videos.csv", "listed-before.csv"
#: What an entry says of how its page is to be read.
_HINTS: tuple[tuple[str, type], ...] = (("priority", float), ("changefreq", str))
#: A section needs so many pages to say something by what of it was left out.
_LEAST = 2

EntryWords = Mapping[str, Mapping[str, str]]


def take_sitemaps(
    published: OldSite, survey: LastSurvey, rows: dict[str, Override], carried: CarriedOver
) -> None:
    """Bring over what the sitemaps say."""
    said = {
        loc: one for data in published.sitemaps for given, one in said_of_entries(data)
        if (loc := normal_address(given))
    }  # fmt: skip
    sections = dict(survey.decided.select("loc", "section").iter_rows())
    rules = _Rules(carried, survey.site)
    values = _hints(said, survey, rows, rules)
    listed = _listing(said, published, survey, rows, rules)
    rules.write()
    carried.took.append(
        Took("sitemaps", f"{plural(len(said), 'address', 'addresses')}; "
             f"{plural(len(rules.sets), 'rule')} for sections, {plural(values, 'value')} of single "
             f"pages, {plural(listed, 'page')} listed as before")
    )  # fmt: skip
    _news(said, survey.site, carried)
    _elsewhere(said, sections, published, survey.site, carried)
    _films(published, survey, carried)


class _Rules:
    """Rules for whole sections, one each."""

    def __init__(self, carried: CarriedOver, site: SiteFile) -> None:
        self._carried = carried
        self._site = site
        self.sets: dict[str, dict[str, Any]] = {}

    def add(self, section: str, **sets: Any) -> None:
        self.sets.setdefault(section, {}).update(sets)

    def write(self) -> None:
        """Add them to the site file, but for those that stand there already."""
        for section, sets in self.sets.items():
            if any(
                one.section == section and sets.items() <= given_in(one.set).items()
                for one in self._site.model.rule
            ):
                continue
            rule = {"section": section, "set": sets, "reason": AS_BEFORE}
            self._carried.edit(partial(add_rule, values=rule))


def _keep(rows: dict[str, Override], loc: str, **sets: Any) -> None:
    had = rows.get(loc, Override(loc, {}))
    rows[loc] = replace(had, sets={**sets, **had.sets}, reason=had.reason or AS_BEFORE)


def _hints(
    said: EntryWords, survey: LastSurvey, rows: dict[str, Override], rules: _Rules
) -> int:
    """Priorities and frequencies: what most pages of a section share becomes a rule, where all of
    them say something. Gives how many stay with single pages."""
    names = [name for name, _ in _HINTS]
    pages = survey.decided.filter(pl.col("loc").is_in(list(said))).select("loc", "section", *names)
    decided = {row["loc"]: row for row in pages.to_dicts()}
    by_section: dict[str, list[str]] = {}
    for loc in said:
        if loc in decided:
            by_section.setdefault(decided[loc]["section"], []).append(loc)
    count = 0
    for section, locs in by_section.items():
        for name, kind in _HINTS:
            values = {loc: value for loc in locs if (value := _read(said[loc], name, kind))}
            if all(decided[loc][name] == value for loc, value in values.items()):
                continue
            counts = Counter(values.values())
            usual, many = counts.most_common(1)[0] if counts else (None, 0)
            if len(values) == len(locs) and many >= max(_LEAST, len(locs) / 2):
                rules.add(section, **{name: usual})
                values = {loc: value for loc, value in values.items() if value != usual}
            other = {loc: v for loc, v in values.items() if decided[loc][name] != v}
            for loc, value in other.items():
                _keep(rows, loc, **{name: value})
            count += len(other)
    return count


def _read(said: Mapping[str, str], name: str, kind: type) -> Any:
    try:
        value = kind(said[name])
        Decision(**{name: value})
    except (KeyError, ValueError):
        return None
    return value


def _listing(
    said: EntryWords, published: OldSite, survey: LastSurvey, rows: dict[str, Override],
    rules: _Rules,
) -> int:  # fmt: skip
    """What a policy would take out stays listed; what was published and listed nowhere in a whole
    section stays out of it. Gives how many pages that turns."""
    known = set(published.pages["loc"]) if published.pages is not None else set()
    table = survey.decided.filter(pl.col("kind") == "page").select(
        "loc", "section", "listed", "index", "decided_by",
        by_policy=pl.col("decided_by").str.starts_with("policy "),
    )  # fmt: skip
    turned = 0
    for (section,), pages in table.group_by("section", maintain_order=True):
        was = pl.col("loc").is_in(list(said))
        lost = pages.filter(was, ~pl.col("listed"), "by_policy")
        whole = lost.height == pages.height >= _LEAST
        for loc, index in lost.select("loc", "index").iter_rows():
            sets = {"listed": True} if index else {"listed": True, "index": True}
            if whole:
                rules.add(str(section), **sets)
            else:
                _keep(rows, loc, **sets)
        new = pages.filter(~was, "listed", pl.col("loc").is_in(list(known)))
        if new.height >= _LEAST and not pages.filter(was).height:
            rules.add(str(section), listed=False)
            turned += new.height
        turned += lost.height
    return turned


def _news(said: EntryWords, site: SiteFile, carried: CarriedOver) -> None:
    news = next((one["news"] for one in said.values() if "news" in one), "")
    if not news:
        return
    if not site.model.sitemap.news_name:
        carried.edit(lambda text: set_key(text, "sitemap", "news_name", news))
    carried.took.append(Took("news", f"name of the publication: {news}", "say in a [[section]] "
                             "which pages are news: news = true"))  # fmt: skip


def _elsewhere(
    said: EntryWords, sections: Mapping[str, str], published: OldSite, site: SiteFile,
    carried: CarriedOver,
) -> None:  # fmt: skip
    """Addresses that were listed and are no page of the content: those that were no published page
    either are served by something else, and stay listed as a source of their own."""
    extra = {loc: one for loc, one in said.items() if loc not in sections}
    if not extra:
        return
    known = set(published.pages["loc"]) if published.pages is not None else None
    mine = f"{site.model.site.url}/"
    kept = [loc for loc in extra if known is not None and loc not in known and loc.startswith(mine)]
    left = [loc for loc in extra if loc not in set(kept)]
    if kept:
        carried.put(_ELSEWHERE, _list_of(kept, extra))
        source = {"kind": "list", "path": _ELSEWHERE, "name": "listed before"}
        if not any(getattr(one, "path", "") == _ELSEWHERE for one in site.model.source):
            carried.edit(lambda text: add_table(text, "source", source))
    taken = f"{plural(len(kept), 'address')} that another system seems to serve, as {kept[0]}: " \
            f"{_ELSEWHERE}" if kept else ""  # fmt: skip
    told = f"{plural(len(left), 'address is', 'addresses are')} no page of the content, as " \
           f"{left[0]}: `jovial-atlas moves import SITEMAP` finds where they could lead" \
           if left else ""  # fmt: skip
    carried.took.append(Took("other addresses", taken, told))


def _list_of(locs: Iterable[str], said: EntryWords) -> str:
    stream = io.StringIO()
    writer = csv.writer(stream, lineterminator="\n")
    writer.writerow(("loc", *(name for name, _ in _HINTS)))
    writer.writerows([loc, *(said[loc].get(name, "") for name, _ in _HINTS)] for loc in locs)
    return stream.getvalue()


@dataclass(frozen=True, slots=True)
class _OldFilm:
    """A video entry of a page."""

    loc: str
    values: VideoRow


def _films(published: OldSite, survey: LastSurvey, carried: CarriedOver) -> None:
    """What the sitemaps said of films that pages show, where the build would say something else,
    goes into the table of videos."""
    entries = list(_old_films(published.sitemaps))
    if not entries:
        return
    site = survey.site
    rows = {(one.loc, one.video): one for one in site.video_overrides}
    kept = same = 0
    lost: list[str] = []
    for entry in entries:
        film = _same_film(entry, survey.films.get(entry.loc, ()))
        if film is None:
            lost.append(entry.loc)
            continue
        sets = _other_values(entry, film)
        kept, same = kept + bool(sets), same + (not sets)
        if sets:
            had = rows.get((film.loc, film.name), VideoOverride(film.loc, film.name, {}))
            rows[film.loc, film.name] = replace(
                had, sets={**sets, **had.sets}, reason=had.reason or AS_BEFORE)  # fmt: skip
    if kept:
        name = site.model.videos.file or _FILMS
        if not site.model.videos.file:
            carried.edit(lambda text: set_key(text, "videos", "file", name))
        carried.put(name, video_overrides_text(rows.values()))
    left = (
        f"{plural(len(lost), 'film is', 'films are')} on no page of the content, as of {lost[0]}"
        if lost else ""
    )  # fmt: skip
    carried.took.append(
        Took("films", f"{same:,} of {len(entries):,} as they were; kept in the table of videos: "
             f"{kept:,}" if kept or same else "", left)
    )  # fmt: skip


def _old_films(files: Iterable[bytes]) -> Iterator[_OldFilm]:
    for data in files:
        if b"/sitemap-video/" in data or data[:2] == b"\x1f\x8b":
            for entry in read_sitemap(data, "", nodes=True).entries:
                loc = normal_address(entry.loc)
                for film in of_fields(films_of_entry(entry), lambda one: one, ()):
                    yield _OldFilm(loc, film)


def _same_film(old: _OldFilm, films: Iterable[Film]) -> Film | None:
    """The film of the page that an entry is about: by its address, or as the only one."""
    some = list(films)
    for film in some:
        pairs = ((film.values.content, old.values.get("content")),
                 (film.values.player, old.values.get("player")))  # fmt: skip
        if any(ours and ours == theirs for ours, theirs in pairs):
            return film
    return some[0] if len(some) == 1 else None


def _other_values(old: _OldFilm, film: Film) -> dict[str, Any]:
    values = {name: value for name, value in old.values.items() if name in SETTABLE}
    return {
        name: value for name, value in values.items()
        if value not in (None, "", []) and value != getattr(film.values, name)
    }  # fmt: skip


def listed_in(sitemaps: Iterable[bytes]) -> set[str]:
    """The addresses that sitemaps list."""
    return {normal_address(loc) for data in sitemaps for loc, _ in said_of_entries(data)} - {""}
