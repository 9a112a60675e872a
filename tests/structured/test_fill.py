"""Nodes filled from fields: sensible by default for each type, by the owner's mapping where there is one."""

import pytest

from jovial_atlas.structured.agree import PageText, disagreements, phone_key, phones_in
from jovial_atlas.structured.fill import fill, parsed, wrong_mapping
from jovial_atlas.structured.hours import parse_hours
from jovial_atlas.structured.read import read_json_ld
from jovial_atlas.structured.spellings import duration, price
from jovial_atlas.structured.validate import INVALID, plain_validator
from jovial_atlas.structured.vocabulary import vocabulary

X = "https://www.marrowfen.example"
PAGE = {"loc": f"{X}/a/", "heading": "A heading", "title": "Title", "description": "About it",
        "images": [f"{X}/a.jpg"], "author": "Wren", "published": "2026-11-01", "changed": "2026-11-02"}  # fmt: skip


class Fields:
    """Fields of a page as a dictionary; a plain name is one of the page, others are extra."""

    base, zone = f"{X}/a/", None

    def __init__(self, **extra):
        self.extra = extra

    def field(self, name):
        kind, _, rest = name.partition(".")
        if kind == "found":
            return self.extra.get(f"found_{rest}")
        return parsed(self.extra.get(rest)) if kind == "extra" else PAGE.get(name)

    def text(self, pattern):
        return pattern.replace("{{ page.title }}", "Title")

    def ref(self, name):
        return {"@id": f"{X}/#{name}"}

    def extras(self):
        return [name for name in self.extra if not name.startswith("found_")]


#: Type → fields as editors keep them, and some values that come of them.
FILLED = {
    "NewsArticle": ({}, {"headline": "A heading", "author": {"@type": "Person", "name": "Wren"},
                         "datePublished": "2026-11-01", "publisher": {"@id": f"{X}/#publisher"}}),
    "Event": ({"start": "2026-12-01", "place": "Gate", "address": "Sedge Lane", "price": "8,00 £", "currency": "GBP",
               "status": "event postponed"},
              {"startDate": "2026-12-01", "eventStatus": "https://schema.org/EventPostponed",
               "location": {"@type": "Place", "name": "Gate", "address": "Sedge Lane"}}),
    "Product": ({"price": "1.250,50", "currency": "EUR", "availability": "in stock", "brand": "Fen"},
                {"offers": {"@type": "Offer", "price": "1250.50", "priceCurrency": "EUR", "url": f"{X}/a/",
                            "availability": "https://schema.org/InStock"}}),
    "Recipe": ({"prep": "20 min", "cook": "1 h 10 min", "ingredients": "leeks; salt", "found_steps": ["Cut.", "Boil."]},
               {"prepTime": "PT20M", "cookTime": "PT1H10M", "recipeIngredient": ["leeks", "salt"],
                "recipeInstructions": [{"@type": "HowToStep", "text": "Cut."}, {"@type": "HowToStep", "text": "Boil."}]}),
    "FAQPage": ({"found_questions": [["Dogs?", "Yes."]]},
                {"mainEntity": [{"@type": "Question", "name": "Dogs?",
                                 "acceptedAnswer": {"@type": "Answer", "text": "Yes."}}]}),
    "QAPage": ({"question": "Why?", "answer": "So.", "answer_count": 1},
               {"mainEntity": {"@type": "Question", "name": "Why?", "answerCount": 1, "datePublished": "2026-11-01",
                               "author": {"@type": "Person", "name": "Wren"},
                               "acceptedAnswer": {"@type": "Answer", "text": "So."}}}),
    "HowTo": ({"steps": '["Cut", "Dry"]', "total_time": "90"},
              {"totalTime": "PT90M", "step": [{"@type": "HowToStep", "text": "Cut"}, {"@type": "HowToStep", "text": "Dry"}]}),
    "JobPosting": ({"posted": "2026-11-01", "place": "Barn", "address": "Lane", "employment": "VOLUNTEER"},
                   {"title": "A heading", "datePosted": "2026-11-01", "employmentType": "VOLUNTEER",
                    "hiringOrganization": {"@id": f"{X}/#publisher"}}),
    "CafeOrCoffeeShop": ({"street": "3 Sedge Lane", "phone": "+44 1632 960018", "hours": "Mo-Fr 9:00-17:00", "lat": 52.7,
                          "lon": 0.4, "serves_cuisine": "Cake"},
                         {"servesCuisine": "Cake", "telephone": "+44 1632 960018",
                          "geo": {"@type": "GeoCoordinates", "latitude": 52.7, "longitude": 0.4}}),
    "ProfilePage": ({"profiles": "https://social.example/wren"}, {"name": "A heading"}),
    "Course": ({}, {"provider": {"@id": f"{X}/#publisher"}}),
    "Dataset": ({"download": "/d.csv", "licence": "https://x.example/l"},
                {"license": "https://x.example/l",
                 "distribution": {"@type": "DataDownload", "contentUrl": f"{X}/d.csv"}}),
    "ImageObject": ({}, {"contentUrl": [f"{X}/a.jpg"], "creditText": "Wren"}),
    "MusicEvent": ({"startDate": "2026-12-01", "location": "Barn", "address": "Lane"}, {"startDate": "2026-12-01"}),
}  # fmt: skip


