"""Each mark just inside and just outside its limit, in two languages; settings, exemptions, scores."""


import pytest

from jovial_atlas.findings.marks import MARKS, MarkGroup
from jovial_atlas.review.judging import judge_page
from jovial_atlas.review.measures import measures_of
from jovial_atlas.review.reviewed import (
    KnownFault,
    MarkSetting,
    PictureFile,
    ReviewedPage,
    ShownFilm,
)
from jovial_atlas.values import replace

LOC = "https://www.marrowfen.example/species/otter/"
WORDS = "The otter comes at dawn and leaves before the first walkers are here. "
WORTE = "Der Otter kommt bei Tagesanbruch und geht, bevor die ersten Besucher da sind. "


def html(body, *, head="<title>Otter</title>", language="en"):
    return f"<!doctype html><html lang={language}><head>{head}</head><body><main>{body}</main>".encode()


def page(body="<h1>Otter</h1>", language="en", **known):
    phrases = known.get("phrases", ())
    return ReviewedPage(
        loc=LOC, language=language, **{"title": "Otters of the marsh", "heading": "Otters"} | known,
        measures=measures_of(html(body, language=language), LOC, language, phrases),
    )  # fmt: skip


def state(code, given, settings=None):
    found = {one.code: str(one.state) for one in judge_page(given, settings).marks}
    return found.get(code, "none")


