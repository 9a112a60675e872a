"""The kinds of `[[source]]` that a site file may name, in the order of their coming."""

from typing import Annotated, Any, ClassVar, Literal

from msgspec import field

from jovial_atlas import addresses, installed
from jovial_atlas.sitefile.added import added, check_settings
from jovial_atlas.sitefile.parts import Part, check, check_whole, says


def origin_of(value: str) -> str:
    """Scheme and host of an address without a path. Raises ValueError where it has one."""
    address = addresses.normalise(value)
    if addresses.path_and_query(address) != "/":
        raise ValueError(
            f"{value!r} has a path; a site is a scheme and host. "
            "A folder that is served below a path says so with `at` in its [[source]]"
        )
    return addresses.origin(address)


class _Source(Part, frozen=True, kw_only=True):
    name: Annotated[str, says("name shown for its pages; its place where it is left out")] = ""
    merge: Annotated[
        Literal["fill", "win"],
        says("where an earlier source has the same address: fill its gaps, or win over it"),
    ] = "fill"
    section: Annotated[str, says("section of all its pages, before any pattern")] = ""
    host: Annotated[str, says("url of the [[host]] that serves its pages, if not the site's")] = ""

    @check("host")
    @classmethod
    def _origin(cls, value: str) -> str:
        return origin_of(value) if value else ""


class _Mapped(_Source, frozen=True, kw_only=True):
    url: Annotated[
        str, says("address template, as in /species/{slug}/; without one the field loc counts")
    ] = ""
    columns: Annotated[dict[str, str], says("our column → their field, where the names differ")] = (
        field(default_factory=dict)
    )
    separator: Annotated[str, says("what parts the items of a list in one cell")] = ";"

    @check("url")
    @classmethod
    def _template(cls, value: str) -> str:
        if value and not value.startswith(("/", "http://", "https://")):
            raise ValueError(f"{value!r} must begin with '/' (or be a whole address)")
        return value


class _Files(_Source, frozen=True, kw_only=True):
    path: Annotated[str, says("the folder, relative to the site file")]
    include: Annotated[tuple[str, ...], says("only files like these, as in notes/**")] = ()
    exclude: Annotated[tuple[str, ...], says("no files like these")] = ()


def _web_address(value: str) -> str:
    if value:
        addresses.split(value.replace("{", "").replace("}", ""))
    return value


class HtmlSource(_Files, frozen=True, kw_only=True, tag_field="kind", tag="html"):
    """`[[source]]` with `kind = "html"`: a folder of built HTML."""

    kind: ClassVar[Literal["html"]] = "html"
    fields: Annotated[
        dict[str, str],
        says(
            "extra field → CSS selector of what holds it, an attribute after @, as in "
            '{ price = ".price", starts = "time.start@datetime" }'
        ),
    ] = field(default_factory=dict)
    addresses: Annotated[
        Literal["folder", "file", "plain"],
        says(
            '"folder": /a/index.html is /a/; "file": as the file is named; '
            '"plain": as folder, and /b.html is /b'
        ),
    ] = "folder"
    at: Annotated[str, says("path under which the folder is served")] = "/"
    documents: Annotated[
        tuple[str, ...], says('endings of other files that are pages too, as in ".pdf"')
    ] = ()
    canonicals: Annotated[
        Literal["honour", "ignore"], says("whether the canonical that a page names counts")
    ] = "honour"

    @check("at")
    @classmethod
    def _absolute(cls, value: str) -> str:
        if not value.startswith("/"):
            raise ValueError(f"{value!r} must begin with '/'")
        return value


class MarkdownSource(_Files, frozen=True, kw_only=True, tag_field="kind", tag="markdown"):
    """`[[source]]` with `kind = "markdown"`: Markdown or HTML files with front matter."""

    kind: ClassVar[Literal["markdown"]] = "markdown"
    url: Annotated[
        str,
        says(
            "address template: {path}, {slug}, {title_slug}, {category_slug}, {year}, {month}, "
            "{day}, any front matter"
        ),
    ] = "/{path}/"
    columns: Annotated[dict[str, str], says("our column → their field, where the names differ")] = (
        field(default_factory=dict)
    )


