"""The kinds of `[[source]]` that a site file may name, in the order of their coming."""

from __future__ import annotations

from typing import Literal

from jovial_atlas import addresses
from jovial_atlas.sitefile.parts import Part, check, entry


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
    name: str = entry("", description="name shown for its pages; its place where it is left out")
    merge: Literal["fill", "win"] = entry(
        "fill",
        description="where an earlier source has the same address: fill its gaps, or win over it",
    )
    section: str = entry("", description="section of all its pages, before any pattern")
    host: str = entry(
        "", description="url of the [[host]] that serves its pages, if not the site's"
    )

    @check("host")
    @classmethod
    def _origin(cls, value: str) -> str:
        return origin_of(value) if value else ""


class _Mapped(_Source):
    url: str = entry(
        "", description="address template, as in /species/{slug}/; without one the field loc counts"
    )
    columns: dict[str, str] = entry(
        default_factory=dict, description="our column → their field, where the names differ"
    )
    separator: str = entry(";", description="what parts the items of a list in one cell")

    @check("url")
    @classmethod
    def _template(cls, value: str) -> str:
        if value and not value.startswith(("/", "http://", "https://")):
            raise ValueError(f"{value!r} must begin with '/' (or be a whole address)")
        return value


class _Files(_Source):
    path: str = entry(description="the folder, relative to the site file")
    include: tuple[str, ...] = entry((), description="only files like these, as in notes/**")
    exclude: tuple[str, ...] = entry((), description="no files like these")


def _web_address(value: str) -> str:
    if value:
        addresses.split(value.replace("{", "").replace("}", ""))
    return value


class HtmlSource(_Files):
    """`[[source]]` with `kind = "html"`: a folder of built HTML."""

    kind: Literal["html"] = entry(description='"html"')
    fields: dict[str, str] = entry(
        default_factory=dict,
        description="extra field → CSS selector of what holds it, an attribute after @, as in "
        '{ price = ".price", starts = "time.start@datetime" }',
    )
    addresses: Literal["folder", "file", "plain"] = entry(
        "folder",
        description='"folder": /a/index.html is /a/; "file": as the file is named; '
        '"plain": as folder, and /b.html is /b',
    )
    at: str = entry("/", description="path under which the folder is served")
    documents: tuple[str, ...] = entry(
        (), description='endings of other files that are pages too, as in ".pdf"'
    )
    canonicals: Literal["honour", "ignore"] = entry(
        "honour", description="whether the canonical that a page names counts"
    )

    @check("at")
    @classmethod
    def _absolute(cls, value: str) -> str:
        if not value.startswith("/"):
            raise ValueError(f"{value!r} must begin with '/'")
        return value


class MarkdownSource(_Files):
    """`[[source]]` with `kind = "markdown"`: Markdown or HTML files with front matter."""

    kind: Literal["markdown"] = entry(description='"markdown"')
    url: str = entry(
        "/{path}/",
        description="address template: {path}, {slug}, {year}, {month}, {day}, any front matter",
    )
    columns: dict[str, str] = entry(
        default_factory=dict, description="our column → their field, where the names differ"
    )


class TableSource(_Mapped):
    """`[[source]]` with `kind = "table"`: rows of CSV, JSON Lines or Parquet files."""

    kind: Literal["table"] = entry(description='"table"')
    path: str = entry(description="the file, or a glob, relative to the site file")


class SqlSource(_Mapped):
    """`[[source]]` with `kind = "sql"`: rows of a query, over SQLAlchemy."""

    kind: Literal["sql"] = entry(description='"sql"')
    connect: str = entry(description="database address; without a password")
    query: str = entry(description="one SELECT (or WITH) statement")
    password_env: str = entry("", description="environment variable that holds the password")

    @check("query")
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

    kind: Literal["feed"] = entry(description='"feed"')
    path: str = entry(description="the file relative to the site file, or its http(s) address")


class ListSource(_Mapped):
    """`[[source]]` with `kind = "list"`: addresses, one a line or in a CSV; or a sitemap."""

    kind: Literal["list"] = entry(description='"list"')
    path: str = entry(
        description="text, CSV or sitemap file relative to the site file, or its http(s) address"
    )


class CrawlSource(_Source):
    """`[[source]]` with `kind = "site"`: the live site, page by page over HTTP."""

    kind: Literal["site"] = entry(description='"site"')
    start: tuple[str, ...] = entry(("/",), description="paths to begin from")
    via: str = entry(
        "",
        description="where the site is served now, as in http://127.0.0.1:8800; else its own url",
    )
    max_pages: int = entry(10_000, ge=1, description="pages fetched at most")
    max_depth: int = entry(30, ge=0, description="links followed from a start, at most")
    max_bytes: int = entry(5_000_000, ge=1_000, description="bytes read of one page, at most")
    per_second: float = entry(5.0, gt=0, description="pages fetched in a second, at most")
    crawler: str = entry("jovial-atlas", description="product token that robots.txt is asked for")

    @check("via")
    @classmethod
    def _via(cls, value: str) -> str:
        return _web_address(value)


class JsonSource(_Mapped):
    """`[[source]]` with `kind = "json"`: records of a paged interface over HTTP."""

    kind: Literal["json"] = entry(description='"json"')
    address: str = entry(description="address of the first page")
    items: str = entry("", description="where in the answer the records stand; empty: it is a list")
    next: str = entry(
        "link",
        description='how the next page is found: "link" (the Link header), "counter", or the field '
        "that holds its address",
    )
    counter: str = entry("page", description="query parameter that counts pages")
    first: int = entry(1, description="number of the first page")
    max_pages: int = entry(10_000, ge=1, description="pages asked for at most")
    token_env: str = entry("", description="environment variable that holds a bearer token")

    @check("address")
    @classmethod
    def _address(cls, value: str) -> str:
        return _web_address(value)


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
