"""Parts of the site file about kinds of page: how they are told, and what happens with each."""

from typing import Annotated, Literal

from jovial_atlas.sitefile.deciding import as_patterns
from jovial_atlas.sitefile.parts import Part, check, says


class Kinds(Part, frozen=True, kw_only=True):
    """`[kinds]`: by which addresses kinds of page are known, in place of the tool's own signs."""

    errors: Annotated[
        tuple[str, ...] | None,
        says("error pages; else /404.html and its like, and pages called error that say so"),
    ] = None
    home: Annotated[
        tuple[str, ...] | None, says("home pages; else / and those of the languages")
    ] = None
    articles: Annotated[
        tuple[str, ...] | None, says("articles; else pages that say so, or that are dated")
    ] = None
    products: Annotated[
        tuple[str, ...] | None, says("pages about a product; else those that say so")
    ] = None
    events: Annotated[
        tuple[str, ...] | None, says("pages about an event; else those that say so")
    ] = None
    documents: Annotated[
        tuple[str, ...] | None, says("documents; else files that are not HTML")
    ] = None
    search: Annotated[
        tuple[str, ...] | None, says("search results; else /search/ and addresses with ?q= or ?s=")
    ] = None
    listings: Annotated[
        tuple[str, ...] | None,
        says(
            "listings; else pages that say so, and folders for tags, categories, topics, archives, "
            "authors, years and months, where nothing else says what they are"
        ),
    ] = None
    paged: Annotated[
        tuple[str, ...] | None,
        says("second and later pages of listings; else /page/2, /index2.html and ?page=2"),
    ] = None
    authors: Annotated[
        tuple[str, ...] | None, says("pages about authors; else /author/ and /authors/")
    ] = None
    drafts: Annotated[
        tuple[str, ...] | None, says("drafts, beside those that say so; else folders called drafts")
    ] = None
    feeds: Annotated[
        tuple[str, ...] | None,
        says("feeds; else feed.xml, /feed/ and files that end in .rss or .atom"),
    ] = None
    print: Annotated[
        tuple[str, ...] | None, says("versions to print; else /print/ before or after, and ?print=")
    ] = None
    pictures: Annotated[
        tuple[str, ...] | None,
        says(
            "pages that only show one picture; else pages with one picture and "
            "no more than 12 words, neither described nor dated"
        ),
    ] = None

    @check("*")
    @classmethod
    def _known(cls, value: tuple[str, ...] | None) -> tuple[str, ...] | None:
        return None if value is None else as_patterns(value)


_Plain = Literal["index", "unlist", "noindex"]


_Variant = Literal["index", "unlist", "noindex", "canonical"]


class Policies(Part, frozen=True, kw_only=True):
    """`[policies]`: what happens with kinds of page. "index": nothing; "unlist": stays out of the
    sitemaps; "noindex": out of the index too."""

    error_pages: Annotated[_Plain, says("error pages")] = "noindex"
    drafts: Annotated[_Plain, says("drafts")] = "noindex"
    future_pages: Annotated[_Plain, says("pages dated in the future")] = "noindex"
    expired_pages: Annotated[
        Literal["index", "unlist", "noindex"], says("pages past their date of expiry")
    ] = "unlist"
    search_results: Annotated[_Plain, says("search pages and their results")] = "noindex"
    feeds: Annotated[_Plain, says("feeds")] = "unlist"
    attachments: Annotated[_Plain, says("attachments of other pages")] = "unlist"
    empty_listings: Annotated[
        _Plain, says("listings that hold nothing yet; noindex would take long to heal")
    ] = "unlist"
    paged_listings: Annotated[
        _Plain, says("second and later pages of a listing; crawlers still follow them")
    ] = "unlist"
    date_listings: Annotated[_Plain, says("listings of a year, month or day")] = "index"
    author_pages: Annotated[
        _Plain, says('pages about authors, where [site] says authors = "one"')
    ] = "unlist"
    thin_pages: Annotated[_Plain, says("pages with fewer words than `thin_words`")] = "index"
    thin_words: Annotated[int, says("words below which a page counts as thin", ge=1)] = 50
    picture_pages: Annotated[
        Literal["index", "unlist", "noindex", "parent", "file"],
        says(
            'pages that only show one picture; "parent" and "file" send visitors on to '
            "the page that shows it, or to the picture"
        ),
    ] = "unlist"
    print_versions: Annotated[
        _Variant, says('versions to print; "canonical" names the page they repeat')
    ] = "canonical"
    query_addresses: Annotated[
        _Variant, says("addresses with a query that repeat the page without it")
    ] = "canonical"
    duplicates: Annotated[
        _Variant, says("pages with the same main text as another, 30 words or more")
    ] = "unlist"