@pytest.mark.parametrize("kind", FILLED)
def test_types_are_filled_from_the_fields_that_editors_keep(kind):
    extra, wanted = FILLED[kind]
    node = fill(kind, {}, Fields(**extra), vocabulary())
    assert {key: node.get(key) for key in wanted} == wanted
    wrong = [one for one in plain_validator().validate([node]) if one.code in INVALID]
    assert wrong == []


def test_the_owner_s_mapping_wins_and_leaves_out():
    mapping = {
        "name": "{{ page.title }}, live", "description": "", "startDate": {"field": ["extra.none", "extra.when"]},
        "location": {"type": "VirtualLocation", "url": {"field": "loc"}}, "organizer": {"ref": "place:Barn"},
        "performer": [{"type": "Person", "name": "Tamsin"}, {"type": "Person", "name": {"field": "author"}}],
        "offers": {"type": "Offer", "price": 0},
    }  # fmt: skip
    origins = {}
    node = fill("Event", mapping, Fields(when="2026-12-01"), vocabulary(), origins)
    assert node == {
        "@type": "Event", "name": "Title, live", "image": [f"{X}/a.jpg"], "url": f"{X}/a/", "startDate": "2026-12-01",
        "organizer": {"@id": f"{X}/#place:Barn"}, "offers": {"@type": "Offer", "price": 0},
        "performer": [{"@type": "Person", "name": "Tamsin"}, {"@type": "Person", "name": "Wren"}],
    } | {k: node[k] for k in ("location",) if k in node}  # fmt: skip
    assert (origins["name"], origins["startDate"]) == ("pattern", "field extra.when")


@pytest.mark.parametrize(
    ("kind", "mapping", "words"),
    [
        ("Event", {"strtDate": "x"}, "Did you mean startDate?"),
        ("Event", {"location": {"type": "Plce"}}, "Did you mean Place?"),
        ("Event", {"location": {"type": "Place", "adress": "x"}}, "Did you mean address?"),
        ("Event", {"location": {"nothing": "x"}}, "needs one of"),
    ],
)
def test_a_mapping_that_does_not_fit_is_told(kind, mapping, words):
    (told,) = wrong_mapping(kind, mapping, vocabulary())
    assert words in told


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("8,00 £", "8.00"),
        ("£1,234.50", "1234.50"),
        ("1.234.567", "1234567"),
        ("1'250.00", "1250.00"),
        ("free", "free"),
    ],
)
def test_prices_become_digits_with_a_dot(text, wanted):
    assert price(text) == wanted


@pytest.mark.parametrize(
    ("text", "wanted"),
    [("1 h 20 min", "PT1H20M"), ("35", "PT35M"), ("1:05", "PT1H5M"), ("2 days", "P2D"), ("1,5 Std", "PT1.5H"),
     ("PT5M", "PT5M"), ("a while", "a while")],
)  # fmt: skip
def test_lengths_of_time_become_iso_8601(text, wanted):
    assert duration(text) == wanted


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        (
            "Mo-Fr 9:00-17:00; Sa 10:00-12:00",
            [(5, "09:00", "17:00", None), (1, "10:00", "12:00", None)],
        ),
        ("2026-12-01..2027-01-31: Su,Mo closed", [(2, "00:00", "00:00", "2026-12-01")]),
        ("Fri-Mon 08:00-24:00", [(4, "08:00", "24:00", None)]),
        ("10:00-16:00", [(7, "10:00", "16:00", None)]),
    ],
)
def test_opening_hours_are_read_as_people_write_them(text, wanted):
    found = [
        (len(o["dayOfWeek"]), o["opens"], o["closes"], o.get("validFrom"))
        for o in parse_hours(text)
    ]
    assert found == wanted


