"""Making public by real programs: a command with the list of what changed, a commit to git; and what
has rounds run by themselves, by a real push to a real repository."""

from __future__ import annotations

import os
import shlex
import subprocess
from pathlib import Path

import pytest

from jovial_atlas.running import Command
from jovial_atlas.running import run_command as run_for_owner
from tests.conftest import COMMAND, page, run_command, write_site

LOOK = '[tend]\nlook = "0"\n'


def git(folder: Path, *words: str) -> str:
    who = ["-c", "user.name=Nell", "-c", "user.email=nell@marrowfen.example"]
    done = subprocess.run(["git", "-C", folder, *who, *words], check=True, capture_output=True, text=True)
    return done.stdout


@pytest.fixture
def site(tmp_path: Path) -> Path:
    """A site in a folder whose name a shell would take apart."""
    folder = tmp_path / "the fen's $HOME 100%"
    folder.mkdir()
    write_site(folder, {name: page(name) for name in ("index.html", "a.html")}, LOOK)
    return folder


def more(site: Path, text: str) -> None:
    with (site / "atlas.toml").open("a") as file:
        file.write(text)


def test_a_command_gets_the_list_of_what_changed_and_is_tried_again_where_it_fails(site):
    more(site, "[publish]\nshell = true\nrun = ['cat \"$ATLAS_CHANGED\" >> seen; test ! -e broken']\n")
    (site / "broken").touch()
    failed = run_command("tend", cwd=site)
    assert failed.code == 1 and "exit code 1" in failed.out
    assert (site / ".jovial-atlas/publish.log").exists()
    (site / "broken").unlink()
    (site / "seen").unlink()
    assert run_command("tend", cwd=site).code == 0
    assert "public/sitemap.xml" in (site / "seen").read_text().splitlines()
    (site / "seen").unlink()
    (site / "public/b.html").write_text(page("b"))
    assert run_command("tend", cwd=site).code == 0
    assert sorted((site / "seen").read_text().splitlines()) == [
        "public/sitemap-pages-1.xml", "public/sitemap.html", "public/sitemap.xml",
    ]  # fmt: skip
    (site / "seen").unlink()
    assert run_command("tend", cwd=site).code == 0
    assert not (site / "seen").exists()


def test_a_commit_holds_the_files_of_the_tool_and_nothing_else(site, tmp_path):
    git(tmp_path, "init", "-q", "--bare", "origin.git")
    git(site, "init", "-q", "-b", "main")
    (site / ".gitignore").write_text("public/*.xml\n.jovial-atlas/\n")
    git(site, "add", "atlas.toml", ".gitignore", "public/index.html", "public/a.html")
    git(site, "commit", "-qm", "pages")
    git(site, "remote", "add", "origin", str(tmp_path / "origin.git"))
    git(site, "config", "user.name", "Tender")
    git(site, "config", "user.email", "tender@marrowfen.example")
    more(site, '[publish]\ncommit = "Listings, {{ files }} of {{ day }}"\npush = "origin"\n')
    (site / "public/mine.txt").write_text("a note")
    git(site, "add", "public/mine.txt")
    ran = run_command("tend", cwd=site)
    assert ran.code == 0, ran.out
    assert git(site, "log", "-1", "--format=%s %an").startswith("Listings, 6 of 20")
    committed = git(site, "show", "--name-only", "--format=").splitlines()
    assert "public/sitemap.xml" in committed and "public/mine.txt" not in committed
    assert git(tmp_path / "origin.git", "rev-parse", "main") == git(site, "rev-parse", "HEAD")
    assert "public/mine.txt" in git(site, "diff", "--cached", "--name-only"), "what others staged stays so"
    (site / "atlas.toml").write_text((site / "atlas.toml").read_text() + '[visitors]\npage = ""\n')
    assert run_command("tend", cwd=site).code == 0
    assert "D\tpublic/sitemap.html" in git(site, "show", "--name-status", "--format=")
    head = git(site, "rev-parse", "HEAD")
    assert run_command("tend", cwd=site).code == 0
    assert git(site, "rev-parse", "HEAD") == head


