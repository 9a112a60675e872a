"""Writing head data into built HTML pages, and taking it out again."""

from __future__ import annotations

import difflib
import os
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from urllib.parse import unquote, urlsplit

import msgspec
import polars as pl

from jovial_atlas import addresses, patterns
from jovial_atlas.errors import AtlasError
from jovial_atlas.files import sweep, write_whole, writing
from jovial_atlas.head.compose import head_data
from jovial_atlas.head.tags import head_tags
from jovial_atlas.markup import (
    PLACES,
    Additions,
    ChangedError,
    PutLink,
    Tag,
    TrailPlace,
    block_mark,
    inject,
    restore,
    trail_place,
    without_block,
)
from jovial_atlas.pages import snapshot
from jovial_atlas.pages.page import Page, pages_of
from jovial_atlas.rounds.publishing.build.versions import versions_by_page
from jovial_atlas.rounds.publishing.injected import Injected, InjectState
from jovial_atlas.rounds.publishing.links import WantedLinks
from jovial_atlas.rounds.publishing.patterns import check_patterns
from jovial_atlas.rounds.state.last_survey import LastSurvey
from jovial_atlas.rounds.state.names import PAGE_TABLE
from jovial_atlas.rules.selectors import path_column
from jovial_atlas.sitefile import HtmlSource, SiteFile
from jovial_atlas.sitefile.heads import Snippets, SnippetsOfSome
from jovial_atlas.values import replace

_CHARSET = re.compile(rb"<meta[^>]+charset\s*=\s*[\"']?\s*([A-Za-z0-9_.:-]+)", re.I)
# What comments of ours keep is packed; nobody reads it.
_PACKED = re.compile(r"(<!-- (?:/head data|held: jovial-atlas)) [^>]*? -->")


def run_inject(
    site: SiteFile,
    survey: LastSurvey,
    *,
    match: str | None = None,
    remove: bool = False,
    anyway: bool = False,
    dry_run: bool = False,
    diffs: int = 0,
) -> Iterator[Injected]:
    """Write the head of each page of the last survey that is a file of an HTML folder, or with
    `remove` take it out again. The time of a file stays, since its content does. A file in which
    what was put in was changed by hand is skipped, or with `anyway` taken as near as it can be
    told. The first `diffs` changes are shown line by line. Raises AtlasError and SiteFileError
    before anything is written, and OutputError where a file cannot be.
    """
    check_patterns(site)
    sources = {
        one.name or one.path: one for one in site.model.source if isinstance(one, HtmlSource)
    }
    if not sources:
        raise AtlasError("No [[source]] of kind html: there is no page to write into.")
    pages = survey.decided.filter(
        pl.col("source").is_in(list(sources)) & pl.col("kind").is_in(["page", "error"])
    )
    if match:
        try:
            expression = patterns.to_regex(match)
        except ValueError as error:
            raise AtlasError(f"--match: {error}.") from None
        pages = pages.filter(pages.select(path_column(site))["_path"].str.contains(expression))
    versions = versions_by_page(survey)
    also = _beside(site)
    tidy: set[Path] = set()
    for page in pages_of(pages.sort("path")):
        path = site.folder / sources[page.source or ""].path / (page.path or "")
        if path.parent not in tidy:
            tidy.add(path.parent)
            if not dry_run:
                sweep(path.parent)
        tags = [] if remove else tags_of(page, survey, versions)
        added, told = _additions(page, also, survey)
        done = _written(path, page, tags, added, anyway=anyway, dry_run=dry_run, diff=diffs > 0)
        kept = done.state != InjectState.SKIPPED
        notes = (*done.notes, *told.notes)
        yield replace(done, alts=(*told.alts,), links=(*told.links,), notes=notes) if kept else done
        diffs -= done.state == InjectState.CHANGED


def tags_of(
    page: Page,
    survey: LastSurvey,
    versions: Mapping[str, Sequence[Mapping[str, str]]],
) -> list[Tag]:
    """The tags that belong into a page: `versions` are its language versions, by address."""
    site, settings, loc = survey.site, survey.heads, page.loc
    head = head_data(page, settings, survey.films.get(loc, ()), survey.head_context)
    tags = head_tags(head, page, settings, versions.get(loc, ()))
    if site.model.inject.drop_generator:
        tags.append(Tag("", ("generator",)))
    return tags


