"""What may be wrong with the table of moves."""

from __future__ import annotations

from jovial_atlas.findings.entry import Check, Severity

_B, _E, _W, _A = Severity

# fmt: off
MOVING = (
    Check("move-loop", _E, "Moves lead round in a circle",
          "Visitors see an error of their browser; the moves are not written.",
          "Correct `to` of one of the rows in the table of moves."),
    Check("move-contradicts", _E, "An old address has two moves",
          "Only one of them can be meant.",
          "Take one of the two rows out of the table of moves."),
    Check("move-nowhere", _E, "Moves lead to addresses where there is nothing",
          "Visitors are sent from one error page to another.",
          "Correct `to`, or say that the page is gone: `jovial-atlas moves gone PATH`."),
    Check("move-hides-page", _W, "There are pages at addresses that moved",
          "A page that exists is not sent on, or a page that should be found is taken out.",
          "Take the row out of the table of moves, or the page off the site; a page that stays and "
          "shall be sent on needs a rule with `send_to`."),
    Check("move-outside", _W, "Moves lead to pages that send visitors on by themselves",
          "Every visitor takes two hops, and engines may give up on the way.",
          "Let the move lead to the final address."),
    Check("move-noindex", _W, "Moves lead to pages that are kept out of the index",
          "What engines knew of the old address is lost.",
          "Let them lead to a page that is listed, or open the page to the index."),
    Check("move-swallowed", _W, "A pattern comes too late to be asked",
          "An earlier pattern of the table takes all its addresses.",
          "Put the narrower pattern before the wider one."),
    Check("move-home", _A, "Old addresses are sent to the home page",
          "Engines take that for \"not found\", and visitors do not find what they came for.",
          "Lead each to the page that is most like it, or say that it is gone."),
    Check("move-chain", _A, "Moves lead to addresses that moved again",
          "In the table it is two hops; `build` writes one.",
          "Nothing; or let `to` name the final address."),
    Check("move-unasked", _A, "Moves that nobody asked for in a year",
          "Links to the old addresses seem to be gone.",
          "Nothing: keep them, for good where it costs nothing. Or take the rows out."),
    Check("variant-open", _E, "Another host or scheme serves the site by itself",
          "Engines find every page twice, and links to it count for two addresses.",
          "Let it lead to the one address in one hop: `build` writes rules for it, as "
          "nginx-hosts.conf and in apache-spellings.conf."),
    Check("variant-twice", _W, "Another spelling of an address shows the page as well",
          "Engines may keep either; visitors' links count for two addresses.",
          "Let it lead to the one address: `build` writes rules for it, as nginx-spellings.conf "
          "and apache-spellings.conf."),
    Check("variant-hops", _W, "Another spelling of an address takes several hops",
          "Every visitor waits for each of them, and engines follow only so many.",
          "Let the first answer name the final address."),
    Check("variant-temporary", _W, "Another spelling of an address is sent on for a time only",
          "Engines keep both addresses.",
          "Answer with status 301 or 308."),
    Check("variant-elsewhere", _E, "Another spelling of an address leads to something else",
          "Visitors come to a page that they did not ask for.",
          "Let it lead to the page itself, not to the home page."),
    Check("variant-warned", _W, "Another host of the site has no certificate",
          "Visitors of that address see a warning, not the page.",
          "Have the certificate cover that host too, or take the host out of DNS."),
    Check("variant-lost", _A, "Another spelling of an address is not found",
          "People who type it, or copy it with what is around it, see an error page.",
          "Let it lead to the page, where visitors use it."),
    Check("move-unwritten", _W, "A move cannot be written for a server",
          "Who asks for the old address sees an error page there.",
          "Shorten the address, or write the redirect yourself."),
)
