"""Structured data against the vocabulary, the table of features and itself: one complete example a type,
one broken example a rule."""

import json

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jovial_atlas.structured.features import own_table
from jovial_atlas.structured.rules import RULES, seconds
from jovial_atlas.structured.validate import INVALID, Validator, plain_validator
from jovial_atlas.structured.vocabulary import vocabulary

X = "https://www.marrowfen.example"
PLACE = {"@type": "Place", "name": "North gate", "address": "Sedge Lane, Marrowfen"}
OFFER = {"@type": "Offer", "price": "8.00", "priceCurrency": "GBP", "availability": "https://schema.org/InStock",
         "url": f"{X}/", "validFrom": "2026-01-01", "priceValidUntil": "2027-01-01"}  # fmt: skip
PERSON = {"@type": "Person", "name": "Wren", "url": f"{X}/wren/"}
ANSWER = {"@type": "Answer", "text": "Yes."}
RATING = {"@type": "AggregateRating", "ratingValue": 4.5, "ratingCount": 12}
ORGANISATION = {"@type": "Organization", "name": "Marrowfen", "url": f"{X}/"}

#: Type → a node that lacks nothing, required or recommended.
COMPLETE = {
    "Article": {"author": PERSON, "dateModified": "2026-11-02", "datePublished": "2026-11-01", "headline": "H",
                "image": f"{X}/a.jpg"},
    "BreadcrumbList": {"itemListElement": [{"@type": "ListItem", "position": 1, "name": "A", "item": f"{X}/"},
                                           {"@type": "ListItem", "position": 2, "name": "B"}]},
    "Event": {"name": "Walk", "startDate": "2026-12-01T10:00:00+00:00", "endDate": "2026-12-01T12:00:00+00:00",
              "location": PLACE, "description": "D", "image": f"{X}/a.jpg", "offers": OFFER,
              "eventStatus": "https://schema.org/EventScheduled", "organizer": ORGANISATION, "performer": PERSON},
    "FAQPage": {"mainEntity": [{"@type": "Question", "name": "Dogs?", "acceptedAnswer": ANSWER}]},
    "QAPage": {"mainEntity": {"@type": "Question", "name": "Q", "answerCount": 1, "acceptedAnswer": ANSWER,
                              "author": PERSON, "datePublished": "2026-11-01", "text": "T", "upvoteCount": 3}},
    "HowTo": {"name": "Cut reed", "step": [{"@type": "HowToStep", "text": "Cut."}], "image": f"{X}/a.jpg",
              "totalTime": "PT1H", "supply": "Reed", "tool": "Scythe"},
    "JobPosting": {"datePosted": "2026-11-01", "description": "D", "hiringOrganization": ORGANISATION,
                   "jobLocation": PLACE, "title": "Host", "directApply": True, "employmentType": "VOLUNTEER",
                   "identifier": "1", "validThrough": "2026-12-01",
                   "baseSalary": {"@type": "MonetaryAmount", "currency": "GBP", "value": 1}},
    "LocalBusiness": {"name": "Barn", "address": {"@type": "PostalAddress", "addressCountry": "GB"},
                      "geo": {"@type": "GeoCoordinates", "latitude": 52.7, "longitude": "0.4"}, "priceRange": "£",
                      "telephone": "+44 1632 960018", "url": f"{X}/", "image": f"{X}/a.jpg",
                      "openingHoursSpecification": {"@type": "OpeningHoursSpecification", "opens": "09:00",
                                                    "closes": "17:00", "dayOfWeek": ["Monday"]}},
    "FoodEstablishment": {"name": "Café", "address": "Dyke", "geo": {"@type": "GeoCoordinates"}, "hasMenu": f"{X}/m/",
                          "telephone": "+44 1632 960018", "url": f"{X}/", "image": f"{X}/a.jpg", "priceRange": "£",
                          "servesCuisine": "Cake", "openingHoursSpecification": {"@type": "OpeningHoursSpecification"}},
    "Organization": {**ORGANISATION, "address": "Lane", "alternateName": "M", "description": "D", "email": "a@b.example",
                     "legalName": "M Ltd", "logo": f"{X}/l.png", "sameAs": [f"{X}/p"], "telephone": "+44 1632 960018",
                     "contactPoint": {"@type": "ContactPoint", "telephone": "+44 1632 960018", "contactType": "shop"}},
    "ProfilePage": {"mainEntity": {**PERSON, "alternateName": "W", "description": "D", "image": f"{X}/a.jpg",
                                   "sameAs": f"{X}/w", "identifier": "1"}},
    "Product": {"name": "Mug", "offers": OFFER, "brand": {"@type": "Brand", "name": "M"}, "description": "D",
                "sku": "1", "image": f"{X}/a.jpg"},
    "Review": {"author": PERSON, "reviewRating": RATING, "datePublished": "2026-11-01",
               "itemReviewed": {"@type": "Thing", "name": "T"}},
    "Recipe": {"name": "Soup", "image": [f"{X}/a.jpg"], "author": PERSON, "cookTime": "PT1H", "prepTime": "PT20M",
               "totalTime": "PT1H20M", "datePublished": "2026-11-01", "description": "D", "keywords": "k",
               "nutrition": {"@type": "NutritionInformation", "calories": "200 calories"}, "recipeCategory": "c",
               "recipeCuisine": "c", "recipeIngredient": ["leeks"], "recipeYield": "4", "aggregateRating": RATING,
               "recipeInstructions": [{"@type": "HowToStep", "text": "Boil."}],
               "video": {"@type": "VideoObject", "name": "V"}},
    "VideoObject": {"name": "V", "thumbnailUrl": f"{X}/a.jpg", "uploadDate": "2026-11-01", "contentUrl": f"{X}/v.mp4",
                    "description": "D", "duration": "PT12M30S"},
    "WebSite": {"name": "M", "url": f"{X}/", "alternateName": "F",
                "potentialAction": {"@type": "SearchAction", "target": X + "/?q={search_term_string}",
                                    "query-input": "required name=search_term_string"}},
    "Course": {"name": "C", "description": "D", "provider": ORGANISATION},
    "Dataset": {"name": "D", "description": "D", "creator": PERSON, "license": f"{X}/l", "identifier": "1",
                "distribution": {"@type": "DataDownload", "contentUrl": f"{X}/d.csv"}, "keywords": "k",
                "temporalCoverage": "2026", "spatialCoverage": "Fen", "url": f"{X}/"},
    "Book": {"name": "B", "author": PERSON, "isbn": "1", "url": f"{X}/"},
    "Movie": {"name": "M", "image": f"{X}/a.jpg", "dateCreated": "2026", "director": PERSON},
    "SoftwareApplication": {"name": "S", "offers": OFFER, "aggregateRating": RATING, "applicationCategory": "c",
                            "operatingSystem": "any"},
}  # fmt: skip