class TableSource(_Mapped, frozen=True, kw_only=True, tag_field="kind", tag="table"):
    """`[[source]]` with `kind = "table"`: rows of CSV, JSON, Parquet files and workbooks."""

    kind: ClassVar[Literal["table"]] = "table"
    path: Annotated[str, says("the file, or a glob, relative to the site file")]
    items: Annotated[
        str,
        says("where in a .json file the records stand; empty: it is their list, or has one alone"),
    ] = ""


class SqlSource(_Mapped, frozen=True, kw_only=True, tag_field="kind", tag="sql"):
    """`[[source]]` with `kind = "sql"`: rows of a query, over SQLAlchemy."""

    kind: ClassVar[Literal["sql"]] = "sql"
    connect: Annotated[str, says("database address; without a password")]
    query: Annotated[str, says("one SELECT (or WITH) statement")]
    password_env: Annotated[str, says("environment variable that holds the password")] = ""

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


class FeedSource(_Mapped, frozen=True, kw_only=True, tag_field="kind", tag="feed"):
    """`[[source]]` with `kind = "feed"`: items of RSS 2.0, Atom or JSON Feed."""

    kind: ClassVar[Literal["feed"]] = "feed"
    path: Annotated[str, says("the file relative to the site file, or its http(s) address")]


class ListSource(_Mapped, frozen=True, kw_only=True, tag_field="kind", tag="list"):
    """`[[source]]` with `kind = "list"`: addresses, one a line or in a CSV; or a sitemap."""

    kind: ClassVar[Literal["list"]] = "list"
    path: Annotated[
        str, says("text, CSV or sitemap file relative to the site file, or its http(s) address")
    ]


class CrawlSource(_Source, frozen=True, kw_only=True, tag_field="kind", tag="site"):
    """`[[source]]` with `kind = "site"`: the live site, page by page over HTTP."""

    kind: ClassVar[Literal["site"]] = "site"
    start: Annotated[tuple[str, ...], says("paths to begin from")] = ("/",)
    via: Annotated[
        str, says("where the site is served now, as in http://127.0.0.1:8800; else its own url")
    ] = ""
    max_pages: Annotated[int, says("pages fetched at most", ge=1)] = 10_000
    max_depth: Annotated[int, says("links followed from a start, at most", ge=0)] = 30
    max_bytes: Annotated[int, says("bytes read of one page, at most", ge=1_000)] = 5_000_000
    per_second: Annotated[float, says("pages fetched in a second, at most", gt=0)] = 5.0
    crawler: Annotated[str, says("product token that robots.txt is asked for")] = "jovial-atlas"

    @check("via")
    @classmethod
    def _via(cls, value: str) -> str:
        return _web_address(value)


class JsonSource(_Mapped, frozen=True, kw_only=True, tag_field="kind", tag="json"):
    """`[[source]]` with `kind = "json"`: records of a paged interface over HTTP."""

    kind: ClassVar[Literal["json"]] = "json"
    address: Annotated[str, says("address of the first page")]
    items: Annotated[str, says("where in the answer the records stand; empty: it is a list")] = ""
    next: Annotated[
        str,
        says(
            'how the next page is found: "link" (the Link header), "counter", or the field '
            "that holds its address"
        ),
    ] = "link"
    counter: Annotated[str, says("query parameter that counts pages")] = "page"
    first: Annotated[int, says("number of the first page")] = 1
    max_pages: Annotated[int, says("pages asked for at most", ge=1)] = 10_000
    token_env: Annotated[str, says("environment variable that holds a bearer token")] = ""

    @check("address")
    @classmethod
    def _address(cls, value: str) -> str:
        return _web_address(value)


class PackageSource(_Mapped, frozen=True, kw_only=True, tag_field="kind", tag="package"):
    """`[[source]]` with `kind = "package"`: records that another installed package reads."""

    kind: ClassVar[Literal["package"]] = "package"
    package: Annotated[str, says("name under which the package adds its source")]
    settings: Annotated[dict[str, Any], says("what the package is to know; see its manual")] = (
        field(default_factory=dict)
    )

    @check("package")
    @classmethod
    def _installed(cls, value: str) -> str:
        added(installed.SOURCES, value)
        return value

    @check_whole
    def _settings(self) -> None:
        check_settings(installed.SOURCES, self.package, self.settings)


#: Sources whose records become pages by the names of their fields, in `url` and `columns`.
RecordSource = (
    MarkdownSource | TableSource | SqlSource | FeedSource | ListSource | JsonSource | PackageSource
)
Source = HtmlSource | RecordSource | CrawlSource
