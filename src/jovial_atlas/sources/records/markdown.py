"""The source `markdown`: Markdown or HTML files with front matter (YAML or TOML).

Front matter gives the fields, the text gives words, excerpt, links, pictures and videos: it
is rendered to HTML and read as any page is.
"""

from __future__ import annotations

import json
from collections.abc import Iterator, Sequence
from datetime import date, datetime
from itertools import chain, compress
from os.path import normpath
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import msgspec
import polars as pl
import xxhash
from markdown_it import MarkdownIt

from jovial_atlas import addresses, dates
from jovial_atlas.dates_in_text import day_in_words
from jovial_atlas.faults import Fault
from jovial_atlas.media.fields import of_fields
from jovial_atlas.media.services import Service
from jovial_atlas.pages import schema
from jovial_atlas.pages.gather import Batch
from jovial_atlas.pages.row import PageRow, values_of
from jovial_atlas.sources.html_page.context import TEXT_ENDINGS
from jovial_atlas.sources.html_page.page import PageFile, Reading, read_page
from jovial_atlas.sources.kept_dates import KeptDates
from jovial_atlas.sources.records.columns import FieldMap
from jovial_atlas.sources.records.front_matter import front_matter
from jovial_atlas.sources.records.kept_pages import KEPT_KEY, KEPT_ROW, KeptPages, with_faults
from jovial_atlas.sources.records.markdown_address import date_in_name, markdown_address
from jovial_atlas.sources.records.markdown_rests import resting_on
from jovial_atlas.sources.records.records import item_text, pages_of
from jovial_atlas.sources.records.templates import (
    has_statements,
    without_program,
    without_statements,
)
from jovial_atlas.sources.records.withheld import is_flag, is_noindex, is_withheld
from jovial_atlas.sources.workers.folder import HTML_ENDINGS, Folder, page_files
from jovial_atlas.sources.workers.readers import Readers
from jovial_atlas.values import replace

MARKDOWN_ENDINGS = (*TEXT_ENDINGS, *HTML_ENDINGS)
#: Other names under which front matter often gives a column.
_NAMES = {
    "published": ("date", "published", "publish_date"),
    "lastmod": ("lastmod", "last_modified", "updated", "modified"),
    "description": ("description", "summary"),
    "excerpt": ("summary", "excerpt"),
    "author": ("author", "authors"),
    "images": ("images", "image", "picture", "cover"),
    "share_image": ("share_image", "cover"),
    "language": ("language", "lang"),
    "in_section": ("section",),
    "categories": ("categories", "category"),
    "canonical": ("canonical",),
    "expires": ("expires", "expiry", "expiry_date"),
    "phrase": ("phrase", "target_phrase"),
}


def read_markdown(
    folder: Folder,
    how: FieldMap,
    reading: Reading,
    readers: Readers,
    kept: KeptPages,
    dated: pl.LazyFrame | None = None,
) -> Iterator[Batch]:
    """All files of a folder as one batch a few hundred files; those that are as they were when they
    were `kept` (as `KEPT_ROW`) are not read again. `dated` has the dates of the survey before, as
    `KeptDates` takes them. Raises ContentError."""
    before = KeptDates(dated, by_content="fingerprint" in reading.trust)
    files, faults = page_files(replace(folder, endings=MARKDOWN_ENDINGS, documents=()))
    yield Batch(faults=faults)
    keys = kept.keys(resting_on(files))
    known = kept.holds(keys)
    fresh = [file for file, held in zip(files, known, strict=True) if not held]
    # What collects lost dates of tables cannot pass to a worker; front matter tells its own.
    how = replace(how, lost=None)
    read = chain.from_iterable(readers.each(_read_files, fresh, how, reading))
    # In the order of the files, whichever are kept: of two with one address the first one counts.
    for start in range(0, len(files), _BATCH):
        some = keys.slice(start, _BATCH)
        rows = dict(kept.known(some).select(KEPT_KEY, KEPT_ROW).iter_rows())
        found: list[tuple[PageRow | None, list[Fault]]] = []
        for file, key, held in zip(files[start:], some, known.slice(start, _BATCH), strict=False):
            if key in rows:
                found.append((_ROW.decode(rows[key]), []))
            else:
                found.append(_read_files([file], how, reading)[0] if held else next(read))
        _keep(kept, found, some)
        pages = [row for row, _ in found if row is not None]
        yield _batch(pages, [fault for _, wrong in found for fault in wrong], before)


