"""The report in a real Chromium: by clicks and keys, without a script, without a network, and as an
open accessibility engine sees it."""

import re
import shutil
from datetime import UTC, datetime
from pathlib import Path

import axe_playwright_python
import pytest
from playwright.sync_api import Browser, Page, sync_playwright

from jovial_atlas.demo.builder import URL
from jovial_atlas.ledger import PageReport
from jovial_atlas.rounds.state.ledger import open_ledger
from jovial_atlas.sitefile import read_site_file
from tests.conftest import page as page_text
from tests.conftest import run_command, write_site

ENGINE = '\n[[engine]]\nname = "Lanternfish"\ncrawlers = ["lanternbot"]\nchannels = []\n'
ARGUMENTS = ["--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-background-networking",
             "--disable-component-update", "--disable-sync"]  # fmt: skip


@pytest.fixture(scope="module")
def browser():
    path = shutil.which("chromium") or shutil.which("chromium-browser")
    assert path, "Chromium is missing; on Debian: apt-get install chromium"
    with sync_playwright() as playwright:
        opened = playwright.chromium.launch(executable_path=path, args=ARGUMENTS)
        yield opened
        opened.close()


@pytest.fixture(scope="module")
def site(_built_marrowfen, tmp_path_factory):
    """The sample site with an engine that said something, and its report after two reviews."""
    folder = Path(shutil.copytree(_built_marrowfen, tmp_path_factory.mktemp("looked") / "site"))
    site_file = folder / "atlas.toml"
    site_file.write_text(site_file.read_text() + ENGINE)
    ledger = open_ledger(read_site_file(site_file), lambda: datetime(2026, 11, 1, tzinfo=UTC))
    ledger.note_pages("Lanternfish", [
        PageReport(f"{URL}/species/otter/", True, "", "2026-10-30T10:00:00Z"),
        PageReport(f"{URL}/events/bat-evening/", False, "too thin", None),
    ])  # fmt: skip
    ledger.note_review("2026-11-01T00:00:00Z", 41.0, 60, {"title-own": (1, 0, 59)})
    ledger.close()
    assert run_command("report", cwd=folder).code == 0
    return folder


@pytest.fixture
def shown(browser: Browser, site: Path):
    """The report, opened; whatever goes wrong in its script fails the test."""
    yield from opened(browser, site)


def opened(browser: Browser, folder: Path, **how):
    context = browser.new_context(viewport={"width": 1280, "height": 800}, **how)
    context.set_default_timeout(600_000)
    tab = context.new_page()
    wrong: list[str] = []
    asked: list[str] = []
    tab.on("pageerror", lambda error: wrong.append(str(error)))
    tab.on("console", lambda said: wrong.append(said.text))
    tab.on("dialog", lambda dialog: wrong.append(dialog.message))
    tab.on("request", lambda request: asked.append(request.url))
    tab.goto((folder / "report.html").as_uri())
    if how.get("java_script_enabled", True):
        tab.wait_for_selector("html[data-ready]")
    yield tab
    context.close()
    assert wrong == []
    assert [one for one in asked if not one.startswith(("file:", "data:"))] == []


def rows(tab: Page) -> list[list[str]]:
    return [[cell.inner_text() for cell in row.locator("th, td").all()]
            for row in tab.locator("#pages-table tbody tr").all()]  # fmt: skip


def settle(tab: Page, selector: str, said: str) -> None:
    tab.locator(selector, has_text=re.compile(said)).wait_for()


def test_findings_are_searched_filtered_and_sorted(shown: Page, site: Path):
    found = run_command("check", "--format", "json", cwd=site).json["findings"]
    of = f"in {len(found)} places"
    settle(shown, "#findings-status", of)
    kinds = shown.locator(".finding:visible")
    assert kinds.count() == len({one["code"] for one in found})
    shown.select_option("#findings-severity", "error")
    errors = {one["code"] for one in found if one["severity"] == "error"}
    settle(shown, "#findings-status", f"^{len(errors)} kind")
    assert set(shown.locator(".finding:visible code").all_inner_texts()) >= errors
    shown.select_option("#findings-severity", "")
    shown.fill("#findings-search", "ÓTTER nonsense")
    settle(shown, "#findings-status", "^0 kinds")
    word = found[0]["code"]
    shown.fill("#findings-search", word)
    settle(shown, "#findings-status", "^1 kind ")
    shown.fill("#findings-search", "")
    settle(shown, "#findings-status", of)
    shown.select_option("#findings-order", "places")
    counts = [int(one.replace(",", "")) for one in shown.locator(".finding .count").all_inner_texts()]
    assert counts == sorted(counts, reverse=True)
    shown.select_option("#findings-section", label="species")
    settle(shown, "#findings-status", r"^\d+ kinds? of finding, in \d+ place")
    shown.locator(".finding:visible summary").first.click()
    shown.locator(".finding:visible li:visible a").first.click()
    assert shown.locator("dialog[open] dd").first.inner_text() == "species"


