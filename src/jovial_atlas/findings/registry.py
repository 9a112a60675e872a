"""The table of checks: each code with its severity, what it says, why it matters, what to do.

The reference page of findings is made from this table.
"""

from __future__ import annotations

from functools import cache

from jovial_atlas import installed
from jovial_atlas.errors import AtlasError
from jovial_atlas.findings.added import AddedFindings
from jovial_atlas.findings.content import CONTENT
from jovial_atlas.findings.entry import Check, Severity
from jovial_atlas.findings.linking import LINKING
from jovial_atlas.findings.moving import MOVING
from jovial_atlas.findings.protocol import PROTOCOL

_B, _E, _W, _A = Severity

# fmt: off
_TABLE = (
    # The site as a whole
    Check("site-hidden-robots", _B, "robots.txt hides the whole site",
          "Crawlers may fetch nothing, so nothing can be found, whatever else is right.",
          "Take the rule out of [robots] in the site file (or out of the robots.txt "
          "itself), then build again."),
    Check("site-temporary", _B, "The address of the site is a temporary one",
          "Engines would keep it beside the real one, or can never reach it.",
          "Set url in [site] to the public address, then survey and build again."),
    Check("site-hidden-noindex", _B, "The site tells engines not to index it",
          "A noindex left over from building the site keeps all of it out of every index.",
          "`jovial-atlas pages --verdict unlisted` says why: take the noindex out of the page "
          "templates, or correct the rule or the kind of page; then survey and build again."),
    Check("section-flipped", _E, "Many pages of a section may no longer be indexed",
          "A change at once of so many pages is likely an accident, and slow to heal.",
          "See `jovial-atlas explain` for one of them; correct the rule or the template, then "
          "survey and build again. If it is meant, build once more."),
    Check("site-draft", _W, "The site is a draft",
          "A draft is hidden from crawlers and announced to no one.",
          "Set stage = \"live\" in [site] once the site is ready."),
    Check("nothing-listed", _E, "No page is listed",
          "Without a listed page there is no sitemap to write.",
          "See `jovial-atlas explain URL` for a page that should be listed."),
    # Reading pages
    Check("page-unreadable", _E, "A file cannot be read",
          "Its page is missing from everything that is written.",
          "Check that the file exists and may be read, then survey again."),
    Check("page-not-understood", _E, "A page is built so that it cannot be read",
          "It is missing from everything that is written.",
          "Simplify what the message names, or leave the page out with `exclude` in its "
          "[[source]]; and tell those who make Jovial Atlas: it should not happen."),
    Check("page-cut", _W, "A page is built so that only its beginning is read",
          "Crawlers give up on such a page as well.",
          "Correct what builds the page: elements or attributes are repeated without end."),
    Check("page-empty", _E, "A page file is empty",
          "An empty page has nothing to find.",
          "Build the page again, or remove the file."),
    Check("page-not-html", _E, "A page file holds no HTML",
          "It is named like a page and is none.",
          "Rename or remove the file."),
    Check("page-outside", _W, "A link leads out of the content folder",
          "What it leads to is not read.",
          "Copy the file into the folder, or remove the link."),
    Check("template-left-out", _A, "A file is a part of a template, no page",
          "A generator makes pages with it; it is none itself.",
          "Nothing, where that is meant; else give it front matter."),
    Check("page-frames", _W, "A page is a frameset",
          "Engines index the frames, not the page around them.",
          "Replace the frameset with a page that holds the content."),
    Check("encoding-unknown", _W, "A page declares an unknown encoding",
          "Letters may be read wrongly.",
          "Declare the real one: <meta charset=\"utf-8\">."),
    Check("encoding-broken", _W, "A page is not in the encoding it declares",
          "Letters are shown and indexed wrongly.",
          "Save the page as UTF-8 and declare it: <meta charset=\"utf-8\">."),
    Check("hreflang-unknown", _W, "A page names a version in a language that does not exist",
          "Engines ignore the link, and with it the version.",
          "Write a language of ISO 639 and, where it matters, a region of ISO 3166-1: en-GB."),
    Check("base-elsewhere", _E, "A base element leads to another host",
          "Every relative link on the page leaves the site.",
          "Remove the base element, or let it name this site."),
    Check("address-twice", _E, "Two files or rows have one address",
          "Only one of them can be served, and only one is read.",
          "Remove one of them, or correct its address (of a file: its canonical)."),
    # Sources
    Check("source-broken", _E, "A source cannot be read",
          "Its pages are those of the survey before, or missing.",
          "Correct what the message names, then survey again."),
    Check("row-no-address", _E, "A row gives no address",
          "It cannot become a page.",
          "Fill the fields that `url` names, or correct `columns`."),
    Check("address-other-host", _E, "An address is on another host",
          "This site cannot speak for it.",
          "Correct the address, or leave the row out. Pages of another host of the site come from "
          "a [[source]] of their own with its `host`; if the site has another address, correct "
          "`url` in [site]."),
    Check("address-scheme", _A, "Addresses have another scheme than the site",
          "They are old, or the address of the site is.",
          "Correct `url` in [site] if the site has no https; else correct the addresses."),
    Check("text-markup", _A, "Texts of records hold HTML",
          "Titles and descriptions are plain text; tags would be shown as they are written.",
          "Nothing, where they read well without it (see `preview`); else export plain texts."),
    Check("row-ragged", _E, "A line has too many or too few cells",
          "It is left out, since its cells may be in the wrong columns.",
          "Correct the line; put quotes around cells that hold the separator."),
    Check("row-broken", _E, "A line cannot be read",
          "It is left out.",
          "Correct the line."),
    Check("sheet-left-out", _W, "A sheet of a workbook has none of the fields",
          "Its rows become no pages.",
          "Name the fields in its first line as in the other sheets, or take the sheet out."),
    Check("table-encoding", _W, "A table is not UTF-8",
          "Letters may be read wrongly.",
          "Save the table as UTF-8."),
    Check("front-matter-broken", _E, "Front matter cannot be read",
          "The page is left out rather than published without its fields.",
          "Correct the YAML or TOML at the line named."),
    Check("crawl-limit", _W, "A crawl ended at a limit",
          "What lies beyond is not in the page table.",
          "Raise the limit in the [[source]], or keep crawlers out of endless pages."),
    Check("crawl-barred", _A, "robots.txt kept the crawl from pages",
          "They are not in the page table.",
          "Nothing, where that is meant."),
    Check("page-too-large", _W, "A page is very large",
          "Only its beginning was read.",
          "Raise max_bytes, or make the page smaller."),
    Check("fetch-broken-off", _W, "An answer of the server broke off",
          "Only its beginning was read; crawlers may get no more either.",
          "Survey again; if it stays so, look into the log of the server."),
    Check("date-unreadable", _A, "A date cannot be read",
          "The page falls back to a less exact date.",
          "Write dates as 2026-11-23."),
    Check("date-implausible", _W, "A date cannot be right",
          "A date in the future or before 1990 makes engines distrust all dates of the "
          "site.",
          "Correct the date in the page."),
    *CONTENT,
    # Links, videos
    *LINKING,
    # Addresses that moved or went
    *MOVING,
    Check("picture-missing", _W, "Pictures are not there",
          "Visitors see a gap, and engines drop the picture.",
          "Bring the file back, or correct its address in the page."),
    Check("video-no-source", _W, "A video element names no media file",
          "Nothing can be played or listed.",
          "Give it a src, or a source element."),
    Check("video-embed-unusable", _A, "A player has no address",
          "Whatever it plays cannot be listed.",
          "Give its element a src, or data-src where a script fills it in."),
    Check("video-service-unknown", _A, "A player is of a service that is not described",
          "What it plays has no title, still or length, so it is not listed.",
          "Describe the service in a file of services: docs/videos.md, hosting services."),
    Check("video-missing", _E, "A media file does not exist",
          "Visitors see an empty player, and engines drop the video.",
          "Bring the file back, or correct its address."),
    Check("video-broken", _E, "A media file is not whole",
          "It ends early or does not play at all.",
          "Upload it again, then survey again."),
    Check("video-gone", _W, "A hosting service no longer has a video",
          "Visitors see a player that plays nothing.",
          "Take the player out of the page, or bring the video back."),
    Check("video-service-silent", _A, "A hosting service gave no answer",
          "Titles, stills and sizes that only it knows are missing.",
          "Survey again later, or set ask = false in [videos]."),
    Check("video-thumbnail", _E, "The picture of a video cannot be used",
          "A video without a still of 60×30 pixels or more is not shown.",
          "Correct `poster` or `thumbnail`; without one the tool takes a still from the file."),
    Check("video-barred", _E, "robots.txt bars a video or its picture",
          "Engines cannot look at it and drop it.",
          "Allow its address in [robots]."),
    Check("video-not-played", _W, "Browsers do not play a media file",
          "Visitors see a player that does nothing.",
          "Offer it as MP4 with H.264 and AAC, or as WebM."),
    Check("video-duration-differs", _W, "A declared length is not that of the file",
          "Results show a wrong length, and engines distrust the rest.",
          "Correct the declared length; the one of the file is published."),
    Check("video-text-differs", _A, "A video is described otherwise than its page",
          "Results should say what visitors then find.",
          "Use one title and description for both."),
    Check("video-small", _A, "A video is shown very small",
          "Engines pass over players that are hardly visible.",
          "Show it at 200×112 pixels or more."),
    Check("video-low", _A, "A video stands far down its page",
          "Engines show videos that are what the page is about.",
          "Move it up, or give it a page of its own."),
    Check("video-repeated", _A, "A video is on several pages",
          "It is listed once, with the page that has fewest others.",
          "Nothing, where that is the right page; else give it a page of its own."),
    Check("video-incomplete", _W, "A video lacks what a sitemap requires",
          "It is left out of the video sitemap.",
          "Add what is named in the message."),
    # The set of files against the pages
    Check("sitemap-none", _E, "There is no sitemap",
          "Engines find pages only by following links.",
          "Run `jovial-atlas build`."),
    # A live server
    Check("live-failed", _E, "A listed address cannot be asked for",
          "Crawlers will not get it either.",
          "Look at the server, then check again with --resume."),
    Check("live-status", _E, "A listed address does not answer with status 200",
          "Engines drop it, and trust the sitemap less.",
          "Bring the page back, or survey and build again."),
    Check("live-redirect", _E, "A listed address redirects",
          "A sitemap lists final addresses.",
          "List the address it leads to."),
    Check("live-noindex", _E, "A listed address says noindex",
          "The sitemap asks for what the page forbids.",
          "Take the noindex out of the page or its header, or do not list it."),
    Check("live-canonical", _E, "A listed address names another canonical",
          "Only canonical addresses belong in a sitemap.",
          "Correct the canonical, or do not list the page."),
    Check("live-picture", _W, "A listed picture is not there",
          "Engines cannot show it.",
          "Bring the picture back, or survey and build again."),
    Check("live-open", _E, "A page that shall not be indexed is open to it",
          "The decision stands in the site file alone; engines never hear of it.",
          "Put the head data into the page (`build` writes it), or include the header rules in "
          "the server's configuration."),
    Check("ownership-gone", _W, "An engine cannot see that the site is the owner's",
          "It then shows the owner nothing, and takes no orders.",
          "Build, let `jovial-atlas inject` write the tag, and publish both; then ask the engine "
          "to look again."),
    Check("live-robots", _W, "The robots.txt that is served is not the one that was built",
          "What was decided is not in force, or was changed on the server.",
          "Put the built file in place, or take the changes over into the site file."),
    Check("host-open", _E, "Another host serves the site, open to indexing",
          "Engines find everything twice, and may keep the wrong address.",
          "Let it redirect to the site, ask for a password, or send X-Robots-Tag: noindex."),
    Check("build-stale", _W, "The files are older than the content",
          "Engines are told of what was, not of what is.",
          "Run `jovial-atlas build`."),
    Check("lastmod-differs", _W, "A sitemap has other dates than the pages",
          "Engines fetch what did not change, and miss what did.",
          "Run `jovial-atlas build`."),
    Check("listed-missing", _E, "Listed pages are missing from the sitemaps",
          "The files are older than the pages or the rules.",
          "Run `jovial-atlas build`."),
    Check("listed-noindexed", _E, "A noindexed page is in a sitemap",
          "The sitemap asks for what the page forbids.",
          "Run `jovial-atlas survey` and `build`; take it out of a sitemap written by hand."),
    Check("listed-redirected", _E, "A redirected address is in a sitemap",
          "A sitemap names only addresses that answer themselves.",
          "Run `jovial-atlas survey` and `build`; name the new address instead."),
    Check("listed-unknown", _E, "A sitemap names pages that do not exist",
          "Crawlers meet errors and trust the file less.",
          "Run `jovial-atlas survey` and `build`."),
    Check("listed-disallowed", _E, "A sitemap names pages barred by robots.txt",
          "Crawlers are invited and turned away at once.",
          "Take the page out of the sitemap, or the rule out of robots.txt."),
    Check("listed-other-canonical", _E, "A sitemap names a duplicate",
          "The page itself names another address as canonical.",
          "Run `jovial-atlas build`; list the canonical address instead."),
    Check("listed-unlisted", _E, "A sitemap names a page that shall not be listed",
          "The file is older than the decision.",
          "Run `jovial-atlas build`."),
    Check("file-kept", _W, "A file of this name was not written by the tool",
          "It is never overwritten, so what the site file decides is not in force there.",
          "Move it away, or hand it over with `jovial-atlas build --replace NAME` (the old "
          "file is kept in the state folder)."),
)
# fmt: on

CHECKS: dict[str, Check] = {check.code: check for check in (*_TABLE, *PROTOCOL)}


def check_of(code: str) -> Check:
    """The check of a code: ours, or one of an installed package."""
    return CHECKS.get(code) or all_checks()[code]


@cache
def all_checks() -> dict[str, Check]:
    """All checks by code: ours, then those that installed packages add. Raises AtlasError where a
    package cannot be loaded, or takes a code that is another's."""
    known = dict(CHECKS)
    for name in installed.names(installed.CHECKS):
        for check in installed.load(installed.CHECKS, name, AddedFindings).findings:
            if check.code in known:
                raise AtlasError(f"The check {name!r} of a package takes the code {check.code!r}, "
                                 "which another has.")  # fmt: skip
            known[check.code] = check
    return known