def _keep(
    kept: KeptPages, found: Sequence[tuple[PageRow | None, list[Fault]]], keys: pl.Series
) -> None:
    stays = [row is not None and _stays(row, wrong) for row, wrong in found]
    said = [json.dumps(row) for row, _ in compress(found, stays)]
    kept.keep(
        with_faults(pl.DataFrame({KEPT_ROW: said}, {KEPT_ROW: pl.String}), keys.filter(stays), [])
    )


#: Pages that become a table together.
_BATCH = 500
_ROW = msgspec.json.Decoder()


def _stays(row: PageRow, faults: list[Fault]) -> bool:
    """Whether a page says the same as long as its file does: what is wrong with its dates, and
    whether it is to come, is a matter of the time."""
    return row["kind"] != "future" and not faults


def _read_files(
    files: Sequence[PageFile], how: FieldMap, reading: Reading
) -> list[tuple[PageRow | None, list[Fault]]]:
    """Some files: a worker has its own idea of where links between them lead."""
    render = _Rendering(how)
    read = [_read(file, how, reading, render) for file in files]
    for row, _ in read:
        if row is not None:
            _make_plain(row)
    return read


def _batch(rows: list[PageRow], faults: list[Fault], before: KeptDates) -> Batch:
    return Batch(before.kept(pages_of(rows)), faults)


def _make_plain(row: PageRow) -> None:
    row[schema.EXTRA] = {name: _plain(value) for name, value in row[schema.EXTRA].items()}


def _plain(value: Any) -> Any:
    """Front matter values as columns can hold them: numbers and truth as they are, the rest
    as text."""
    if value is None or isinstance(value, (bool, int, float, str)):
        return value
    if isinstance(value, (datetime, date)):
        return value.isoformat()
    nested = isinstance(value, dict) or any(isinstance(one, (dict, list)) for one in value)
    if nested:
        return json.dumps(value, ensure_ascii=False, default=str)
    return "; ".join(map(str, value)) if isinstance(value, list) else str(value)


def read_markdown_file(
    file: PageFile, how: FieldMap, reading: Reading
) -> tuple[PageRow | None, list[Fault]]:
    """One file, with what its front matter says. None where there is no page in it."""
    row, faults = _read(file, how, reading, _Rendering(how))
    if row is not None:
        _make_plain(row)
    return row, faults


def _read(
    file: PageFile, how: FieldMap, reading: Reading, render: _Rendering
) -> tuple[PageRow | None, list[Fault]]:
    try:
        path = Path(file.place)
        data = path.read_bytes()
        about = path.stat()
        text = data.decode("utf-8-sig")
    except OSError as error:
        return None, [Fault("page-unreadable", file.path, f"It cannot be read ({error.strerror}).")]
    except UnicodeDecodeError:
        return None, [Fault("encoding-broken", file.path, "The file is not UTF-8; it is left out.")]
    fields, body, faults = front_matter(text, file.path)
    if fields is None:
        return None, faults
    loc, wrong = _address(file.path, fields, how)
    if wrong:
        return None, [*faults, Fault("row-no-address", file.path, wrong)]
    is_html = file.path.lower().endswith(HTML_ENDINGS)
    if is_html and body == text and has_statements(text):
        message = "Statements of a template stand in it, and no front matter; it is left out."
        return None, [*faults, Fault("template-left-out", file.path, message)]
    body = without_statements(without_program(body) if file.path.lower().endswith(".mdx") else body)
    html = body if is_html else render.html(body, file)
    page = PageFile(file.place, file.path, loc)
    row, page_faults = read_page(html.encode() or b" <p>", page, reading, about.st_mtime)
    if row is None:
        row, page_faults = read_page(b"<p></p>", page, reading, about.st_mtime)
    assert row is not None
    digest = xxhash.xxh3_128_hexdigest(data)
    row |= {"mtime": about.st_mtime_ns, "bytes": len(data), "digest": digest}
    page_faults = [fault for fault in page_faults if fault.code != "page-empty"]
    faults += page_faults
    _apply(row, fields, how, reading, faults)
    return row, faults