def told(*nodes, validator=None):
    found = (validator or plain_validator()).validate(nodes)
    return [(one.code, one.path) for one in found]


def test_the_table_has_a_complete_example_for_each_row():
    assert set(COMPLETE) == {name for name, row in own_table().items() if isinstance(row, dict)}


@pytest.mark.parametrize("kind", COMPLETE)
def test_a_complete_node_has_nothing_wrong(kind):
    assert told({"@type": kind, **COMPLETE[kind]}) == []


@pytest.mark.parametrize("kind", COMPLETE)
def test_each_property_that_is_left_out_is_told(kind):
    whole = {"@type": kind, **COMPLETE[kind]}
    row = own_table()[kind]
    for code, names in (
        ("required", row.get("required", [])),
        ("recommended", row.get("recommended", [])),
    ):
        for wanted in names:
            keys = {way.partition(".")[0] for way in wanted.split("|")}
            less = {key: value for key, value in whole.items() if key not in keys}
            found = [
                one for one in plain_validator().validate([less]) if one.code == f"data-{code}"
            ]
            assert any(wanted.split("|")[0] in one.message for one in found), wanted


EVENT = {"@type": "Event", **COMPLETE["Event"]}
BROKEN = [
    # The vocabulary
    ({"name": "x"}, ("data-type", ""), "no @type"),
    ({"@type": "Evnt"}, ("data-type", ""), "Did you mean Event?"),
    ({**EVENT, "strtDate": "x"}, ("data-property", "strtDate"), "Did you mean startDate?"),
    ({**EVENT, "recipeYield": "4"}, ("data-property", "recipeYield"), "belongs to other types"),
    ({**EVENT, "performers": PERSON}, ("data-superseded", "performers"), "superseded by performer"),
    ({"@type": "UserLikes", **COMPLETE["Event"]}, ("data-superseded", ""), "UserLikes is superseded"),
    ({**EVENT, "location": ORGANISATION | {"address": "x"}}, ("data-expected", "location"), "Place"),
    ({**EVENT, "location": {"@type": "Plce", "address": "x"}}, ("data-type", "location"), "Place"),
    # Formats
    ({**EVENT, "startDate": "next week"}, ("data-value", "startDate"), "is no Date"),
    ({**EVENT, "startDate": "2026-02-30"}, ("data-value", "startDate"), "is no Date"),
    ({**EVENT, "startDate": "2026-12-01T25:00"}, ("data-value", "startDate"), "is no Date"),
    ({**EVENT, "endDate": "2026-12-01T12:00"}, ("data-form", "endDate"), "no time zone"),
    ({**EVENT, "image": "/a.jpg"}, ("data-value", "image"), "is no URL"),
    ({**EVENT, "image": [f"{X}/a.jpg", "b.jpg"]}, ("data-value", "image[1]"), "is no URL"),
    ({**EVENT, "name": " "}, ("data-value", "name"), "empty"),
    ({**EVENT, "name": [["x"]]}, ("data-value", "name[0]"), "list"),
    ({**EVENT, "isAccessibleForFree": "perhaps"}, ("data-value", "isAccessibleForFree"), "Boolean"),
    ({**EVENT, "eventStatus": "eventscheduled"}, ("data-value", "eventStatus"), "Did you mean EventScheduled"),
    ({**EVENT, "offers": OFFER | {"price": "8,00 £"}}, ("data-value", "offers.price"), "is no price"),
    ({**EVENT, "offers": OFFER | {"priceCurrency": "pounds"}}, ("data-currency", "offers.priceCurrency"), "4217"),
    ({**EVENT, "offers": OFFER | {"availability": "plenty"}}, ("data-value", "offers.availability"), "InStock"),
    ({**EVENT, "inLanguage": "xx"}, ("data-form", "inLanguage"), "xx"),
    ({"@type": "HowTo", **COMPLETE["HowTo"], "totalTime": "1 hour"}, ("data-value", "totalTime"), "PT1H30M"),
    ({"@type": "LocalBusiness", **COMPLETE["LocalBusiness"], "telephone": "01632 960018"},
     ("data-form", "telephone"), "international"),
    ({"@type": "LocalBusiness", **COMPLETE["LocalBusiness"],
      "geo": {"@type": "GeoCoordinates", "latitude": 152, "longitude": 0}}, ("data-value", "geo.latitude"), "-90"),
    ({"@type": "LocalBusiness", **COMPLETE["LocalBusiness"],
      "address": {"@type": "PostalAddress", "addressCountry": "England"}},
     ("data-form", "address.addressCountry"), "3166"),
    ({"@type": "Organization", **COMPLETE["Organization"], "sameAs": ["social"]}, ("data-value", "sameAs[0]"), "URL"),
    ({"@type": "Organization", **COMPLETE["Organization"], "logo": "logo.png"}, ("data-value", "logo"), "URL"),
    ({"@type": "Article", **COMPLETE["Article"], "headline": "w" * 111}, ("data-form", "headline"), "110"),
    ({"@type": "QAPage", "mainEntity": COMPLETE["QAPage"]["mainEntity"] | {"answerCount": 1.5}},
     ("data-value", "mainEntity.answerCount"), "whole"),
    # Rules between properties
    ({**EVENT, "endDate": "2026-11-30"}, ("data-rule", ""), "endDate 2026-11-30 is before"),
    ({**EVENT, "eventStatus": "EventRescheduled"}, ("data-rule", ""), "previousStartDate"),
    ({"@type": "Article", **COMPLETE["Article"], "dateModified": "2026-10-01"}, ("data-rule", ""), "dateModified"),
    ({"@type": "JobPosting", **COMPLETE["JobPosting"], "validThrough": "2026-10-01"}, ("data-rule", ""), "datePosted"),
    ({"@type": "JobPosting", **{k: v for k, v in COMPLETE["JobPosting"].items() if k != "jobLocation"},
      "jobLocationType": "TELECOMMUTE"}, ("data-rule", ""), "applicantLocationRequirements"),
    ({**EVENT, "offers": OFFER | {"validThrough": "2025-01-01"}}, ("data-rule", "offers"), "validFrom"),
    ({"@type": "Recipe", **COMPLETE["Recipe"], "totalTime": "PT30M"}, ("data-rule", ""), "longer than totalTime"),
    ({"@type": "Recipe", **COMPLETE["Recipe"], "aggregateRating": RATING | {"ratingValue": 6}},
     ("data-rule", "aggregateRating"), "not within 1 and 5"),
    ({"@type": "Recipe", **COMPLETE["Recipe"], "aggregateRating": RATING | {"ratingCount": 0}},
     ("data-rule", "aggregateRating"), "above 0"),
    ({"@type": "LocalBusiness", **COMPLETE["LocalBusiness"],
      "openingHoursSpecification": {"@type": "OpeningHoursSpecification", "opens": "09:00"}},
     ("data-rule", "openingHoursSpecification"), "belong together"),
    ({"@type": "LocalBusiness", **COMPLETE["LocalBusiness"],
      "openingHoursSpecification": {"@type": "OpeningHoursSpecification", "validFrom": "2026-12-01",
                                    "validThrough": "2026-11-01"}},
     ("data-rule", "openingHoursSpecification"), "validThrough"),
    ({"@type": "VideoObject", **COMPLETE["VideoObject"],
      "publication": {"@type": "BroadcastEvent", "isLiveBroadcast": True, "startDate": "2026-12-02",
                      "endDate": "2026-12-01"}}, ("data-rule", "publication"), "endDate"),
    ({"@type": "BreadcrumbList", "itemListElement": [{"@type": "ListItem", "position": 2, "name": "A"}]},
     ("data-rule", ""), "count from 1"),
    ({"@type": "BreadcrumbList", "itemListElement": [{"@type": "ListItem", "position": 1, "name": "A"},
                                                     {"@type": "ListItem", "position": 2, "name": "B"}]},
     ("data-rule", ""), "leads nowhere"),
    ({"@type": "WebSite", **COMPLETE["WebSite"],
      "potentialAction": {"@type": "SearchAction", "target": f"{X}/", "query-input": "x"}},
     ("data-rule", "potentialAction"), "search_term_string"),
    # What is required inside
    ({**EVENT, "location": "The fen"}, ("data-required", "location"), "is a text"),
    ({**EVENT, "location": {"@type": "Place", "name": "x"}}, ("data-required", "location"), "address"),
    ({"@type": "FAQPage", "mainEntity": [{"@type": "Question", "name": "x"}]}, ("data-required", "mainEntity[0]"),
     "acceptedAnswer.text"),
]  # fmt: skip


