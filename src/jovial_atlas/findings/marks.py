"""The table of marks: each code with its group, its weight, its limits, what is thought right, why
it counts and what to do. The reference page of marks is made from this table.
"""

from __future__ import annotations

from collections.abc import Mapping
from enum import StrEnum

import msgspec


class MarkState(StrEnum):
    """How a mark stands."""

    GOOD = "good"
    BETTER = "better"
    SHORT = "short"


class MarkGroup(StrEnum):
    """What marks are about."""

    PHRASE = "target phrase"
    TEXTS = "texts"
    STRUCTURE = "structure"
    LINKS = "links"
    MEDIA = "pictures and films"
    READING = "reading"
    DELIVERY = "delivery"


class Mark(msgspec.Struct, frozen=True):
    """One mark. `what` names it, `limits` are numbers that the site file may set: `least`
    and `most` of what is measured. What is told as `advice` never falls short."""

    code: str
    group: MarkGroup
    weight: float
    what: str
    why: str
    fix: str
    limits: Mapping[str, float] = msgspec.field(default_factory=dict)
    advice: bool = False


_P, _T, _S, _L, _M, _R, _D = MarkGroup

# fmt: off
_TABLE = (
    # The target phrase: whether it stands where readers look. There is no density to reach.
    Mark("phrase-title", _P, 3, "Phrase in the title",
         "The title is what a result is read by.",
         "Say it in the title, in words that a reader would use."),
    Mark("phrase-heading", _P, 2, "Phrase in the heading",
         "Who comes from a result looks for what was searched.",
         "Say it in the heading, in any form or order."),
    Mark("phrase-beginning", _P, 2, "Phrase in the first paragraph",
         "Readers decide there whether they are at the right place.",
         "Say in the first paragraph what the page is about."),
    Mark("phrase-address", _P, 1, "Phrase in the address",
         "Addresses are shown in results and where links are shared.",
         "Choose such an address for the next page; to change this one costs a redirect."),
    Mark("phrase-description", _P, 1, "Phrase in the description",
         "Engines show what was searched in bold there.",
         "Say it in the description."),
    Mark("phrase-subheading", _P, 1, "Phrase in a subheading",
         "Who skims a long page finds the part by its subheading.",
         "Say it in one of the subheadings, where one is about it."),
    Mark("phrase-alt", _P, 0.5, "Phrase in an alternative text",
         "Pictures are found by what their alternative texts say.",
         "Where a picture shows it, say so in its alternative text."),
    Mark("phrase-often", _P, 3, "How often the phrase is said",
         "A text with the same words over and over reads badly, and engines take it for a trick.",
         "Say it where it belongs and leave it out elsewhere; other words say the same.",
         {"most": 3.0, "least": 6}),
    Mark("phrase-shared", _P, 2, "Other pages for the phrase",
         "Two pages after the same words take visitors from each other.",
         "Choose another phrase for one of them, or make one page of both."),
    # Texts
    Mark("title-size", _T, 2, "Length of the title",
         "What is longer is cut in results, what is very short says little.",
         "Write a title that results show whole."),
    Mark("title-own", _T, 3, "Other pages with the title",
         "Readers of results cannot tell pages with one title apart.",
         "Give each page a title of its own."),
    Mark("title-says", _T, 2, "What the title says",
         "A title that only names the site, or says something else than the heading, misleads.",
         "Say in the title what the heading says; the name of the site may follow."),
    Mark("description-size", _T, 2, "Length of the description",
         "What is longer is cut in results; where there is none, engines choose a passage.",
         "Write a description that results show whole."),
    Mark("description-own", _T, 1, "Other pages with the description",
         "The same text under several results tells readers nothing.",
         "Write a description for this page alone."),
    Mark("text-length", _T, 2, "Length of the text",
         "A page that says far less than others of its kind seldom answers what people look for.",
         "Say what readers still want to know, join the page to another, or leave it unlisted.",
         {"least": 0.4}),
    Mark("opening", _T, 1, "First paragraph",
         "The first paragraph tells readers, and engines, what follows.",
         "Begin with two or three sentences that say what the page is about.",
         {"least": 12, "most": 120}),
    # Structure
    Mark("heading-main", _S, 2, "Main heading",
         "The main heading names the page (WCAG 2.2, 2.4.6).",
         "Give the page one h1 with its name.", {"most": 1}),
    Mark("heading-order", _S, 1, "Levels of headings",
         "Screen readers go by the levels (WCAG 2.2, 1.3.1).",
         "Let each heading be at most one level below the one before."),
    Mark("heading-spacing", _S, 1.5, "Text without a subheading",
         "Readers skim; without subheadings they find nothing.",
         "Part the text at its turns, each part with a subheading.", {"most": 350}),
    Mark("heading-ids", _S, 0.5, "Subheadings to link to",
         "Others link to the part they mean, and engines lead there.",
         "Give subheadings ids."),
    Mark("lists-marked", _S, 0.5, "Lists by signs alone",
         "Signs at the beginning of a line are read out, and no list (WCAG 2.2, 1.3.1).",
         "Use ul or ol instead of signs and numbers."),
    Mark("tables-marked", _S, 0.5, "Heads of tables",
         "Without th nobody who listens knows what a cell is about (WCAG 2.2, 1.3.1).",
         "Mark the heads of columns and rows with th."),
    Mark("language-declared", _S, 1, "Language of the page",
         "Screen readers and translators need it (WCAG 2.2, 3.1.1).",
         "Put lang on the html element."),
    # Links
    Mark("links-in", _L, 2, "Links from other pages",
         "A page without links to it is hard to find, for readers and for crawlers.",
         "Link to it from pages about the same.", {"least": 2}),
    Mark("links-within", _L, 2, "Links to other pages of the site",
         "Who has read it wants to know where to go on.",
         "Link to pages about the same.", {"least": 1}),
    Mark("links-out", _L, 0.5, "Links to other sites",
         "Sources and further reading make a text more useful.",
         "Name a source or further reading, where there is any.", {"least": 1}, advice=True),
    Mark("links-said", _L, 1, "Texts of links",
         "A link that is called 'here' says nothing to those who skim or listen "
         "(WCAG 2.2, 2.4.4).",
         "Let the text of the link name what it leads to."),
    Mark("links-lead", _L, 2, "Where links lead",
         "Links to pages that are gone, moved or kept out of the index waste visitors and crawls.",
         "Link to the page that counts."),
    # Pictures and films
    Mark("alt-there", _M, 1.5, "Alternative texts",
         "Who does not see a picture, and every engine, knows it by that (WCAG 2.2, 1.1.1).",
         'Say what each picture shows; alt="" for those that only decorate.'),
    Mark("alt-own", _M, 0.5, "Alternative texts alike",
         "The same text for several pictures tells none of them.",
         "Say of each picture what it shows."),
    Mark("alt-words", _M, 1, "Alternative texts as words",
         "The name of a file says nothing.",
         "Say what the picture shows."),
    Mark("picture-weight", _M, 1.5, "Weight of pictures",
         "Heavy pictures make a page slow, most of all on phones.",
         "Save them smaller, or as WebP or AVIF.", {"most": 500_000}),
    Mark("picture-size", _M, 0.5, "Size of pictures",
         "What is far larger than it is shown costs time for nothing.",
         "Save them no larger than twice the place they get.", {"most": 3.0}),
    Mark("picture-format", _M, 0.5, "Formats of pictures",
         "Browsers show others badly or not at all.",
         "Save them as JPEG, PNG, WebP, AVIF or SVG."),
    Mark("film-still", _M, 1, "Stills of films",
         "Results show films by their stills.",
         "Give each film a poster."),
    Mark("film-transcript", _M, 1, "What films say, to be read",
         "Who does not hear, and every engine, reads it (WCAG 2.2, 1.2.1).",
         "Put a transcript on the page, or captions into the film."),
    # Reading: lengths alone, so advice with limits of its own
    Mark("reading-ease", _R, 1, "Ease of reading",
         "Plain texts are understood by more people. Formulas measure lengths, not sense: names, "
         "code and technical terms count as hard (WCAG 2.2, 3.1.5).",
         "Use shorter sentences and common words; or switch this off for technical sections.",
         advice=True),
    Mark("sentence-length", _R, 0.5, "Length of sentences",
         "Long sentences have to be read twice.",
         "Part the longest ones.", {"most": 25, "least": 0.25}, advice=True),
    Mark("paragraph-length", _R, 0.5, "Length of paragraphs",
         "Long blocks of text are skipped.",
         "Part the longest ones.", {"most": 150}, advice=True),
    # Delivery: what `check` knows of the page
    Mark("found-errors", _D, 4, "Errors by check",
         "What is wrong there is lost on engines, whatever the text says.",
         "`jovial-atlas check` shows each with what to do."),
    Mark("found-warnings", _D, 2, "Warnings by check",
         "Each costs some of what the page could have.",
         "`jovial-atlas check` shows each with what to do."),
    Mark("share-picture", _D, 1, "Picture for sharing",
         "Where pages are shared, those with a picture are clicked.",
         "Name a picture of 1200×630 pixels, or set one for its section."),
    Mark("structured-data", _D, 1, "Structured data",
         "Engines show more of pages whose data they can read.",
         "Give its section a type of the vocabulary (`schema`)."),
)
# fmt: on
MARKS = {mark.code: mark for mark in _TABLE}