def _address(path: str, fields: dict[str, Any], how: FieldMap) -> tuple[str, str]:
    """The address, or why there is none."""
    given = {key: _plain(value) for key, value in fields.items()}
    published = _date(_first(fields, "published", how), how)
    category = _first(fields, "categories", how)
    first = category[0] if isinstance(category, list) else str(category or "").partition(",")[0]
    return markdown_address(path, given, how, published, str(first))


def _first(fields: dict[str, Any], column: str, how: FieldMap) -> Any:
    names = (how.columns[column],) if column in how.columns else _NAMES.get(column, (column,))
    return next((fields[name] for name in names if fields.get(name) not in (None, "", [])), None)


def _date(value: Any, how: FieldMap) -> str | None:
    if isinstance(value, (datetime, date)):
        return dates.read(value.isoformat())
    text = str(value or "")
    return (dates.read(text) or day_in_words(text, how.language or None)) if text else None


def _apply(
    row: PageRow,
    fields: dict[str, Any],
    how: FieldMap,
    reading: Reading,
    faults: list[Fault],
) -> None:
    """Front matter over what the text itself gave."""
    for column in ("title", "description", "author", "language", "in_section", "phrase"):
        value = _first(fields, column, how)
        if value is not None:
            values_of(row)[column] = (
                ", ".join(map(str, value)) if isinstance(value, list) else str(value)
            )
    if canonical := _first(fields, "canonical", how):
        row["canonical"] = addresses.resolve(row["loc"], str(canonical))
    row["title"] = row["title"] or row["heading"]
    row["heading"] = row["heading"] or row["title"]
    if fields.get("summary"):
        row["excerpt"] = str(fields["summary"])
    for column in ("tags", "categories"):
        value = _first(fields, column, how)
        if value is not None:
            items = value if isinstance(value, (list, dict)) else str(value).split(",")
            items = items if isinstance(items, list) else [items]
            values_of(row)[column] = [said for one in items if (said := item_text(one))]
    _apply_media(row, fields, how, reading.services)
    if is_noindex(fields) or str(fields.get("robots", "")).strip():
        row["directives"] = str(fields.get("robots") or "noindex").lower()
    _apply_dates(row, fields, how, reading, faults)
    if is_withheld(fields):
        row["kind"] = "draft"
    used = {name for names in _NAMES.values() for name in names} | {
        "title", "tags", "status", "draft", "robots", "noindex", "slug", "permalink", "url",
        "video", "videos", *how.columns.values(),
    }  # fmt: skip
    row[schema.EXTRA] = {key: value for key, value in fields.items() if key not in used}


def _apply_media(
    row: PageRow, fields: dict[str, Any], how: FieldMap, services: tuple[Service, ...]
) -> None:
    images = _first(fields, "images", how)
    for image in images if isinstance(images, list) else [images] if images else []:
        given = image if isinstance(image, dict) else {"src": image}
        loc = addresses.resolve(row["loc"], str(given.get("src") or given.get("url") or ""))
        if loc and loc not in [one["loc"] for one in row["images"]]:
            row["images"].insert(0, {"loc": loc, "alt": given.get("alt")})
    if own := _first(fields, "share_image", how):
        row["share_image"] = addresses.resolve(row["loc"], str(own))
    named = fields.get("videos") or fields.get("video")
    for one in of_fields(named, lambda said: addresses.resolve(row["loc"], said), services):
        same = [v for v in row["videos"] if v["content"] and v["content"] == one["content"]]
        if same:  # the page shows it too: the fields win
            values_of(same[0]).update({n: value for n, value in one.items() if value is not None})
        else:
            row["videos"].append(one)