def keep_marks(survey: LastSurvey, done: Sequence[Injected]) -> None:
    """Let the page table know what files hold now, so that nothing needs to be surveyed to know
    which pages are as they were decided. Raises OutputError."""
    path = survey.site.shared_state / PAGE_TABLE
    marks = {one.loc: one.mark for one in done if one.state == InjectState.CHANGED}
    table = snapshot.load(path) if marks else None
    if table is None:
        return
    schema = {"loc": pl.String, "_mark": pl.String}
    new = pl.DataFrame({"loc": list(marks), "_mark": list(marks.values())}, schema)
    there = pl.col("injected") if "injected" in table.columns else pl.lit(None, pl.String)
    joined = table.join(new.with_columns(_new=True), on="loc", how="left", maintain_order="left")
    put = pl.when("_new").then("_mark").otherwise(there).alias("injected")
    snapshot.sink(joined.with_columns(put).drop("_new", "_mark").lazy(), path)


class _SomeSnippets(msgspec.Struct, frozen=True):
    """Snippets by place, and the pages that get them."""

    texts: dict[str, str]
    gets: Callable[[Page], bool]


class _Beside(msgspec.Struct, frozen=True):
    """What the site file wants beside head data: snippets, which links get `nofollow`, alt texts,
    links and the trail."""

    snippets: list[_SomeSnippets]
    is_nofollow: Callable[[str], bool] | None
    alts: bool
    wanted: WantedLinks
    trail: bool


@dataclass(slots=True)
class _Told:
    """What was added to a page and is told: texts of pictures, and links; and what could not be."""

    alts: list[str] = field(default_factory=list)
    links: list[str] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)


def _beside(site: SiteFile) -> _Beside:
    """Raises SiteFileError for a snippet whose file cannot be read."""
    settings = site.model.inject
    snippets = [_SomeSnippets(_texts(site, settings, ("inject",)), lambda _: True)]
    for number, some in enumerate(settings.for_some):
        texts = _texts(site, some, ("inject", "for", number))
        snippets.append(_SomeSnippets(texts, _getting(some, site)))
    return _Beside(
        snippets,
        patterns.matcher(settings.nofollow, [site.model.site.url]) if settings.nofollow else None,
        settings.alts,
        WantedLinks(site),
        settings.trail,
    )


def _texts(site: SiteFile, said: Snippets, where: tuple[str | int, ...]) -> dict[str, str]:
    """The snippets of a table of the site file, by place. Raises SiteFileError."""
    texts = {}
    for name in PLACES:
        text = getattr(said, name)
        if text and "<" not in text:
            try:
                text = (site.folder / text).read_text("utf-8")
            except (OSError, UnicodeDecodeError) as error:
                wrong = f"{text!r} is neither HTML nor a file that can be read ({error})."
                example = f'{name} = "<script src=\\"/count.js\\" async></script>"'
                raise site.error((*where, name), wrong, example) from None
        texts[name] = text
    return texts


def _getting(some: SnippetsOfSome, site: SiteFile) -> Callable[[Page], bool]:
    """Whether a page gets the snippets of some pages."""
    like = patterns.matcher(some.patterns, site.urls) if some.patterns else None

    def gets(page: Page) -> bool:
        if some.sections and page.section not in some.sections:
            return False
        return like is None or like(page.loc)

    return gets


def _joined(snippets: Sequence[_SomeSnippets], page: Page) -> dict[str, str]:
    """The snippets of a page, by place, in the order of the site file."""
    mine = [one.texts for one in snippets if one.gets(page)]
    return {name: "".join(texts[name] for texts in mine) for name in PLACES}