def text(count, language="en"):
    words = (WORDS if language == "en" else WORTE).split()
    return "<p>" + " ".join((words * (count // len(words) + 1))[:count]) + "</p>"


OTTER, FISCHOTTER = ("otter tracks",), ("Spuren des Otters",)


# Code, page, state; for many the other language beside.
@pytest.mark.parametrize(
    ("code", "given", "wanted"),
    [
        ("phrase-title", page(phrases=OTTER, title="Tracks of an otter"), "good"),
        ("phrase-title", page(phrases=OTTER, title="Tracks of a heron"), "short"),
        ("phrase-title", page(language="de", phrases=FISCHOTTER, title="Otter: Spur"), "good"),
        ("phrase-title", page(language="de", phrases=FISCHOTTER, title="Reiher"), "short"),
        ("phrase-title", page(phrases=("heron", "otter track"), title="Otter tracks"), "good"),
        ("phrase-heading", page(phrases=OTTER, heading="The otter’s track"), "good"),
        ("phrase-heading", page(phrases=OTTER, heading="Signs"), "short"),
        ("phrase-beginning", page(f"{text(30)}", phrases=("otter at dawn",)), "good"),
        ("phrase-beginning", page(f"{text(30)}", phrases=OTTER), "short"),
        ("phrase-beginning", page("<p>Short.</p>", phrases=OTTER), "none"),
        ("phrase-address", page(phrases=("otter",)), "good"),
        ("phrase-address", page(phrases=OTTER), "better"),
        ("phrase-description", page(phrases=OTTER, description="Otter tracks here"), "good"),
        ("phrase-description", page(phrases=OTTER, description="Of herons"), "better"),
        ("phrase-subheading", page("<h2>Tracks of otters</h2><h2>B</h2>", phrases=OTTER), "good"),
        ("phrase-subheading", page("<h2>A</h2><h2>B</h2>", phrases=OTTER), "better"),
        ("phrase-alt", page('<img src=a.jpg alt="An otter track">', phrases=OTTER), "good"),
        ("phrase-alt", page('<img src=a.jpg alt="Mud">', phrases=OTTER), "better"),
        ("phrase-alt", page("<img src=a.jpg>", phrases=OTTER), "none"),
        ("phrase-often", page("<p>" + "otter tracks " * 5 + "</p>", phrases=OTTER), "good"),
        ("phrase-often", page("<p>" + "otter tracks " * 6 + "</p>", phrases=OTTER), "short"),
        ("phrase-often", page("<p>" + ("otter tracks " + "mud " * 32) * 9 + "</p>",
                              phrases=OTTER), "good"),
        ("phrase-often", page("<p>" + ("otter tracks " + "mud " * 24) * 9 + "</p>",
                              phrases=OTTER), "better"),
        ("phrase-shared", page(phrases=OTTER, rivals={"otter tracks": []}), "good"),
        ("phrase-shared", page(phrases=OTTER, rivals={"otter tracks": [LOC + "b/"]}), "better"),
        ("title-size", page(title="Otters at dawn."), "good"),
        ("title-size", page(title="Otters at dawn"), "better"),
        ("title-size", page(title="Otters " * 20), "better"),
        ("title-size", page(title=None), "short"),
        ("title-size", page(title="Otters at the sluice", own_title=False), "short"),
        ("title-own", page(same_title=[]), "good"),
        ("title-own", page(same_title=[LOC + "b/"]), "short"),
        ("title-own", page(), "none"),
        ("title-says", page(heading="An otter", title="Otters at Marrowfen"), "good"),
        ("title-says", page(language="de", heading="Vögel", title="Ein Vogel"), "good"),
        ("title-says", page(heading="Herons", title="Otters at Marrowfen"), "better"),
        ("title-says", page(title="Marrowfen", site_names=("Marrowfen",)), "short"),
        ("description-size", page(description="x" * 70), "good"),
        ("description-size", page(description="x" * 69), "better"),
        ("description-size", page(description="w" * 160), "better"),
        ("description-size", page(), "short"),
        ("description-own", page(description="x" * 70, same_description=[]), "good"),
        ("description-own", page(description="x" * 70, same_description=[LOC]), "short"),
        ("text-length", page(words=40, usual_words=100), "good"),
        ("text-length", page(words=39, usual_words=100), "better"),
        ("text-length", page(words=19, usual_words=100), "short"),
        ("text-length", page(words=19, usual_words=100, is_text=False), "none"),
        ("opening", page(text(12) + text(100)), "good"),
        ("opening", page(text(11) + text(100)), "better"),
        ("opening", page(text(121)), "better"),
        ("opening", page("<div>" + "words " * 120 + "</div>"), "better"),
        ("heading-main", page("<h1>A</h1>"), "good"),
        ("heading-main", page("<h1>A</h1><h1>B</h1>"), "better"),
        ("heading-main", page("<h2>A</h2>"), "short"),
        ("heading-main", page("<h2>A</h2>", is_whole=False), "none"),
        ("language-declared", page(is_whole=False), "none"),
        ("heading-order", page("<h1>A</h1><h2>B</h2><h3>C</h3><h2>D</h2>"), "good"),
        ("heading-order", page("<h1>A</h1><h3>B</h3>"), "better"),
        ("heading-spacing", page("<h2>A</h2>" + text(350)), "good"),
        ("heading-spacing", page("<h2>A</h2>" + text(351, "de"), "de"), "better"),
        ("heading-spacing", page("<h2>A</h2>" + text(701)), "short"),
        ("heading-spacing", page(f"<h2>A</h2>{text(300)}<pre>{'x ' * 900}</pre>"), "good"),
        ("heading-ids", page("<h2 id=a>A</h2><section id=b><div><h2>B</h2></div></section>"), "good"),
        ("heading-ids", page("<h2 id=a>A</h2><h2>B</h2>"), "better"),
        ("lists-marked", page("<ul><li>a</ul>"), "good"),
        ("lists-marked", page("<p>• one</p><p>• two</p><p>• three</p>"), "better"),
        ("lists-marked", page("<ul><li>a</ul><p>• one</p><p>• two</p>"), "good"),
        ("tables-marked", page("<table><tr><th>a<th>b<tr><td>1<td>2</table>"), "good"),
        ("tables-marked", page("<table><tr><td>a<td>b<tr><td>1<td>2</table>"), "better"),
        ("tables-marked", page("<table role=presentation><tr><td>a<td>b<tr><td>1<td>2</table>"),
         "none"),
        ("language-declared", page(), "good"),
        ("language-declared", page(declares_language=False), "short"),
        ("links-in", page(links_in=2), "good"),
        ("links-in", page(links_in=1), "better"),
        ("links-in", page(links_in=0), "short"),
        ("links-in", page(links_in=3, important=True), "better"),
        ("links-in", page(links_in=0, is_home=True), "none"),
        ("links-within", page("<a href=/otters/>Otters</a>"), "good"),
        ("links-within", page("<a href=#top>Otters</a>"), "short"),
        ("links-out", page("<a href=https://a.example/>Source</a>"), "good"),
        ("links-out", page(), "better"),
        ("links-said", page("<a href=/a/>Otters at dawn</a>"), "good"),
        ("links-said", page("<a href=/a/>here</a>"), "better"),
        ("links-said", page("<a href=/a/>here</a> <a href=/b/>Read more…</a>"), "short"),
        ("links-said", page("<a href=/a/>hier</a> <a href=/b/>weiterlesen »</a>", "de"), "short"),
        ("links-said", page("<a href=/a/ aria-label='Otters at dawn'>here</a>"), "good"),
        ("links-said", page("<a href=/a/><img src=a.png alt=more></a>"), "better"),
        ("links-lead", page(leads=[]), "good"),
        ("links-lead", page(leads=[(LOC, "does not exist")]), "short"),
        ("alt-there", page("<img src=a.jpg alt=Otter><img src=b.jpg alt=''>"), "good"),
        ("alt-there", page("<img src=a.jpg alt=Otter><img src=b.jpg>"), "short"),
        ("alt-there", page("<img src=a.jpg aria-hidden=true>"), "good"),
        ("alt-own", page("<img src=a.jpg alt=Otter><img src=b.jpg alt=Otters>"), "good"),
        ("alt-own", page("<img src=a.jpg alt=Otter><img src=b.jpg alt=Otter>"), "better"),
        ("alt-words", page("<img src=a.jpg alt='An otter'>"), "good"),
        ("alt-words", page("<img src=a.jpg alt='IMG_2041'>"), "better"),
        ("alt-words", page("<img src=a.jpg alt=a.jpg><img src=b.jpg alt='Bild 12'>"), "short"),
        ("picture-weight", page(pictures={LOC: PictureFile(500_000)}), "good"),
        ("picture-weight", page(pictures={LOC: PictureFile(500_001)}), "better"),
        ("picture-weight", page(pictures={LOC: PictureFile(1_000_001)}), "short"),
        ("picture-size", page("<img src=a.jpg width=400>",
                              pictures={f"{LOC}a.jpg": PictureFile(width=1_200)}), "good"),
        ("picture-size", page("<img src=a.jpg width=399>",
                              pictures={f"{LOC}a.jpg": PictureFile(width=1_200)}), "better"),
        ("picture-format", page(pictures={LOC: PictureFile(format="webp")}), "good"),
        ("picture-format", page(pictures={LOC: PictureFile(format="tiff")}), "short"),
        ("film-still", page(films=[ShownFilm("a", True, True)]), "good"),
        ("film-still", page(films=[ShownFilm("a", False, True)]), "short"),
        ("film-transcript", page(films=[ShownFilm("a", True, True)]), "good"),
        ("film-transcript", page(films=[ShownFilm("a", True, False)]), "better"),
        ("reading-ease", page(text(130)), "good"),
        ("reading-ease", page("<p>" + "Institutional considerations necessitate comprehensive "
                              "administrative evaluation. " * 20 + "</p>"), "better"),
        ("reading-ease", page("<p>" + "Verwaltungsvereinfachungsmaßnahmen erfordern grundsätzlich "
                              "umfassende Berücksichtigung. " * 30 + "</p>", "de"), "better"),
        ("reading-ease", page(text(90)), "none"),
        ("sentence-length", page("<p>" + ("word " * 24 + "word. ") * 6 + "</p>"), "good"),
        ("sentence-length", page("<p>" + ("Wort " * 25 + "Wort. ") * 6 + "</p>", "de"), "better"),
        ("sentence-length", page("<p>" + "湿地には多くの鳥がいて朝は静かです。" * 30 + "</p>", "ja"), "good"),
        ("sentence-length", page("<p>" + "湿地" * 300 + "。</p>", "ja"), "better"),
        ("reading-ease", page("<p>" + "湿地には多くの鳥がいて朝は静かです。" * 90 + "</p>", "ja"), "none"),
        ("opening", page("<p>" + "湿地には鳥がいます。" * 30 + "</p>", "ja"), "better"),
        ("paragraph-length", page(text(150)), "good"),
        ("paragraph-length", page(text(151, "de"), "de"), "better"),
        ("found-errors", page(faults=[]), "good"),
        ("found-errors", page(faults=[KnownFault("json-ld-broken", "error", "no JSON")]), "short"),
        ("found-errors", page(faults=[KnownFault("date-unreadable", "warning", "x")]), "good"),
        ("found-warnings", page(faults=[KnownFault("date-unreadable", "warning", "x")]), "short"),
        ("found-warnings", page(faults=[]), "good"),
        ("found-warnings", page(), "none"),
        ("share-picture", page(has_share_picture=True), "good"),
        ("share-picture", page(has_share_picture=False), "better"),
        ("structured-data", page(has_data=True), "good"),
        ("structured-data", page(has_data=False), "better"),
    ],
)  # fmt: skip
def test_a_mark_turns_at_its_limit(code, given, wanted):
    assert state(code, given) == wanted


def test_the_table_of_marks_is_whole():
    cases = test_a_mark_turns_at_its_limit.pytestmark[0].args[1]
    states = {code: {wanted for one, _, wanted in cases if one == code} for code in MARKS}
    assert [code for code, seen in states.items() if "good" not in seen or len(seen) < 2] == []
    assert all(one.fix.endswith(".") and one.why.endswith(".") for one in MARKS.values())
    assert {one.group for one in MARKS.values()} == set(MarkGroup)


def test_a_site_sets_weights_and_limits_and_switches_marks_off():
    long = page("<h2>A</h2>" + text(351))
    assert state("heading-spacing", long, {"heading-spacing": MarkSetting(most=351)}) == "good"
    assert state("heading-spacing", long, {"heading-spacing": MarkSetting(on=False)}) == "none"
    assert state("links-in", page(links_in=2), {"links-in": MarkSetting(least=3)}) == "better"
    bare, told = page(), {code: MarkSetting(weight=0) for code in MARKS}
    assert judge_page(bare, told).score is None, "nothing counts"
    heavy = judge_page(bare, told | {"title-size": MarkSetting(weight=1)})
    assert (heavy.score, heavy.raising()) == (100, [])


def test_an_exempt_mark_is_shown_and_does_not_count():
    bare = judge_page(page())
    excused = judge_page(page(), exempt={"description-size": "an index"})
    (mark,) = [one for one in excused.marks if one.code == "description-size"]
    assert (mark.exempt, str(mark.state)) == ("an index", "short")
    assert excused.score > bare.score
    assert "description-size" in [one.code for one in bare.raising()]
    assert "description-size" not in [one.code for one in excused.raising(50)]


def test_the_score_names_what_would_raise_it_most_and_important_pages_are_held_to_more():
    plain = judge_page(page(links_in=1, description="x" * 69))
    assert 0 <= plain.score < 100
    assert [one.code for one in plain.raising(2)] == ["links-within", "description-size"]
    held = judge_page(replace(plain.page, important=True))
    assert held.score < plain.score
    best = judge_page(page(links_in=9, description="x" * 80, title="Otters of the marsh"))
    assert best.score > plain.score
