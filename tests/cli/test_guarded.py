"""`rules guarded`: what a change touches of that which guards keep, and who made it."""

from __future__ import annotations

import subprocess
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from tests.conftest import URL, run_command

_SITE = f"""[site]
url = "{URL}"
name = "Marrowfen"
language = "en"
[[source]]
kind = "markdown"
path = "content"
[overrides]
file = "overrides.csv"
[[section]]
name = "notes"
match = ["/notes/**"]
[[guard]]
fields = ["index", "canonical"]
sections = ["notes"]
authors = ["Wren Aldergate"]
"""
_RULE = '[[rule]]\nmatch = ["/notes/c/**"]\nset = { index = false }\n'
_FREE_RULE = '[[rule]]\nmatch = ["/**"]\nset = { priority = 0.4 }\n'


def git(folder: Path, *arguments: str, name: str = "Nell Furrow") -> None:
    who = ["-c", f"user.name={name}", "-c", f"user.email={name[:4].lower()}@marrowfen.example"]
    subprocess.run(["git", "-C", folder, *who, *arguments], check=True, capture_output=True)


def note(title: str, more: str = "") -> str:
    return f"---\ntitle: {title}\nauthor: Wren Aldergate\n{more}---\nReeds and water.\n"


@pytest.fixture
def site(tmp_path: Path) -> Path:
    """A site in a folder of a git work tree, committed, with one page overridden."""
    web = tmp_path / "web"
    (web / "content" / "notes").mkdir(parents=True)
    (web / "atlas.toml").write_text(_SITE)
    for name in "abc":
        (web / "content" / "notes" / f"{name}.md").write_text(note(name))
    (web / "content" / "index.md").write_text(note("Home"))
    (web / "overrides.csv").write_text("loc,index,reason,by\n/notes/a/,no,old,Wren Aldergate\n")
    git(tmp_path, "init", "-q", "-b", "main")
    commit(web)
    git(web, "branch", "work")
    git(web, "checkout", "-q", "work")
    return web


def commit(web: Path, name: str = "Nell Furrow") -> None:
    git(web, "add", "-A")
    git(web, "commit", "-qm", "change", name=name)


def changes(web: Path, *names: str) -> list[dict[str, Any]]:
    done = run_command("rules", "guarded", *names, "--format", "json", cwd=web)
    errors = [one for one in done.json["findings"] if one["severity"] == "error"]
    assert done.code == int(bool(errors))
    return list(done.json["changes"])


def status(web: Path) -> bytes:
    return subprocess.run(
        ["git", "status", "--porcelain"], cwd=web, capture_output=True, check=True
    ).stdout


def by_rule(web: Path) -> None:
    (web / "atlas.toml").write_text(_SITE + _FREE_RULE + _RULE)


def by_page(web: Path) -> None:
    (web / "content" / "notes" / "b.md").write_text(note("b", "index: no\n"))


def by_row(web: Path) -> None:
    (web / "overrides.csv").write_text("loc,index,reason,by\n/notes/b/,no,x,Wren Aldergate\n")


@pytest.mark.parametrize(
    ("change", "speaks", "file", "line", "touched"),
    [
        (by_rule, "site file", "atlas.toml", 20, ["/notes/c/"]),
        (by_page, "page", "content/notes/b.md", 4, ["/notes/b/"]),
        (by_row, "overrides file", "overrides.csv", 2, ["/notes/a/", "/notes/b/"]),
    ],
)  # fmt: skip
@pytest.mark.parametrize("who", ["Nell Furrow", "Wren Aldergate"])
def test_each_way_to_change_a_guarded_field_is_told_with_who_did_it(
    site: Path,
    change: Callable[[Path], None],
    speaks: str,
    file: str,
    line: int,
    touched: list[str],
    who: str,
) -> None:
    change(site)
    commit(site, who)
    found = changes(site, "main", "work")
    assert {one["speaks"] for one in found} == {speaks}
    assert sorted(one["loc"].removeprefix(URL) for one in found) == touched
    assert (file, line) in {(one["file"], one["line"]) for one in found}
    assert {one["who"]["name"] for one in found} == {who}
    assert {one["allowed"] for one in found} == {who == "Wren Aldergate"}


def test_a_change_cannot_let_itself_through_by_changing_the_guard(site: Path) -> None:
    (site / "atlas.toml").write_text(_SITE.replace("Wren Aldergate", "Nell Furrow") + _RULE)
    commit(site)
    found = changes(site, "main")
    assert [(one["speaks"], one["allowed"]) for one in found] == [
        ("guard", False), ("site file", False),
    ]  # fmt: skip


def test_what_is_not_committed_counts_and_nothing_of_the_work_tree_changes(site: Path) -> None:
    by_page(site)
    (site / "content" / "notes" / "new.md").write_text(note("new", "canonical: /notes/a/\n"))
    git(site, "config", "user.name", "Nell Furrow")
    before = status(site)
    found = changes(site, "HEAD")
    assert {(one["field"], one["who"]["revision"]) for one in found} == {
        ("index", ""), ("canonical", ""),
    }  # fmt: skip
    assert status(site) == before
    assert not (site / ".jovial-atlas" / "pages.parquet").exists()


def test_other_fields_and_other_sections_are_free(site: Path) -> None:
    (site / "content" / "index.md").write_text(note("Home", "index: no\n"))
    (site / "atlas.toml").write_text(_SITE + _FREE_RULE)
    commit(site)
    assert changes(site, "main") == []


def test_without_git_folders_are_compared_and_what_rows_say_of_their_author_counts(
    tmp_path: Path,
) -> None:
    for name, row in (("old", ""), ("new", "/notes/a/,no,x,Wren Aldergate\n/notes/b/,no,x,Bea\n")):
        web = tmp_path / name
        (web / "content" / "notes").mkdir(parents=True)
        (web / "atlas.toml").write_text(_SITE)
        for page in "ab":
            (web / "content" / "notes" / f"{page}.md").write_text(note(page))
        (web / "overrides.csv").write_text(f"loc,index,reason,by\n{row}")
    found = changes(tmp_path / "new", str(tmp_path / "old"))
    assert [(one["by"], one["allowed"], one["who"]) for one in found] == [
        ("Wren Aldergate", True, None), ("Bea", False, None),
    ]  # fmt: skip


def test_a_name_that_is_no_revision_says_what_to_name(site: Path) -> None:
    done = run_command("rules", "guarded", "nowhere", cwd=site)
    assert done.code == 2
    assert "'nowhere' is no revision" in done.err
    assert "git fetch" in done.err
