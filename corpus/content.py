"""What the corpus says: articles and manual pages of the reserve, with all that is true of them."""

from __future__ import annotations

import random
from dataclasses import dataclass, field

_SENTENCES = (
    "The water stood up to the lowest step of the tower all morning.",
    "Two bitterns called from the far side of the reed bed until the mist lifted.",
    "Volunteers cut the willow back before the first of the spring visitors arrive.",
    "A marsh harrier crossed the lagoon three times and went away without a catch.",
    "The boardwalk by the second hide is open again after the winter flood.",
    "Whoever walks slowly will see more of the dragonflies than whoever walks far.",
    "The sluice was set a hand lower, so the meadow dries out earlier this year.",
    "Ringers counted forty reedlings in one morning, more than in any year before.",
    "Frogs have moved into the new pond even before its banks were planted.",
    "The wind took the old nest platform, and a new one stands since yesterday.",
    "Children of the village school built boxes for bats and hung them in the barn.",
    "From the bench at the bend one hears the rails long before one sees them.",
)
_SUBJECTS = (
    "Reedlings", "Dragonflies", "Willows", "Sluices", "Harriers", "Frogs", "Boardwalks", "Bats",
    "Otters", "Sedges", "Moths", "Rails", "Herons", "Newts", "Snipes", "Orchids", "Bitterns",
    "Terns", "Beetles", "Ditches", "Cranes", "Pike", "Mosses", "Grebes", "Swallows", "Lapwings",
    "Voles", "Peat", "Ospreys", "Geese", "Hedges", "Spiders", "Weasels", "Cuckoos", "Hares",
    "Mushrooms", "Ferns", "Gulls", "Ponds", "Owls", "Toads", "Snails", "Reeds", "Egrets", "Mice",
    "Slugs",
)  # fmt: skip
#: Titles as people write them: short, with signs, as a question.
_TITLES = (
    "{} in {}", "{}, and what {} did to them", "{}: a diary of {}", "Where are the {} in {}?",
    "{} & {}", "{} – seen in {}", "{} (late {})",
)  # fmt: skip
_AUTHORS = ("Wren Aldergate", "Moss Tarnby", "Ash Fenwick")
_TAGS = ("birds", "insects", "water", "plants", "volunteers")


@dataclass(frozen=True)
class Article:
    """One article, or a page of a manual where it has no date."""

    slug: str
    title: str
    paragraphs: tuple[str, ...]
    date: str = ""
    author: str = ""
    tags: tuple[str, ...] = ()
    language: str = "en"
    picture: str = ""
    film: str = ""
    draft: bool = False
    #: The slug of the same article in the main language.
    version_of: str = ""
    folder: str = field(default="", compare=False)


def _paragraphs(chance: random.Random) -> tuple[str, ...]:
    return tuple(
        " ".join(chance.sample(_SENTENCES, chance.randint(4, 6)))
        for _ in range(chance.randint(3, 5))
    )


def articles() -> list[Article]:
    """The posts of a blog: the newest last; drafts and German versions among them."""
    chance = random.Random(7)
    posts = [
        Article(
            f"{subject.lower()}-in-{month}",
            _TITLES[number % len(_TITLES)].format(subject, month.capitalize()),
            _paragraphs(chance),
            date=f"2026-{number % 9 + 1:02}-{number * 3 % 27 + 1:02}",
            author=chance.choice(_AUTHORS),
            tags=tuple(sorted(chance.sample(_TAGS, 2))),
            picture=f"{subject.lower()}.jpg" if number % 3 == 0 else "",
            film=f"{subject.lower()}.mp4" if number % 16 == 7 else "",
            draft=number in (5, 11),
        )
        for number, subject in enumerate(_SUBJECTS)
        for month in [("april", "may", "june", "july")[number % 4]]
    ]
    german = [
        Article(
            f"{post.slug}-de",
            f"{post.slug.split('-')[0].capitalize()} im Moor",
            (f"Am {number + 3}. Tag stand das Wasser den ganzen Morgen bis zur untersten Stufe des "
             "Turmes, und zwei Rohrdommeln riefen aus dem Schilf, bis der Nebel sich hob.",
             "Wer langsam geht, sieht mehr von den Libellen als wer weit geht; die Bank an der "
             "Biegung ist dafür der beste Platz im ganzen Moor."),
            date=post.date,
            author=post.author,
            tags=post.tags,
            language="de",
            version_of=post.slug,
        )
        for number, post in enumerate(posts[:12]) if not post.draft
    ]  # fmt: skip
    return [*posts, *german]


def manual() -> list[Article]:
    """The pages of a manual, in folders; one is called like an error page and is none."""
    chance = random.Random(11)
    names = ("water/sluices", "water/levels", "birds/counting", "birds/ringing", "plants/mowing",
             "plants/reed", "tools/error", "tools/search", "tools/telescope", "water/pumps",
             "water/weirs", "water/ice", "birds/nests", "birds/boxes", "birds/feeding",
             "plants/orchids", "plants/seeds", "plants/fire", "tools/archive", "tools/boats",
             "tools/index-cards", "people/wardens", "people/schools", "people/authors")  # fmt: skip
    return [
        Article(
            name.rpartition("/")[2],
            f"How we handle {name.rpartition('/')[2]}",
            _paragraphs(chance),
            picture="sluices.jpg" if name == "water/sluices" else "",
            folder=name.partition("/")[0],
        )
        for name in names
    ]
