"""Head data of a page as one value: what belongs into its head, as files and JSON have it."""

from typing import Any

import msgspec


class HeadPicture(msgspec.Struct, frozen=True):
    """The picture with which a page is shared: address, text for those who do not see it, where it
    comes from, and the address of what it is a copy of ("" for none). Size in pixels and type are
    those of the picture at `loc`; None and "" where its file is not here."""

    loc: str
    alt: str
    source: str
    original: str = ""
    width: int | None = None
    height: int | None = None
    type: str = ""


class Head(msgspec.Struct, frozen=True, kw_only=True):
    """Head data. `title_from` and `description_from` say where the texts come from; `directives`
    are those for all crawlers, `directives_for` what single crawlers are told beside; `meta` has
    further tags by name; `json_ld` is a JSON-LD document, None for none."""

    loc: str
    title: str | None
    title_from: str
    description: str | None
    description_from: str
    share_title: str | None
    share_type: str | None
    share_description: str | None
    card_title: str | None
    card_description: str | None
    picture: HeadPicture | None
    canonical: str
    directives: str
    directives_for: dict[str, str]
    meta: list[tuple[str, str]]
    json_ld: dict[str, Any] | None
