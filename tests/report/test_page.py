"""The page as bytes: what stands in it without a script, what fits, and what it escapes."""

import base64
import json
import random
import re
import zlib
from importlib.resources import files

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jovial_atlas.report import Bars, Report, Table, render
from jovial_atlas.report.drawing import in_page
from jovial_atlas.report.figures import bars
from jovial_atlas.report.fitting import fitted
from jovial_atlas.report.numbers import numbers_of
from jovial_atlas.report.page import MOST
from jovial_atlas.report.sheets import PageSheet, SheetLook, SheetMark, SheetSet, SheetWord
from jovial_atlas.report.trends import Course, Layers, Lines, Waits, as_svg
from jovial_atlas.report.values import FaultPlace, ReportedFault, ReportedMark, SiteScore
from jovial_atlas.trends.waiting import curve


def data(text: str, name: str):
    """A layer as a browser unpacks it."""
    packed = re.search(rf'id="data-{name}">([^<]*)</script>', text)
    return json.loads(zlib.decompress(base64.b64decode(packed[1]))) if packed else None


def report(faults=(), sheets=None, **more) -> str:
    given = {"figures": [("pages", "1")], "first": [], **more}
    made = Report("S", "https://x.example", "en", "now", faults=faults, sheets=sheets, **given)
    return render(made).decode()


def fault(code: str, said, severity: str = "error") -> ReportedFault:
    count = sum(len(places) for _, places in said)
    return ReportedFault(severity, code, f"What {code} is", "why", "do `this`", count, said)


def test_figures_are_the_same_for_the_same_numbers_and_escape_what_they_show():
    drawn = bars(["a <b>", "c"], [("x & y", [3, 0]), ("z", [1, 2])])
    assert drawn == bars(["a <b>", "c"], [("x & y", [3, 0]), ("z", [1, 2])])
    assert ("a &lt;b&gt;" in drawn, "<b>" in drawn) == (True, False)
    assert bars([], [("x", [])]).startswith("<svg")
    assert "fill: #2f6f62" in drawn, "viewers of files know no properties of pages"
    assert "fill: var(--series-1, #2f6f62)" in in_page(drawn), "a page can be dark"
    sheets = SheetSet("https://x.example", [
        PageSheet(path="/</script>", called="</script><script>", section="<s>", listed=True, reason="r")
    ])  # fmt: skip
    whole = report(
        [fault("<code>", [("<said> `x <y>`", [FaultPlace("<where>", 0)])])], sheets,
        first=["<first>"], charts=[Bars("<q>", "<a>", ["<l>"], [("s", [1])])],
        tables=[Table("<T>", "a", ("c",), [("<cell>",)])],
        score=SiteScore(71.4, 3, "<moved>"),
        marks=[ReportedMark("m", "<mark>", "g", "why", "fix", 1, 0, 2, 0.04, "")],
    )  # fmt: skip
    for name in ("first", "said", "where", "q", "a", "l", "T", "cell", "moved", "mark"):
        assert f"<{name}>" not in whole, name
    assert "<code>x &lt;y&gt;</code>" in whole
    assert whole.count("</script>") == whole.count("<script") == whole.count('id="data-') + 1


WHERE = st.text("abcä/", min_size=1, max_size=12)
KINDS = st.lists(
    st.lists(st.tuples(st.text("xyzü ", max_size=30), st.lists(WHERE, min_size=1, max_size=20)),
             min_size=1, max_size=6),
    max_size=5,
)  # fmt: skip


@given(kinds=KINDS, room=st.integers(0, 3_000))
def test_places_that_do_not_fit_are_counted_and_no_kind_is_lost(kinds, room):
    faults = [
        fault(f"c{number}", [(said, [FaultPlace(one) for one in places]) for said, places in some])
        for number, some in enumerate(kinds)
    ]
    fits = fitted(faults, room)
    assert [one.code for one in fits] == [one.code for one in faults]
    for one, whole in zip(fits, faults, strict=True):
        shown = [(said, place) for said, places in one.said for place in places]
        every = [(said, place) for said, places in whole.said for place in places]
        assert shown == every[: len(shown)], "in their order"
        assert len(shown) + one.left_out == one.count
    octets = sum(len(place.where.encode()) for one in fits for _, places in one.said for place in places)
    assert octets <= room
    assert fitted(faults, 10**9) == faults


