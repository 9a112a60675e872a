"""What may be wrong with links, inside a site and out of it."""

from __future__ import annotations

from jovial_atlas.findings.entry import Check, Severity

_B, _E, _W, _A = Severity

# fmt: off
LINKING = (
    Check("link-broken", _W, "Links lead to pages that do not exist",
          "Visitors and crawlers meet an error page.",
          "Correct or remove the links."),
    Check("link-temporary", _E, "Links lead to a host on which the site only stood for a time",
          "Visitors come to a copy that is not theirs to see, or to nothing.",
          "Give the links the public address, or write them from '/' on."),
    Check("link-loads-nothing", _E, "Pages load files that are not there",
          "What a style sheet, a script, a picture or a film should do is missing for every "
          "visitor.",
          "Bring the file back, or correct its address."),
    Check("link-mixed", _E, "Secure pages load something without encryption",
          "Browsers block it, or warn visitors.",
          "Give it an address with https."),
    Check("link-insecure", _W, "Links lead to the site without encryption",
          "Each visit takes a detour over a redirect, and may be read on the way.",
          "Write the links with https, or from '/' on."),
    Check("link-redirects", _A, "Links lead to addresses that send visitors on",
          "Every click waits twice, and crawlers follow the detour each time.",
          "Let the links lead to the final address."),
    Check("link-fragment", _W, "Links lead to a place that their page does not have",
          "Visitors land at the beginning of the page and search by themselves.",
          "Correct the part behind '#', or give the place that id."),
    Check("link-barred", _A, "Links lead to pages that robots.txt bars",
          "Crawlers come to a closed door.",
          "Nothing, where that is meant; else open the page, or take the link out."),
    Check("link-noindex", _A, "Links lead to pages that are kept out of the index",
          "Such links help nobody to be found.",
          "Nothing, where visitors need them; else link to a page that is listed."),
    Check("link-canonical", _A, "Links lead to pages whose canonical is another",
          "The page that counts should be the one that is linked.",
          "Let the links lead to the canonical."),
    Check("link-spelling", _A, "Links spell the address of a page otherwise",
          "Servers answer with a redirect, or show the page at two addresses.",
          "Write the address as the sitemap does."),
    Check("link-gone", _W, "Links lead to pages of other sites that are gone",
          "Visitors meet an error page there.",
          "Link to another source, or take the link out."),
    Check("link-moved", _A, "Links lead to pages of other sites that moved for good",
          "The old address may stop to send visitors on at any time.",
          "Let the links lead to the new address."),
    Check("link-suspect", _A, "A page of another site answers, but says that it is not found",
          "Some sites answer so for pages that are gone.",
          "Look at it; correct the link where the page is gone."),
    Check("link-silent", _A, "A page of another site could not be looked at",
          "Nobody knows whether the link still leads anywhere.",
          "Look again later; where it stays so, look at it yourself."),
)