@pytest.mark.parametrize(("node", "wanted", "words"), BROKEN)
def test_each_fault_is_told_where_it_is(node, wanted, words):
    found = plain_validator().validate([node])
    assert any((one.code, one.path) == wanted and words in one.message for one in found), found
    good = {one.code for one in found} - {"data-recommended"}
    assert good == {wanted[0]} or wanted[0] in INVALID


def test_every_rule_has_a_broken_example():
    kinds = {node.get("@type") for node, (code, _), _ in BROKEN if code == "data-rule"}
    inner = {
        "Offer",
        "OpeningHoursSpecification",
        "AggregateRating",
        "BroadcastEvent",
        "SearchAction",
        "Rating",
    }
    words = vocabulary()
    for kind, _ in RULES:
        assert kind in inner or any(kind in words.above(str(one)) for one in kinds), kind


def test_references_lead_to_nodes_of_the_page_or_elsewhere():
    place = {"@type": "Place", "@id": "#p", "name": "x"}
    event = {**EVENT, "location": {"@id": "#p"}}
    assert ("data-required", "location") in told(event, place)
    assert told(event, place | {"address": "Lane"}) == []
    assert told({**event, "location": {"@id": f"{X}/elsewhere#p"}}) == []


def test_a_role_and_a_literal_may_stand_between():
    role = {"@type": "Role", "performer": PERSON, "startDate": "2026"}
    assert told({**EVENT, "performer": role, "name": {"@value": "Walk", "@language": "en"}}) == []


