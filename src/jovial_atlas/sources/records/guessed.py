"""Which columns of an unknown table hold addresses, titles and dates: by name, then by content.

A proposal for the owner, who sees it in the site file.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from enum import IntEnum

from jovial_atlas import dates
from jovial_atlas.dates_in_text import day_in_words
from jovial_atlas.sources.records.columns import template_fields
from jovial_atlas.sources.records.withheld import NOT_PUBLIC, is_flag
from jovial_atlas.sources.records.within import flattened

#: Our column → names that others give it, the most telling first. Names are compared without case,
#: spaces and signs.
_NAMES: Mapping[str, tuple[str, ...]] = {
    "loc": ("loc", "url", "address", "link", "permalink", "pageurl", "pageaddress", "uri", "href",
            "page", "adresse", "lien", "seite"),
    "title": ("title", "pagetitle", "headline", "name", "titel", "titre", "titulo"),
    "description": ("description", "summary", "teaser", "abstract", "metadescription",
                    "beschreibung", "resume"),
    "lastmod": ("lastmod", "modified", "lastmodified", "updated", "updatedat", "changed",
                "changedat", "modifiedat", "datemodified", "lastupdated", "lastchange",
                "modifiedon", "updatedon", "changedon", "modifieddate", "updateddate", "updatedate",
                "dateupdated", "modificationdate", "revised", "geaendert"),
    "published": ("published", "publishedat", "datepublished", "publicationdate", "pubdate", "date",
                  "publishedon", "publisheddate", "publishdate", "releasedate", "posted",
                  "postedat",
                  "created", "createdat", "createdon", "datecreated", "creationdate", "datum"),
    "language": ("language", "lang", "locale", "sprache", "langue"),
    "author": ("author", "byline", "writer", "autor", "auteur"),
    "tags": ("tags", "keywords", "labels", "topics", "schlagworte"),
    "images": ("images", "image", "picture", "pictures", "photo", "imageurl", "bild"),
    "canonical": ("canonical", "canonicalurl"),
    "in_section": ("insection", "section"),
    "status": ("status",),
}  # fmt: skip
#: Columns of which an address may be made, the most telling first.
_PARTS = ("path", "slug", "handle", "permalink", "key", "id")
_NUMBERS = ("key", "id")
_PICTURES = ("image", "pict", "photo", "thumb", "logo", "bild")
_ADDRESS = re.compile(r"https?://\S+\Z|/\S*\Z")
_NUMBERED = re.compile(r"\s*\d\d?[/-]\d\d?[/-]\d{4}\b")
#: So much of a column has to be addresses, or dates.
_MOST = 0.9


class Addressing(IntEnum):
    """What tells the addresses of pages, the least telling first."""

    NUMBERED = 1
    NAMED = 2
    TEMPLATE = 3
    COLUMN = 4


@dataclass(frozen=True, slots=True)
class GuessedColumns:
    """How rows of a table become pages: the template of addresses ("" where a column holds them),
    our columns → theirs where the names differ, what of that is not sure, in words, and what tells
    addresses."""

    url: str = ""
    columns: dict[str, str] = field(default_factory=dict)
    unsure: list[str] = field(default_factory=list)
    addressing: Addressing = Addressing.COLUMN


def guess_columns(
    names: Sequence[str], rows: Sequence[Mapping[str, object]], template: str = ""
) -> GuessedColumns:
    """A guess from the columns of a table and some of its rows; `template` says how addresses are
    made of columns, where somebody did. Raises ValueError, with the names of the columns, where
    none tells the address of a page."""
    own = names
    names, rows = flattened(names, rows)
    values = {
        name: [row[name] for row in rows if row.get(name) not in (None, "")] for name in names
    }
    # What only few records have within others is no field of theirs.
    names = [one for one in names if one in own or 2 * len(values[one]) >= len(rows)]
    objects = {one.rpartition(".")[0] for one in names}
    by_name = _by_name([one for one in names if one not in objects])
    columns: dict[str, str] = {}
    unsure: list[str] = []
    url, address, addressing = template, None, Addressing.TEMPLATE
    if template:
        if missing := [one for one in template_fields(template) if one not in names]:
            raise ValueError(
                f"no column is called {missing[0]}; the columns are: {', '.join(names)}"
            )
    elif (address := _address(names, by_name, values)) is not None:
        addressing = Addressing.COLUMN
        if _plain(address) not in _NAMES["loc"]:
            unsure.append(
                f"Addresses are those in the column {address}; if that is wrong, correct `columns` "
                "in the [[source]], or write a template as its `url`."
            )
        if address not in ("loc", "url", "link"):
            columns["loc"] = address
    else:
        part = next((by_name[one] for one in _PARTS if one in by_name), None)
        if part is None:
            raise ValueError(f"no column holds addresses; the columns are: {', '.join(names)}")
        addressing = Addressing.NUMBERED if _plain(part) in _NUMBERS else Addressing.NAMED
        url = f"/{{{part}}}" if _has_slashes(values[part]) else f"/{{{part}}}/"
        shown = str(values[part][0]) if values[part] else "…"
        unsure.append(
            f"Addresses are made of the column {part}, as in {url.replace(f'{{{part}}}', shown)}; "
            "if that is wrong, correct `url` in the [[source]]."
        )
    taken = {address, *columns.values()}
    columns |= _mapped(names, objects, by_name, values, taken)
    return GuessedColumns(url, columns, unsure, addressing)


def _mapped(
    names: Sequence[str],
    objects: set[str],
    by_name: Mapping[str, str],
    values: Mapping[str, list[object]],
    taken: set[str | None],
) -> dict[str, str]:
    """Our columns → theirs, but for addresses, where the names differ."""
    columns: dict[str, str] = {}
    for ours, others in _NAMES.items():
        dated = ours in ("lastmod", "published")
        flags = dated and _are(values.get(ours, ()), is_flag)
        if ours == "loc" or (ours in names and ours not in objects and not flags):
            continue
        likely = (by_name[one] for one in others if by_name.get(one, ours) != ours)
        theirs = next((one for one in likely if not dated or _are(values[one], _is_date)), None)
        if theirs is None or theirs in taken:
            continue
        if ours == "status" and not any(map(_is_status, values[theirs])):
            continue
        columns[ours] = theirs
        taken.add(theirs)
    return columns


def _plain(name: str) -> str:
    spelled = name.lower().translate(_UMLAUTS)
    return re.sub(r"[^a-z0-9]", "", unicodedata.normalize("NFKD", spelled))


def _by_name(names: Sequence[str]) -> dict[str, str]:
    """Names as they are compared → names of columns: a value within others by its own name, where
    it stands in one that only wraps, as in `fields.title`, or is only wrapped itself, as in
    `title.rendered`; those of plain columns go before."""
    known: list[tuple[int, bool, str, str]] = []
    for name in names:
        parts = [_plain(one) for one in name.split(".")]
        while len(parts) > 1 and parts[-1] in _SAYS:
            parts.pop()
        while len(parts) > 1 and parts[0] in _WRAPS:
            parts.pop(0)
        called, depth = "".join(parts), name.count(".")
        known.append((depth, False, called, name))
        others = {called}
        if (match := _OF_RECORD.match(name)) and (inner := _plain(match[1])) not in _NUMBERS:
            others.add(inner)
        others |= {one[: -len(_OF_UTC[0])] for one in others if one.endswith(_OF_UTC)}
        known += [(depth, True, one, name) for one in sorted(others - {called})]
    known.sort(key=lambda one: one[:2])
    found: dict[str, str] = {}
    for *_, called, name in known:
        found.setdefault(called, name)
    return found


#: Columns of databases are often called by what a record is: `post_title`. Times may say that they
#: are of UTC.
_OF_RECORD = re.compile(
    r"(?i)(?:post|page|article|item|entry|node|product|news|doc|document|record)[_ -](.+)\Z"
)
_OF_UTC = ("gmt", "utc")


#: What a value is called in an object that has nothing else to say of it.
_SAYS = ("rendered", "current", "value", "text", "plain", "raw", "iso")
#: Objects that hold the fields of a record, or some of them.
_WRAPS = ("attributes", "fields", "data", "meta", "metadata", "seo", "properties", "props", "node",
          "content", "frontmatter", "page", "post", "record", "item", "document", "head",
          "system")  # fmt: skip
_UMLAUTS = str.maketrans({"ä": "ae", "ö": "oe", "ü": "ue", "ß": "ss"})


def _address(
    names: Sequence[str], by_name: Mapping[str, str], values: Mapping[str, list[object]]
) -> str | None:
    """The column of addresses: one of a known name, else the first that holds nothing else."""
    for known in _NAMES["loc"]:
        if known in by_name and _are(values[by_name[known]], _is_address):
            return by_name[known]
    # Pictures have addresses too, and what is within others mostly leads elsewhere.
    named = (one for one in names if "." not in one and not _plain(one).startswith(_PICTURES))
    return next((name for name in named if _are(values[name], _is_address)), None)


def _are(values: Sequence[object], test: Callable[[object], bool]) -> bool:
    return bool(values) and sum(map(test, values)) >= _MOST * len(values)


def _is_address(value: object) -> bool:
    return isinstance(value, str) and _ADDRESS.match(value.strip()) is not None


def _is_date(value: object) -> bool:
    if isinstance(value, bool):
        return False
    return (
        not isinstance(value, str)
        or dates.read(value) is not None
        or day_in_words(value, None) is not None
        or _NUMBERED.match(value) is not None
    )


def _is_status(value: object) -> bool:
    """Whether a value says that something is public, or is not."""
    said = str(value).strip().lower()
    return said in NOT_PUBLIC or said in ("publish", "published", "public")


def _has_slashes(values: Iterable[object]) -> bool:
    return any("/" in str(value).strip("/") or str(value).endswith(".html") for value in values)
