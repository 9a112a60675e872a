"""The address of a Markdown file, by a template over its path and its front matter; and the
template that is behind addresses which are known."""

from __future__ import annotations

import re
import unicodedata
from collections import Counter
from collections.abc import Iterable, Mapping
from typing import Any

from jovial_atlas import addresses
from jovial_atlas.sources.records.columns import FieldMap, template_fields

_DATED_NAME = re.compile(r"(\d{4}-\d\d-\d\d)-(.+)\Z")
_NO_WORD = re.compile(r"[\W_]+")
#: What a template may name, the most telling first: where one stands in an address, the others do
#: not count.
_TELLING = ("path", "slug", "title_slug", "stem", "category_slug", "year", "month", "day")


def slug_of(text: str) -> str:
    """A text as addresses have it: its words in lower case with hyphens between, letters without
    their accents."""
    plain = unicodedata.normalize("NFKD", unicodedata.normalize("NFKD", text).casefold())
    bare = "".join(one for one in plain if not unicodedata.combining(one))
    return _NO_WORD.sub("-", bare.replace("'", "").replace("\u2019", "")).strip("-")


def date_in_name(name: str) -> str | None:
    """The day that a file's name begins with, as in `2026-11-03-otters`."""
    match = _DATED_NAME.match(name)
    return match[1] if match else None


def address_values(
    path: str, fields: Mapping[str, Any], published: str | None, category: str
) -> dict[str, str]:
    """What a template may say of a file beside its own fields: `path`, `slug`, `title_slug`,
    `stem`, `category_slug`, `year`, `month`, `day`; those that it does not have are empty."""
    stem = path.rpartition(".")[0]
    name = stem.rpartition("/")[2]
    dated = _DATED_NAME.match(name)
    slug = str(fields.get("slug") or (dated[2] if dated else name))
    year, month, day = (published or (dated[1] if dated else None) or "--")[:10].split("-")
    return {
        "path": stem.removesuffix("/index") if stem != "index" else "", "slug": slug, "stem": name,
        "title_slug": slug_of(str(fields.get("title") or "")), "category_slug": slug_of(category),
        "year": year, "month": month, "day": day,
    }  # fmt: skip


def markdown_address(
    path: str, fields: Mapping[str, Any], how: FieldMap, published: str | None, category: str
) -> tuple[str, str]:
    """The address of a file with these fields, or why there is none."""
    if fields.get("permalink") or fields.get("url"):
        template = str(fields.get("permalink") or fields.get("url"))
    else:
        template = how.url
    values = {**fields, **address_values(path, fields, published, category)}
    for field in template_fields(template):
        value = values.get(field)
        if value in (None, "") and field != "path":
            return "", f"The address needs {{{field}}}, which the page does not have."
        template = template.replace(f"{{{field}}}", addresses.escape(str(value)))
    template = re.sub(r"(?<!:)//+", "/", template)
    try:
        whole = template if "://" in template else f"{how.site}/{template.lstrip('/')}"
        loc = addresses.normalise(whole)
    except ValueError as error:
        return "", f"{error}."
    if addresses.origin(loc) != how.site:
        return "", f"{loc} is on another host."
    return loc, ""


def template_behind(known: Iterable[tuple[str, Mapping[str, str]]]) -> str:
    """The template that most of some addresses (paths from `/` on) follow, each with the values of
    its file; "" where less than half of them follow one, or only a few are there."""
    found: Counter[str] = Counter()
    many = 0
    for path, values in known:
        many += 1
        found[_as_template(path, values)] += 1
    found.pop("", None)
    template, count = found.most_common(1)[0] if found else ("", 0)
    return template if count >= max(_LEAST, many / 2) else ""


#: So few addresses say nothing of a template.
_LEAST = 3


def _as_template(path: str, values: Mapping[str, str]) -> str:
    """An address with the names of values in place of these, "" where no value tells it apart."""
    rest, told = path, False
    for name in _TELLING:
        value = addresses.escape(values.get(name, ""))
        if not value or (told and name in _TELLING[:4]):
            continue
        new = re.sub(rf"(?<![\w{{-]){re.escape(value)}(?![\w}}-])", f"{{{name}}}", rest, count=1)
        told = told or (new != rest and name in _TELLING[:4])
        rest = new
    return rest if told else ""
