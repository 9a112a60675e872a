"""The kinds of `[[source]]` that a site file may name, in the order of their coming."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator

from jovial_atlas import addresses


class Part(BaseModel):
    """A table of the site file: unknown keys and loose types are errors."""

    model_config = ConfigDict(extra="forbid", defer_build=True, frozen=True, strict=True)


def origin_of(value: str) -> str:
    """Scheme and host of an address without a path. Raises ValueError where it has one."""
    address = addresses.normalise(value)
    if addresses.path_and_query(address) != "/":
        raise ValueError(
            f"{value!r} has a path; a site is a scheme and host. "
            "A folder that is served below a path says so with `at` in its [[source]]"
        )
    return addresses.origin(address)


class _Source(Part):
    name: str = Field("", description="name shown for its pages; its place where it is left out")
    merge: Literal["fill", "win"] = Field(
        "fill",
        description="where an earlier source has the same address: fill its gaps, or win over it",
    )
    section: str = Field("", description="section of all its pages, before any pattern")
    host: str = Field(
        "", description="url of the [[host]] that serves its pages, if not the site's"
    )

    @field_validator("host")
    @classmethod
    def _origin(cls, value: str) -> str:
        return origin_of(value) if value else ""


class _Mapped(_Source):
    url: str = Field(
        "", description="address template, as in /species/{slug}/; without one the field loc counts"
    )
    columns: dict[str, str] = Field(
        default_factory=dict, description="our column → their field, where the names differ"
    )
    separator: str = Field(";", description="what parts the items of a list in one cell")

    @field_validator("url")
    @classmethod
    def _template(cls, value: str) -> str:
        if value and not value.startswith(("/", "http://", "https://")):
            raise ValueError(f"{value!r} must begin with '/' (or be a whole address)")
        return value


class _Files(_Source):
    path: str = Field(description="the folder, relative to the site file")
    include: tuple[str, ...] = Field((), description="only files like these, as in notes/**")
    exclude: tuple[str, ...] = Field((), description="no files like these")


def _web_address(value: str) -> str:
    if value:
        addresses.split(value.replace("{", "").replace("}", ""))
    return value


class HtmlSource(_Files):
    """`[[source]]` with `kind = "html"`: a folder of built HTML."""

    kind: Literal["html"] = Field(description='"html"')
    fields: dict[str, str] = Field(
        default_factory=dict,
        description="extra field → CSS selector of what holds it, an attribute after @, as in "
        '{ price = ".price", starts = "time.start@datetime" }',
    )
    addresses: Literal["folder", "file", "plain"] = Field(
        "folder",
        description='"folder": /a/index.html is /a/; "file": as the file is named; '
        '"plain": as folder, and /b.html is /b',
    )
    at: str = Field("/", description="path under which the folder is served")
    documents: tuple[str, ...] = Field(
        (), description='endings of other files that are pages too, as in ".pdf"'
    )
    canonicals: Literal["honour", "ignore"] = Field(
        "honour", description="whether the canonical that a page names counts"
    )

    @field_validator("at")
    @classmethod
    def _absolute(cls, value: str) -> str:
        if not value.startswith("/"):
            raise ValueError(f"{value!r} must begin with '/'")
        return value


class MarkdownSource(_Files):
    """`[[source]]` with `kind = "markdown"`: Markdown or HTML files with front matter."""

    kind: Literal["markdown"] = Field(description='"markdown"')
    url: str = Field(
        "/{path}/",
        description="address template: {path}, {slug}, {year}, {month}, {day}, any front matter",
    )
    columns: dict[str, str] = Field(
        default_factory=dict, description="our column → their field, where the names differ"
    )


class TableSource(_Mapped):
    """`[[source]]` with `kind = "table"`: rows of CSV, JSON Lines or Parquet files."""

    kind: Literal["table"] = Field(description='"table"')
    path: str = Field(description="the file, or a glob, relative to the site file")


class SqlSource(_Mapped):
    """`[[source]]` with `kind = "sql"`: rows of a query, over SQLAlchemy."""

    kind: Literal["sql"] = Field(description='"sql"')
    connect: str = Field(description="database address; without a password")
    query: str = Field(description="one SELECT (or WITH) statement")
    password_env: str = Field("", description="environment variable that holds the password")

    @field_validator("query")
    @classmethod
    def _reads_only(cls, value: str) -> str:
        if value.split(None, 1)[:1] and value.split(None, 1)[0].lower() in (
            "select",
            "with",
            "values",
        ):
            return value
        raise ValueError("a query reads: it begins with SELECT, WITH or VALUES")


class FeedSource(_Mapped):
    """`[[source]]` with `kind = "feed"`: items of RSS 2.0, Atom or JSON Feed."""

    kind: Literal["feed"] = Field(description='"feed"')
    path: str = Field(description="the file relative to the site file, or its http(s) address")


class ListSource(_Mapped):
    """`[[source]]` with `kind = "list"`: addresses, one a line or in a CSV; or a sitemap."""

    kind: Literal["list"] = Field(description='"list"')
    path: str = Field(
        description="text, CSV or sitemap file relative to the site file, or its http(s) address"
    )


class CrawlSource(_Source):
    """`[[source]]` with `kind = "site"`: the live site, page by page over HTTP."""

    kind: Literal["site"] = Field(description='"site"')
    start: tuple[str, ...] = Field(("/",), description="paths to begin from")
    via: str = Field(
        "",
        description="where the site is served now, as in http://127.0.0.1:8800; else its own url",
    )
    max_pages: int = Field(10_000, ge=1, description="pages fetched at most")
    max_depth: int = Field(30, ge=0, description="links followed from a start, at most")
    max_bytes: int = Field(5_000_000, ge=1_000, description="bytes read of one page, at most")
    per_second: float = Field(5.0, gt=0, description="pages fetched in a second, at most")
    crawler: str = Field("jovial-atlas", description="product token that robots.txt is asked for")

    _via = field_validator("via")(_web_address)


class JsonSource(_Mapped):
    """`[[source]]` with `kind = "json"`: records of a paged interface over HTTP."""

    kind: Literal["json"] = Field(description='"json"')
    address: str = Field(description="address of the first page")
    items: str = Field("", description="where in the answer the records stand; empty: it is a list")
    next: str = Field(
        "link",
        description='how the next page is found: "link" (the Link header), "counter", or the field '
        "that holds its address",
    )
    counter: str = Field("page", description="query parameter that counts pages")
    first: int = Field(1, description="number of the first page")
    max_pages: int = Field(10_000, ge=1, description="pages asked for at most")
    token_env: str = Field("", description="environment variable that holds a bearer token")

    _address = field_validator("address")(_web_address)


Source = (
    HtmlSource
    | MarkdownSource
    | TableSource
    | SqlSource
    | FeedSource
    | ListSource
    | CrawlSource
    | JsonSource
)