def sheets_of(count: int, letters: str) -> SheetSet:
    """Pages whose texts are as different as those of a real site, or more so."""
    chance = random.Random(1)
    words = ["".join(chance.choices(letters, k=chance.randint(2, 11))) for _ in range(8_000)]

    def text(most: int) -> str:
        return " ".join(chance.choices(words, k=most // 7))

    def sheet(number: int) -> PageSheet:
        title, said = text(50), text(155)
        marks = [
            SheetMark(place, state, f"{number * place} {state}", "at least 1")
            for place in range(36)
            for state in ["good" if (place + number) % 4 else "short"]
        ]
        return PageSheet(
            path=f"/{text(14).replace(' ', '-')}/{number}/", called=title, section=f"s{number % 9}",
            listed=number % 7 > 0, reason="a rule", modified="2026-11-02", score=number % 101,
            raising=(1, 2, 3), marks=marks, links=sorted({(number + step) % count for step in chance.sample(range(60), 20)}),
            look=SheetLook(title, f"{title[:20]}…", 600, "page", said, said, f"{said[:60]}…", 900,
                           "page", title, said, "/p.png"),
            published=[("Sitemap", f"sitemap-s{number % 9}-1.xml")],
            words=[SheetWord("2026-11-01", "2026-11-03", 200, number % 2 > 0, "thin", "2026-11-09")],
        )  # fmt: skip

    return SheetSet(
        "https://x.example", [sheet(number) for number in range(count)],
        [(f"Mark {place}", "texts", "why", "fix") for place in range(36)], ["Lanternfish"], (580, 920),
    )  # fmt: skip


def test_ten_thousand_pages_fit_into_two_megabytes_and_what_is_left_out_is_said():
    sheets = sheets_of(10_000, "abcdefghijklmnoprstu")
    every = [FaultPlace(one.path, number) for number, one in enumerate(sheets.sheets)]
    faults = [fault("one", [("The same.", every)]), fault("own", [
        (f"It is {number} px wide, and results show about 580 px of that.", [place]) for number, place in enumerate(every[:8_000])
    ])]  # fmt: skip
    text = report(faults, sheets)
    assert len(text.encode()) < MOST + 1 < 2_000_000
    for name in ("pages", "marks", "words", "links", "published"):
        assert data(text, name) is not None, name
    assert data(text, "looks") is None
    assert "so that this page stays small" in text.lower()
    assert "their previews" in text
    told = sum(int(one.replace(",", "")) for one in re.findall(r"([\d,]+) more places do not fit", text))
    named = text.count("<li>/") + text.count("<li><b>/")
    assert (named + told, told > 0) == (18_000, True)


def test_the_data_say_what_the_sheets_say():
    sheets = sheets_of(40, "абвгдежзиклмнопрст😀")
    text = report((), sheets)
    pages, marks, links = data(text, "pages"), data(text, "marks"), data(text, "links")
    looks, words, good = data(text, "looks"), data(text, "words"), data(text, "measured")
    for number, sheet in enumerate(sheets.sheets):
        assert pages["path"][number] == sheet.path
        assert pages["sections"][pages["section"][number]] == sheet.section
        lacking = [one for one in sheet.marks if one.state == "short"]
        assert [one >> 2 for one in marks["which"][number]] == [one.mark for one in lacking]
        assert {one & 3 for one in marks["which"][number]} == {2}
        assert marks["measured"][number] == [one.measured for one in lacking]
        assert marks["good"][number] == [one.mark for one in sheet.marks if one.state == "good"]
        assert len(good["good"][number]) == len(marks["good"][number])
        place, to = 0, []
        for step in links["to"][number]:
            place += step
            to.append(place)
        assert to == sorted(sheet.links)
        # Lengths are in the units of JavaScript: two for what is beyond the first 65,536.
        shown = sheet.look.title_shown.rstrip("…")
        assert looks["titleShown"][number] == len(shown.encode("utf-16-le")) // 2
        assert (looks["wide"][number], looks["cardTitle"][number]) == (-1, 0)
        assert words["words"][0][number][3] == sheet.words[0].indexed


@pytest.mark.parametrize(
    ("trend", "said"),
    [
        (Course("n", "T", "a", [("2026-11-01T00:00:00Z", 61.25), ("2026-11-09T10:00:00Z", 70.0)]),
         [["2026-11-01 00:00", "61.2"], ["2026-11-09 10:00", "70.0"]]),
        (Layers("n", "T", "a", ["2026-11-01T00:00:00Z", "2026-11-02T00:00:00Z"], {"in": [1, 2], "out": [3, 4_000]}),
         [["2026-11-01 00:00", "1", "3"], ["2026-11-02 00:00", "2", "4,000"]]),
        (Lines("n", "T", "a", {"birds": {"sent": [("2026-11-01T00:00:00Z", 5), ("2026-11-02T00:00:00Z", 7)], "in": []}}),
         [["birds", "5", "7", "", ""]]),
        (Waits("n", "T", "a", {"visit": curve([(0.5, True), (2.0, True), (5.0, True), (10.0, False)])}),
         [["visit", "3", "1", "75%", "50%", "25%", "", ""]]),
    ],
)  # fmt: skip
def test_a_figure_over_time_stands_in_words_as_well(trend, said):
    columns, rows = numbers_of(trend)
    assert rows == said
    assert {len(row) for row in rows} == {len(columns)}
    if not isinstance(trend, Lines):
        assert as_svg(trend).startswith("<svg")


def _light(colour: str) -> float:
    """Relative luminance (WCAG 2.2)."""
    parts = [int(colour[place : place + 2], 16) / 255 for place in (1, 3, 5)]
    linear = [one / 12.92 if one <= 0.04045 else ((one + 0.055) / 1.055) ** 2.4 for one in parts]
    return sum(share * one for share, one in zip((0.2126, 0.7152, 0.0722), linear, strict=True))


def _contrast(one: str, other: str) -> float:
    low, high = sorted((_light(one), _light(other)))
    return (high + 0.05) / (low + 0.05)


def test_all_colours_stand_out_in_every_mode():
    look = files("jovial_atlas.report").joinpath("web/look.css").read_text()
    usual = dict(re.findall(r"--([\w-]+): (#\w{6})", look[: look.index("}")]))
    modes = {"": usual}
    for name, block in re.findall(r':root\[data-colours="([\w-]+)"\] \{([^}]*)\}', look):
        modes[name] = usual | dict(re.findall(r"--([\w-]+): (#\w{6})", block))
    assert set(modes) == {"", "light", "dark", "strong", "strong-dark"}
    dark = look[look.index("prefers-color-scheme: dark") :]
    assert dict(re.findall(r"--([\w-]+): (#\w{6})", dark[: dark.index("}")])) == modes["dark"]
    for name, colours in modes.items():
        least = 7 if "strong" in name else 4.5
        for text in ("ink", "quiet", "accent", "bad", "warn", "advice", "good"):
            for ground in ("paper", "sheet"):
                assert _contrast(colours[text], colours[ground]) >= least, (name, text, ground)
        for part in ("edge", *(f"series-{number}" for number in range(1, 7))):
            assert _contrast(colours[part], colours["paper"]) >= 3, (name, part)