def test_marks_lead_to_their_pages(shown: Page, site: Path):
    whole = run_command("review", "--site", "--format", "json", cwd=site).json["site"]
    said = shown.locator("#marks-table tbody summary code").all_inner_texts()
    assert [one["code"] for one in whole["marks"]] == said
    assert shown.locator(".big .number").inner_text() == f"{whole['score']:.0f}"
    assert "points more than on 2026-11-01" in shown.locator(".score").inner_text()
    assert shown.locator("figure", has_text="How did the score move?").locator("svg").count() == 1
    worst = whole["marks"][0]
    shown.fill("#marks-search", worst["code"])
    settle(shown, "#marks-status", "^1 of")
    shown.locator("#marks-table tbody tr:visible summary").click()
    shown.get_by_role("button", name="Its pages").click()
    pages = worst["short"] + worst["better"]
    settle(shown, "#pages-status", f"of {pages} pages? chosen")
    shown.fill("#marks-search", "")
    settle(shown, "#marks-status", f"^{len(whole['marks'])} marks")
    shown.get_by_role("button", name="Good", exact=True).click()
    numbers = [int(row.locator("td").nth(3).inner_text()) for row in shown.locator("#marks-table tbody tr").all()]
    assert numbers == sorted(numbers, reverse=True)
    assert shown.locator("#marks-table th[aria-sort]").inner_text().startswith("Good")


def test_pages_are_chosen_and_sorted_and_shown_in_parts(shown: Page, site: Path):
    reviewed = run_command("review", "--format", "json", cwd=site).json["pages"]
    scores = {one["loc"].removeprefix(URL): one["score"] for one in reviewed}
    first = rows(shown)
    assert len(first) == 50
    assert shown.is_disabled("#pages-before")
    shown.click("#pages-after")
    settle(shown, "#pages-status", "^51 to")
    every = first + rows(shown)
    assert {row[0].split("\n")[-1]: row[2] for row in every} == {
        path: str(scores.get(path, "–")) for path in (row[0].split("\n")[-1] for row in every)
    }
    shown.select_option("#pages-listed", "0")
    assert all(row[6].startswith("no: ") and row[2] == "–" for row in rows(shown))
    shown.select_option("#pages-listed", "")
    shown.select_option("#pages-engine", label="left out by Lanternfish")
    assert [row[0].split("\n")[-1] for row in rows(shown)] == ["/events/bat-evening/"]
    shown.select_option("#pages-engine", "")
    shown.get_by_role("button", name="Score").click()
    shown.get_by_role("button", name="Score").click()
    got = [int(row[2]) for row in rows(shown) if row[2] != "–"]
    assert got == sorted(got)
    shown.fill("#pages-search", "no such page")
    settle(shown, "#pages-status", "No page")


def test_a_sheet_says_what_the_commands_say(shown: Page, site: Path):
    review = run_command("review", "/species/otter/", "--format", "json", cwd=site).json["pages"][0]
    look = run_command("preview", "/species/otter/", "--format", "json", cwd=site).json["previews"][0]
    shown.fill("#pages-search", "/species/otter")
    settle(shown, "#pages-status", "chosen")
    shown.locator("#pages-table a").first.focus()
    shown.keyboard.press("Enter")
    sheet = shown.locator("dialog[open]")
    sheet.wait_for()
    assert shown.evaluate("document.activeElement.id") == "sheet-title"
    text = sheet.inner_text()
    assert f"{review['score']} of 100" in text
    for mark in review["marks"]:
        if mark["state"] != "good":
            assert f"{mark['measured']}" in text
            assert mark["fix"].replace("`", "") in text
    sheet.locator("summary", has_text="good").click()
    good = [mark for mark in review["marks"] if mark["state"] == "good"]
    assert sheet.locator(".mark.good").count() == len(good)
    assert all(mark["measured"] in sheet.inner_text() for mark in good)
    assert sheet.locator(".met .name").first.inner_text() == look["wide"]["title"]["shown"]
    assert sheet.locator(".met.narrow .text").inner_text() == look["narrow"]["description"]["shown"]
    assert sheet.locator(".card .name").inner_text() == look["card_title"]
    assert sheet.locator(".card img").evaluate("image => image.naturalWidth") > 100
    assert "sitemap-species-1.xml" in text
    assert re.search(r"Lanternfish\s+never\s+2026-10-30\s+yes \(2026-11-01\)", text)
    links = sheet.locator("ul.places a").all_inner_texts()
    assert "/species/" in links