def test_an_owner_puts_rows_in_place_of_the_table():
    own = Validator({"Event": {"required": ["superEvent"]}, "Person": {"recommended": ["email"]}})
    assert told(EVENT, validator=own) == [("data-required", "")]
    assert told(PERSON, validator=own) == [("data-recommended", "")]


def test_without_advice_only_what_is_wrong_is_told():
    bare = {"@type": "Event", "name": "x", "startDate": "soon"}
    codes = {one.code for one in plain_validator().validate([bare], advice=False)}
    assert codes == {"data-value", "data-required"}


@pytest.mark.parametrize(
    ("text", "wanted"),
    [("PT1H30M", 5400), ("P1D", 86400), ("PT0.5H", 1800), ("1 hour", None), (None, None)],
)
def test_durations_are_measured(text, wanted):
    assert seconds(text) == wanted


_VALUES = st.recursive(
    st.none() | st.booleans() | st.floats(allow_nan=False) | st.text(max_size=8) | st.sampled_from(["2026", X, "PT1H"]),
    lambda inner: st.lists(inner, max_size=3)
    | st.dictionaries(st.sampled_from(["@type", "@id", "@value", "name", "startDate", "location"]), inner, max_size=4),
    max_leaves=12,
)  # fmt: skip


@settings(max_examples=300, deadline=None)
@given(
    st.dictionaries(st.sampled_from(["@type", "name", "image", "offers", "geo"]), _VALUES),
    st.sampled_from(list(COMPLETE)),
)
def test_nothing_that_json_can_hold_breaks_the_validator(node, kind):
    plain_validator().validate([{**node, "@type": kind}, node])
    json.dumps(node)


def test_types_are_below_all_that_they_are():
    words = vocabulary()
    assert words.above("CafeOrCoffeeShop")[:2] == ("CafeOrCoffeeShop", "FoodEstablishment")
    assert {"LocalBusiness", "Organization", "Place", "Thing"} <= set(
        words.above("CafeOrCoffeeShop")
    )
    assert "servesCuisine" in words.properties("CafeOrCoffeeShop")
    assert "Friday" in words.members("DayOfWeek")