@pytest.mark.parametrize("text", ["Mon 9-5", "Xx 09:00-17:00", "Mo 25:00-26:00", "T 09:00-10:00"])
def test_what_is_no_opening_time_is_refused(text):
    with pytest.raises(ValueError, match="is no"):
        parse_hours(text)


SHOWN = (
    "Dawn chorus walk — 2 December 2026, 8:00 am to 5 pm, North gate, £1,250 or 8,00. Call 01632 960 018. "
    "May I bring my dog? Yes, on a ‘short’ lead."
)


@pytest.mark.parametrize(
    ("node", "paths"),
    [
        ({"@type": "Event", "name": "Dawn Chorus  Walk", "startDate": "2026-12-02T08:00:00Z"}, []),
        ({"@type": "Event", "name": "Dusk walk", "startDate": "2026-12-03"}, ["name", "startDate"]),
        ({"@type": "Offer", "price": 8, "x": [{"@type": "Offer", "price": "1250.00"}]}, []),
        ({"@type": "Offer", "price": "9.00"}, ["price"]),
        ({"@type": "LocalBusiness", "telephone": "+44 1632 960018"}, []),
        ({"@type": "LocalBusiness", "telephone": "+44 1632 960019"}, ["telephone"]),
        ({"@type": "OpeningHoursSpecification", "opens": "08:00", "closes": "17:00"}, []),
        ({"@type": "OpeningHoursSpecification", "opens": "08:30", "closes": "17:00"}, ["opens"]),
        ({"@type": "OpeningHoursSpecification", "opens": "00:00", "closes": "00:00"}, []),
        ({"@type": "Question", "name": "May I bring my dog?",
          "acceptedAnswer": {"@type": "Answer", "text": "<p>Yes, on a 'short' lead.</p>"}}, []),
        ({"@type": "Place", "address": {"@type": "PostalAddress", "streetAddress": "North gate"}}, []),
        ({"@type": "Place", "address": {"@type": "PostalAddress", "streetAddress": "South gate"}},
         ["address.streetAddress"]),
        ({"@type": "WebSite", "name": "Not on the page"}, []),
    ],
)  # fmt: skip
def test_data_is_looked_for_in_any_form_that_people_write(node, paths):
    found = list(disagreements(node, PageText(SHOWN, "en-GB")))
    assert [one.path for one in found] == paths
    if paths == ["address.streetAddress"]:
        assert "north gate" in found[0].nearest


def test_dates_are_known_in_the_language_of_the_page():
    event = {"@type": "Event", "startDate": "2026-12-02"}
    for text, language in (
        ("am 2. Dezember 2026", "de"),
        ("le 2 décembre 2026", "fr"),
        ("2.12.2026", "de-AT"),
    ):
        assert list(disagreements(event, PageText(text, language))) == [], text
    assert list(disagreements(event, PageText("3. Dezember", "de")))


def test_telephone_numbers_are_found_as_they_are_written_and_known_again():
    assert phones_in("Call 01632 960 018, on 2026-11-23, 12 times") == ["01632 960 018"]
    assert (
        phone_key("+44 (0)1632 960018") == phone_key("01632 960 018") != phone_key("01632 960 019")
    )


def test_titles_that_a_generator_escaped_and_empty_blocks_are_no_disagreement():
    note = {"@type": "BlogPosting", "headline": "Beetles &amp; June"}
    assert list(disagreements(note, PageText("Beetles & June"))) == []
    (found,) = disagreements({"@type": "Blog", "headline": "Blog"}, PageText("How long it takes"))
    assert found.nearest == "", "a short word is like many others"
    assert read_json_ld(" \n") == ([], [])
