"""Parts of the site file about heads of pages: texts, lengths, sharing, what is injected."""

from typing import Annotated, Literal

from msgspec import field

from jovial_atlas import patterns
from jovial_atlas.media.pictures import Corner, Focus
from jovial_atlas.sitefile.deciding import Texts, as_patterns
from jovial_atlas.sitefile.parts import Part, check, check_whole, says


class Lengths(Part, frozen=True, kw_only=True):
    """`[lengths]`: what results show of titles and descriptions. Pixels are those of a result on
    a wide screen; no engine promises them."""

    title_px: Annotated[int, says("width of a title in a result, in pixels", ge=1)] = 580
    title_size: Annotated[int, says("size of its letters, in pixels", ge=1)] = 20
    title_least: Annotated[int, says("characters below which a title says little", ge=0)] = 15
    description_px: Annotated[int, says("width of a description, in pixels", ge=1)] = 920
    description_narrow_px: Annotated[
        int, says("width of a description on a narrow screen, in pixels", ge=1)
    ] = 680
    description_size: Annotated[int, says("size of its letters, in pixels", ge=1)] = 14
    description_least: Annotated[
        int, says("characters below which a description says little", ge=0)
    ] = 70


KindOfPage = Literal[
    "home", "listing", "paged", "author", "search", "error", "article", "product", "event"
]


class HeadData(Texts, frozen=True, kw_only=True):
    """`[head]`: what stands in the heads of pages. Patterns of a section win over these, and the
    texts of single pages, in the overrides file, over both."""

    social: Annotated[bool, says("whether Open Graph and card metadata are written")] = True
    titles: Annotated[
        dict[KindOfPage, str],
        says(
            "kind of page (home, listing, paged, author, search, error, article, product, "
            "event) → pattern of its titles; "
            "sections' patterns win over these, these over `title`"
        ),
    ] = field(default_factory=dict)
    descriptions: Annotated[
        dict[KindOfPage, str], says("kind of page → pattern of its descriptions")
    ] = field(default_factory=dict)
    image: Annotated[str, says("address or path of the picture where a page has none")] = ""
    image_alt: Annotated[str, says("what that picture shows, for those who do not see it")] = ""
    fragments: Annotated[
        bool,
        says(
            "whether each page's head is also written as a file of its own, as "
            "HTML and as JSON, for systems that serve pages themselves"
        ),
    ] = False
    card_site: Annotated[str, says("handle of the site for cards, with its @")] = ""
    verification: Annotated[
        dict[str, str], says("name of an ownership tag → token, as an engine gives it")
    ] = field(default_factory=dict)


class Snippets(Part, frozen=True, kw_only=True):
    """Pieces of HTML that pages get, at four places; each is HTML, or the path of a file that holds
    it."""

    head_start: Annotated[str, says("snippet right after <head>")] = ""
    head_end: Annotated[str, says("snippet right before </head>")] = ""
    body_start: Annotated[str, says("snippet right after <body>")] = ""
    body_end: Annotated[str, says("snippet right before </body>")] = ""

    @check("head_start", "head_end", "body_start", "body_end")
    @classmethod
    def _whole(cls, value: str) -> str:
        if "<!-- /snippet" in value:
            raise ValueError("a snippet may not hold the comment that ends it")
        return value


class SnippetsOfSome(Snippets, frozen=True, kw_only=True):
    """`[[inject.for]]`: snippets of some pages, behind those of all. A page must fit both, where
    sections and patterns are given."""

    sections: Annotated[tuple[str, ...], says("sections whose pages get them; all if empty")] = ()
    match: Annotated[
        str | tuple[str, ...], says("addresses of pages that get them: a pattern, or several")
    ] = ""

    @check("match")
    @classmethod
    def _pattern(cls, value: str | tuple[str, ...]) -> str | tuple[str, ...]:
        if value:
            as_patterns(value)
        return value

    @check_whole
    def _about_some(self) -> None:
        if not self.sections and not self.match:
            raise ValueError('it names no pages: give sections = ["events"], or match = "/shop/**"')

    @property
    def patterns(self) -> tuple[str, ...]:
        """The address patterns as a tuple."""
        return as_patterns(self.match) if self.match else ()


class Inject(Snippets, frozen=True, kw_only=True):
    """`[inject]`: what `inject` does to built pages beside their head data."""

    for_some: Annotated[
        tuple[SnippetsOfSome, ...], says("snippets of some pages, behind those of all")
    ] = field(default=(), name="for")
    drop_generator: Annotated[
        bool, says("whether the tag goes that names the publishing system")
    ] = False
    nofollow: Annotated[
        tuple[str, ...],
        says(
            "links that get rel=nofollow: paths of the site, as in /login/**, or "
            "addresses, as in https://shop.example/**"
        ),
    ] = ()
    alts: Annotated[
        bool,
        says(
            "whether pictures without an alt text get one from their title or file "
            "name; each is told, and marked in the page"
        ),
    ] = False

    trail: Annotated[
        bool,
        says(
            "whether elements with the attribute data-trail are filled with the trail of their "
            "page, as readers see it, from the same steps as in its structured data"
        ),
    ] = False

    @check("nofollow")
    @classmethod
    def _links(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        patterns.matcher(value, ())
        return value


class Sharing(Part, frozen=True, kw_only=True):
    """`[sharing]`: the pictures with which pages are shared."""

    copies: Annotated[
        bool,
        says(
            "whether pictures of another shape, too large or too heavy are shared "
            "as copies of 1200×630 pixels, which `build` makes"
        ),
    ] = False
    focus: Annotated[
        Focus, says('what a copy keeps: "centre", "top", or "detail", where most is sharp')
    ] = "centre"
    points: Annotated[
        dict[str, tuple[float, float]],
        says(
            "path of a picture → what its copy keeps, as parts of width and height from "
            "the upper left, as in [0.3, 0.5]"
        ),
    ] = field(default_factory=dict)
    most_bytes: Annotated[int, says("octets of a copy, at most; quality gives way", ge=20_000)] = (
        600_000
    )
    mark: Annotated[
        str, says("address or path of a picture that copies carry in a corner, as the logo")
    ] = ""
    corner: Annotated[Corner, says("the corner it stands in")] = "bottom-right"

    @check("points")
    @classmethod
    def _points(cls, value: dict[str, tuple[float, float]]) -> dict[str, tuple[float, float]]:
        for path, point in value.items():
            if not path.startswith("/"):
                raise ValueError(f"{path!r} is no path; it begins with '/'")
            if not all(0 <= part <= 1 for part in point):
                raise ValueError(f"{list(point)} is no point; both parts are from 0 to 1")
        return value