def test_sheets_are_walked_by_keys_links_and_history(shown: Page):
    order = [row[0].split("\n")[-1] for row in rows(shown)]
    shown.locator("#pages-table a").nth(1).click()
    settle(shown, "#sheet-body a", f"^{re.escape(URL + order[1])}$")
    shown.keyboard.press("Tab")
    shown.keyboard.press("Tab")
    assert shown.evaluate("document.activeElement.id") == "sheet-after"
    shown.keyboard.press("Enter")
    settle(shown, "#sheet-body a", f"^{re.escape(URL + order[2])}$")
    assert shown.evaluate("document.activeElement.id") == "sheet-title"
    shown.keyboard.press("Escape")
    shown.locator("dialog[open]").wait_for(state="detached")
    assert shown.evaluate("document.activeElement.getAttribute('href')") == f"#page={order[1]}"
    shown.wait_for_url(lambda url: "#" not in url)
    shown.goto(f"{shown.url}#page=/species/otter/")
    settle(shown, "#sheet-title", "^Otter$")
    # One sheet closed and the next opened before the page hears of either.
    shown.evaluate(f"document.getElementById('sheet').close(); location.hash = 'page={order[1]}'")
    settle(shown, "#sheet-body a", f"^{re.escape(URL + order[1])}$")
    shown.goto(f"{shown.url.partition('#')[0]}#page=/nothing/like/it/")
    shown.locator("dialog[open]").wait_for(state="detached")


def test_all_findings_are_there_without_a_script(browser: Browser, site: Path):
    found = run_command("check", "--format", "json", cwd=site).json["findings"]
    for tab in opened(browser, site, java_script_enabled=False):
        assert tab.locator(".finding:visible").count() == len({one["code"] for one in found})
        for summary in tab.locator(".finding summary").all():
            summary.click()
        places = tab.locator(".places > li:visible, .singles > li:visible")
        assert places.count() == len(found)
        text = tab.locator("#findings").inner_text()
        for one in found:
            assert one["message"].replace("`", "") in text, one
            assert one["where"].removeprefix(URL) in text, one
        assert tab.locator("form:visible, select:visible, input:visible").count() == 0
        assert tab.locator("#pages tbody tr:visible").count() == 40
        assert "need JavaScript" in tab.locator("noscript").inner_text()


def test_hostile_texts_stay_texts(browser: Browser, tmp_path: Path):
    bad = '</script><img src=x onerror="alert(1)"><script>alert(2)</script>'
    escaped = bad.replace("<", "&lt;")
    head = f'<meta name="description" content="{escaped.replace(chr(34), "&quot;")}">'
    write_site(tmp_path, {
        "index.html": page_text(escaped, "<p>Words.</p><a href='b.html'>B</a>", head),
        "b.html": page_text(escaped, "<p>More words.</p>"),
        "ключ's %3Cb%3E.html": page_text("Cyrillic", "<p>Words.</p>"),
    })  # fmt: skip
    run_command("survey", cwd=tmp_path)
    assert run_command("report", cwd=tmp_path).code == 0
    for tab in opened(browser, tmp_path):
        tab.goto(f"{tab.url}#page=/")
        settle(tab, "#sheet-title", f"^{re.escape(bad)}$")
        assert "onerror" in tab.locator(".met .text").first.inner_text()
        tab.keyboard.press("Escape")
        tab.locator("#pages-table a", has_text="Cyrillic").click()
        settle(tab, "#sheet-body a", "/ключ's")
        assert tab.locator("img").count() == 0


AXE = (Path(axe_playwright_python.__file__).parent / "axe.min.js").read_text()
RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]


@pytest.mark.parametrize("colours", ["light", "dark", "strong", "strong-dark"])
def test_nothing_is_wrong_for_an_accessibility_engine(browser: Browser, site: Path, colours):
    # The engine itself is no script that the page's policy knows.
    for tab in opened(browser, site, bypass_csp=True):
        tab.select_option("#colours", colours)
        tab.evaluate("for (const one of [...document.querySelectorAll('details')].slice(0, 60)) one.open = true")
        tab.evaluate(AXE)
        for state in ("page", "sheet"):
            if state == "sheet":
                tab.locator("#pages-table a").first.click()
                tab.locator("dialog[open]").wait_for()
            result = tab.evaluate("rules => axe.run(document, {runOnly: rules})", RULES)
            wrong = [(one["id"], node["html"], node["failureSummary"])
                     for one in result["violations"] for node in one["nodes"]]  # fmt: skip
            assert wrong == [], state
            assert len(result["passes"]) > 20


def test_it_prints_what_is_open_and_fits_a_narrow_screen(browser: Browser, site: Path):
    for tab in opened(browser, site):
        tab.set_viewport_size({"width": 360, "height": 700})
        assert tab.evaluate("document.documentElement.scrollWidth") <= 360
        tab.emulate_media(media="print")
        assert tab.locator("form:visible, nav:visible, select:visible, button:visible").count() == tab.locator("th button:visible").count()
        tab.locator("#pages-table a").first.click()
        tab.locator("#sheet-body").wait_for()
        assert tab.locator("#findings").is_hidden()