def _apply_dates(
    row: PageRow,
    fields: dict[str, Any],
    how: FieldMap,
    reading: Reading,
    faults: list[Fault],
) -> None:
    for column in ("published", "lastmod", "expires"):
        value = _first(fields, column, how)
        if value is None or is_flag(value):
            continue
        read = _date(value, how)
        if read is None:
            message = f"The field {column} holds {str(value)[:60]!r}, which is no date."
            faults.append(Fault("date-unreadable", row["path"], message))
        elif column == "expires":
            row["expires"] = read
        elif column == "published" and dates.moment(read) > reading.now:
            row["kind"], row["published"], row["published_from"] = "future", read, "field"
        elif not dates.plausible(read, reading.now):
            message = f"The field {column} holds {read}, which cannot be right; it is not used."
            faults.append(Fault("date-implausible", row["path"], message))
        else:
            values_of(row).update({column: read, f"{column}_from": "field"})
    dated = date_in_name(row["path"].rpartition("/")[2].rpartition(".")[0])
    if row["published"] is None and dated and (read := dates.read(dated)):
        row["published"], row["published_from"] = read, "field"
    if row["lastmod_from"] in (None, "file") and row["published"] and row["kind"] == "page":
        row["lastmod"], row["lastmod_from"] = row["published"], "published"


def html_of(data: bytes) -> str:
    """A Markdown file without its front matter as HTML."""
    body = front_matter(data.decode("utf-8-sig", "replace"), "")[1]
    return str(_renderer().render(without_statements(body)))


def _renderer() -> MarkdownIt:
    return MarkdownIt("commonmark", {"html": True}).enable("table")


class _Rendering:
    """Makes HTML of Markdown. Links to other files, as generators take them, become links to the
    pages that these are."""

    def __init__(self, how: FieldMap) -> None:
        self._how = how
        self._renderer = _renderer()
        #: File → the address of its page; None where it has none.
        self._pages: dict[Path, str | None] = {}

    def html(self, body: str, file: PageFile) -> str:
        """The text of a file as HTML."""
        environment: dict[str, Any] = {}
        tokens = self._renderer.parse(body, environment)
        for child in (child for token in tokens for child in token.children or ()):
            href = child.attrs.get("href") if child.type == "link_open" else None
            if href and (page := self._page_at(str(href), file)):
                child.attrs["href"] = page
        return str(self._renderer.renderer.render(tokens, self._renderer.options, environment))

    def _page_at(self, href: str, file: PageFile) -> str | None:
        """The address of the page that a link to a file of the same source leads to; None for any
        other link."""
        reference, mark, fragment = href.partition("#")
        name = unquote(reference)
        if not name.lower().endswith(TEXT_ENDINGS) or "://" in name:
            return None
        place = Path(file.place)
        root = place.parents[file.path.count("/")]
        beside = root if name.startswith("/") else place.parent
        target = Path(normpath(beside / name.lstrip("/")))
        if target not in self._pages:
            self._pages[target] = self._address_of(target, root)
        page = self._pages[target]
        return f"{page}{mark}{fragment}" if page else None

    def _address_of(self, target: Path, root: Path) -> str | None:
        try:
            inner = target.relative_to(root).as_posix()
            text = target.read_text("utf-8-sig")
        except (OSError, ValueError):
            return None
        fields, _, _ = front_matter(text, inner)
        return _address(inner, fields, self._how)[0] or None if fields is not None else None