@pytest.mark.parametrize(
    ("words", "limit", "trouble"),
    [
        (("true",), 10, ""),
        (("sh", "-c", "echo first; echo last >&2; exit 4"), 10, "exit code 4: last"),
        (("sh", "-c", "sleep 60 & sleep 60"), 0.3, "it was ended after"),
        (("no-such-program",), 10, "cannot be run"),
    ],
)
def test_a_command_ends_within_its_time_and_says_what_went_wrong(tmp_path, words, limit, trouble):
    ran = run_for_owner(Command(words, tmp_path, dict(os.environ), limit=limit))
    assert trouble in ran.trouble and bool(ran.trouble) == bool(trouble)


def test_a_push_to_a_repository_is_a_round(tmp_path):
    work, site = tmp_path / "work", tmp_path / "live"
    (work / "public").mkdir(parents=True)
    write_site(work, {"index.html": page("Home"), "a.html": page("A")}, LOOK)
    git(work, "init", "-q", "-b", "main")
    (work / ".gitignore").write_text(".jovial-atlas/\n")
    git(work, "add", "-A")
    git(work, "commit", "-qm", "one")
    git(tmp_path, "clone", "-q", "--bare", str(work), "site.git")
    git(work, "remote", "add", "origin", str(tmp_path / "site.git"))
    git(tmp_path, "clone", "-q", str(work), "live")
    ran = run_command("tend", "install", "git-hook", "--to", str(tmp_path / "site.git"), "--yes", cwd=site)
    assert ran.code == 0, ran.err
    (work / "public/b c.html").write_text(page("B"))
    git(work, "rm", "-q", "public/a.html")
    git(work, "add", "-A")
    git(work, "commit", "-qm", "two")
    pushed = subprocess.run(["git", "-C", work, "push", "origin", "main"], capture_output=True, text=True, check=True)
    assert "Round 1: Done." in pushed.stderr, pushed.stderr
    listed = (site / "public/sitemap-pages-1.xml").read_text()
    assert "/b%20c.html" in listed and "/a.html" not in listed
    (tmp_path / "site.git/hooks/post-receive").write_text("#!/bin/sh\necho mine\n")
    refused = run_command("tend", "install", "git-hook", "--to", str(tmp_path / "site.git"), "--yes", cwd=site)
    assert refused.code == 2 and "not of this tool" in refused.err
    assert "no git repository" in run_command("tend", "install", "git-hook", "--to", str(tmp_path), cwd=site).err


def test_scripts_and_units_name_this_program_and_this_site_whatever_they_are_called(site, tmp_path):
    for what in (("ci", "--to", str(tmp_path / "ci.sh")), ("systemd", "--user", "www-data", "--to", str(tmp_path))):
        looked = run_command("tend", "install", *what, cwd=site)
        assert looked.code == 0 and "Nothing was written" in looked.out
    assert not (tmp_path / "ci.sh").exists()
    for what in (("ci", "--to", str(tmp_path / "ci.sh")), ("systemd", "--user", "www-data", "--to", str(tmp_path))):
        assert run_command("tend", "install", *what, "--yes", cwd=site).code == 0
    (service,), (timer,) = tmp_path.glob("*.service"), tmp_path.glob("*.timer")
    assert (service.stem, timer.stem) == ("jovial-atlas-www-marrowfen-example",) * 2
    whole = str(site.resolve())
    unit = dict(line.split("=", 1) for line in service.read_text().splitlines() if "=" in line and line[0] != "#")
    quoted = whole.replace("%", "%%")
    assert (unit["ReadWritePaths"], unit["WorkingDirectory"]) == (f'"{quoted}"', quoted)
    assert f'"{quoted.replace("$", "$$")}/atlas.toml" tend' in unit["ExecStart"]
    assert (unit["User"], unit["ProtectSystem"]) == ("www-data", "strict")
    (tmp_path / "ci.sh").rename(site / "ci.sh")
    found = f"{Path(COMMAND).parent}:{os.environ['PATH']}"
    done = subprocess.run(
        ["sh", "ci.sh"], cwd=site, capture_output=True, text=True, check=False,
        env={**os.environ, "PATH": found, "ATLAS_OUT": "out"},
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert {one.name for one in (site / "out").iterdir()} == {"atlas.sarif", "atlas.xml"}
    line = run_command("tend", "install", "cron", "--every", "30m", "--format", "json", cwd=site).json["line"]
    words = line.splitlines()[1].replace(r"\%", "%")
    assert words.startswith("*/30 * * * * cd ")
    assert shlex.split(words.partition("cd ")[2])[0] == whole
    assert "cron knows no such time" in run_command("tend", "install", "cron", "--every", "7m", cwd=site).err