def _additions(page: Page, also: _Beside, survey: LastSurvey) -> tuple[Additions, _Told]:
    """What is added to one page, and what of it is told, which fills as it is added."""
    loc, told = page.loc, _Told()

    def nofollow(href: str) -> bool:
        address = addresses.resolve(loc, href)
        return bool(address and also.is_nofollow and also.is_nofollow(address))

    def alt(given: Mapping[str, str]) -> str:
        text = proposed_alt(given.get("title", ""), given.get("src") or given.get("data-src", ""))
        if text:
            told.alts.append(f"{given.get('src') or given.get('data-src')}: {text}")
        return text

    def links(data: bytes, encoding: str) -> list[PutLink]:
        put = also.wanted.put(page, data, encoding)
        told.links[:] = [f"{one.words}: {one.wish.href}" for one in put]
        told.notes += also.wanted.not_put(page, put)
        return put

    how = Additions(
        _joined(also.snippets, page),
        nofollow if also.is_nofollow else None,
        alt if also.alts else None,
        links if also.wanted.are_any and page.kind == "page" else None,
        _trail(page, survey) if also.trail else (),
    )
    return how, told


def _trail(page: Page, survey: LastSurvey) -> list[tuple[str, str]]:
    """The steps to a page as its readers see them, as href and name."""
    trails = survey.head_context.trails(survey.heads_of(page.loc).site)
    steps = trails.of(page.loc, page.heading or page.title)
    return [(addresses.path_and_query(loc), said) for loc, said in steps]


def _about_trail(data: bytes) -> str:
    """Why a page gets no trail where it has a place for it, "" where it gets one or has none."""
    return {
        TrailPlace.FILLED: "no trail: its place is not empty",
        TrailPlace.DOUBLE: "no trail: it has one of its own beside the place for it",
    }.get(trail_place(data)[0], "")


def proposed_alt(title: str, src: str) -> str:
    """A text for a picture that has none: its title, else the words of its file name without
    numbers and ending; "" where there are none."""
    if title.strip():
        return " ".join(title.split())
    name = unquote(urlsplit(src).path).rpartition("/")[2].rpartition(".")[0]
    words = [one for one in re.split(r"[\W_\d]+", name) if len(one) > 1]
    text = " ".join(words)
    return text[:1].upper() + text[1:] if len(text) > 2 else ""


def _written(
    file: Path,
    page: Page,
    tags: list[Tag],
    also: Additions,
    *,
    anyway: bool,
    dry_run: bool,
    diff: bool,
) -> Injected:
    path, loc = page.path or "", page.loc
    try:
        about = file.stat()
        data = file.read_bytes()
    except OSError as error:
        return Injected(path, loc, InjectState.SKIPPED, f"it cannot be read ({error.strerror})")
    try:
        bare = without_block(data) if anyway else restore(data)
        new = inject(bare, tags, _encoding(bare), also) if tags else bare
    except ChangedError as error:
        return Injected(path, loc, InjectState.SKIPPED, str(error))
    if new is None:
        return Injected(path, loc, InjectState.SKIPPED, "it has no head that could take tags")
    why = _about_trail(bare) if tags and also.trail else ""
    notes = (why,) if why else ()
    if new == data:
        return Injected(path, loc, InjectState.SAME, notes=notes)
    shown = _difference(data, new, path) if diff else ""
    if not dry_run:
        write_whole(file, new, tidy=False)
        with writing(file):
            file.chmod(about.st_mode & 0o777)
            os.utime(file, ns=(about.st_atime_ns, about.st_mtime_ns))
    mark = block_mark(new)
    return Injected(path, loc, InjectState.CHANGED, diff=shown, notes=notes, mark=mark)


def _encoding(data: bytes) -> str:
    """The encoding in which text is written into a file: its own, or ASCII where that is not
    known, with character references for all else."""
    declared = _CHARSET.search(data[:2048])
    label = declared[1].decode("ascii").lower() if declared else "ascii"
    label = "windows-1252" if label in ("iso-8859-1", "latin1") else label
    try:
        "é".encode(label, "xmlcharrefreplace")
        return label if "<".encode(label) == b"<" else "ascii"
    except LookupError:
        return "ascii"


def _difference(before: bytes, after: bytes, path: str) -> str:
    old, new = (one.decode("utf-8", "replace").splitlines() for one in (before, after))
    new = [_PACKED.sub(r"\1 … -->", line) for line in new]
    old = [_PACKED.sub(r"\1 … -->", line) for line in old]
    return "\n".join(difflib.unified_diff(old, new, path, path, lineterm="", n=1))
