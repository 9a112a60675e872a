"""Surveys in which nothing changed, and all that must not be taken for one."""

import os
import subprocess
from datetime import timedelta

import pytest

from jovial_atlas import dates
from jovial_atlas.pages.changes import Changes
from jovial_atlas.rounds.reading import unchanged
from jovial_atlas.rounds.reading.begun import begin_survey
from jovial_atlas.rounds.reading.survey import run_survey
from jovial_atlas.rounds.reading.unchanged import as_before
from jovial_atlas.sitefile import read_site_file
from jovial_atlas.web import new_client
from tests.conftest import TODAY, page, write_site

LATER = TODAY + timedelta(days=1)
PAGES = {"a.html": page("A"), "b/c.html": page("C"), "broken.html": ""}
OVERRIDES = '[overrides]\nfile = "overrides.csv"\n'


@pytest.fixture
def surveyed(tmp_path):
    """`surveyed(pages, more)` writes a site and surveys it; gives the site file and the survey."""

    def work(pages=PAGES, more=""):
        place = write_site(tmp_path, pages, more)
        with new_client(5) as client:
            return place, run_survey(read_site_file(place), TODAY, client)

    return work


def test_a_survey_in_which_nothing_changed_says_what_the_one_before_said(surveyed):
    place, first = surveyed()
    again = as_before(place, LATER)
    assert (again.pages, again.sections, again.faults) == (2, first.sections, first.faults)
    assert (again.changes, first.changes.added) == (Changes(), 2)
    assert (first.at, again.at) == (dates.write(TODAY), dates.write(LATER))
    assert f'"{dates.write(LATER)}"' in (place.parent / ".jovial-atlas/survey.json").read_text()
    assert as_before(place, LATER) == again


def touch(place, change):
    """One change to a site, by name."""
    public = place.parent / "public"
    if change == "written":
        (public / "a.html").write_text(page("Another"))
    elif change == "time":
        os.utime(public / "a.html", ns=(1, 1))
    elif change == "added":
        (public / "d.html").write_text(page("D"))
    elif change == "removed":
        (public / "b/c.html").unlink()
    elif change == "renamed":
        (public / "b/c.html").rename(public / "b/d.html")
    elif change == "site file":
        place.write_text(place.read_text() + "\n# another\n")
    elif change == "overrides":
        (place.parent / "overrides.csv").write_text("loc,listed\n/a/,no\n")
    elif change == "table":
        (place.parent / ".jovial-atlas/pages.parquet").write_bytes(b"")
    elif change == "record":
        (place.parent / ".jovial-atlas/survey.json").write_text("{")
    elif change == "folder":
        public.rename(place.parent / "elsewhere")
    elif change == "repository":
        subprocess.run(["git", "init", "-q", str(place.parent)], check=True)
    elif change == "linked repository":
        (place.parent / ".git").write_text("gitdir: elsewhere\n")


@pytest.mark.parametrize(
    "change",
    ["written", "time", "added", "removed", "renamed", "site file", "overrides", "table",
     "record", "folder", "repository", "linked repository"],
)  # fmt: skip
def test_any_change_means_reading(surveyed, change):
    place, _ = surveyed(more=OVERRIDES)
    assert as_before(place, LATER)
    touch(place, change)
    assert as_before(place, LATER) is None


def test_other_files_and_hidden_ones_are_no_pages(surveyed):
    place, _ = surveyed()
    (place.parent / "public/notes.txt").write_text("x")
    (place.parent / "public/.hidden.html").write_text("x")
    assert as_before(place, LATER)


@pytest.mark.parametrize(
    ("head", "body", "more"),
    [
        ("<meta name=robots content='unavailable_after: 2999-12-01'>", "", ""),
        ("<meta property=article:expiration_time content=2999-12-01>", "", ""),
        ("", "<video src=/a.mp4></video>", ""),
        ("", "", '[[rule]]\nolder_than = "1 year"\nset = { listed = false }\n'),
        ("", "", "[[rule]]\nwhen = \"current_date > DATE '2027-01-01'\"\n"
         "set = { listed = false }\n"),
        ("", "", '[[source]]\nkind = "list"\npath = "more.txt"\n'),
    ],
)  # fmt: skip
def test_what_may_be_another_at_another_time_is_read_again(surveyed, tmp_path, head, body, more):
    (tmp_path / "more.txt").write_text("https://www.marrowfen.example/more/\n")
    place, _ = surveyed({"a.html": page("A", body=body, head=head)}, more)
    assert as_before(place, LATER) is None


def test_another_version_reads_again(surveyed, monkeypatch):
    place, _ = surveyed()
    monkeypatch.setattr(unchanged, "__version__", "another")
    assert as_before(place, LATER) is None


def test_what_changes_once_a_survey_has_begun_is_read_again(tmp_path):
    place = write_site(tmp_path, {"a.html": page("A")})
    site = read_site_file(place)
    begun = begin_survey(site, TODAY)
    (tmp_path / "public/a.html").write_text(page("Another"))
    with new_client(5) as client:
        assert run_survey(site, TODAY, client, begun=begun).pages == 1
    assert as_before(place, LATER) is None
