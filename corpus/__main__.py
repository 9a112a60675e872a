"""Renders the corpus, runs the command on it, and prints what was read rightly: `make corpus`."""

from __future__ import annotations

import argparse
import json
import re
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from corpus.content import Article
from corpus.generators import all_of
from corpus.packages import SeenPage, installed_packages
from corpus.rendering import SITE, Rendered

_SITE_FILE = f"""
[site]
url = "{SITE}"
name = "Marrowfen"
[output]
folder = "site"
[[source]]
kind = "html"
path = "site"
addresses = "folder"
"""
#: The share of facts that must be right.
_WANTED = 0.97


def _command(*arguments: str, cwd: Path) -> str:
    place = Path(sys.executable).with_name("jovial-atlas")
    done = subprocess.run([place, *arguments], cwd=cwd, capture_output=True, text=True, check=False)
    if done.returncode not in (0, 1):
        raise SystemExit(done.stdout + done.stderr)
    return done.stdout


#: (field, file, wanted, read)
_Fact = tuple[str, str, object, object]


def _facts(rendered: Rendered) -> Iterator[_Fact]:
    """(field, file, wanted, read) for every fact of a rendered site."""
    rows = _read(rendered.folder.parent, rendered.folder.name)
    for name, article in rendered.pages.items():
        row = rows.get(name)
        if row is None:
            yield "listed", name, True, None
            continue
        yield "heading", name, article.title, row["heading"]
        if article.author:
            yield "author", name, article.author, row["author"]
        if article.date:
            yield "date", name, article.date, (row["published"] or "")[:10]
        if article.tags:
            yield "tags", name, sorted(article.tags), sorted(row["tags"] or [])
        yield "language", name, article.language, (row["language"] or "")[:2]
        yield "kind", name, "article" if article.date else "page", _kind(row, article)
        films = [(one["content"] or "").rpartition("/")[2] for one in row["videos"] or []]
        yield "film", name, [article.film] if article.film else [], films
        pictures = [_picture(one["loc"], article) for one in row["images"] or []]
        yield "picture", name, [article.picture] if article.picture else [], pictures
        yield "listed", name, "listed", row["verdict"]
    for name in rendered.drafts:
        if name in rows:
            yield "listed", name, "unlisted", rows[name]["verdict"]


def _read(work: Path, folder: str) -> dict[str, dict[str, Any]]:
    """The rows of the page table of a folder, by file; `work` is where it is surveyed from."""
    text = _SITE_FILE.replace('path = "site"', f'path = "{folder}"')
    (work / "atlas.toml").write_text(text.replace('"site"', f'"{Path(folder).name}"'))
    _command("survey", "--full", "--accept", cwd=work)
    _command("pages", "--export", "pages.json", cwd=work)
    return {row["path"]: row for row in json.loads((work / "pages.json").read_bytes())}


def _seen(folder: Path, pages: dict[str, SeenPage], work: Path) -> Iterator[_Fact]:
    """The facts that a reader sees on pages of a documentation package."""
    work.mkdir(parents=True, exist_ok=True)
    rows = _read(work, str(folder))
    for name, seen in pages.items():
        row = rows.get(name)
        if row is None:
            continue  # another version of the package
        yield "heading", name, seen.heading, row["heading"]
        if seen.language:
            yield "language", name, seen.language, (row["language"] or "")[:2]
        yield "kind", name, seen.role, row["role"]


def _kind(row: dict[str, Any], article: Article) -> str:
    """What a page was taken for; a manual may say of its pages that they are articles."""
    said = row["declared"] == "article" and not article.date
    return "page" if said and row["role"] == "article" else row["role"]


def _picture(loc: str, article: Article) -> str:
    """The name of a picture; some generators put the digest of its bytes into it."""
    name = loc.rpartition("/")[2]
    stem = article.picture.partition(".")[0]
    hashed = re.fullmatch(rf"{stem}-[0-9a-f]{{8,}}(\.\w+)", name) if stem else None
    return f"{stem}{hashed[1]}" if hashed else name


def main() -> int:
    asked = argparse.ArgumentParser(prog="python -m corpus", description=__doc__)
    asked.add_argument("folder", type=Path, help="where sites are rendered")
    asked.add_argument("--node", type=Path, help="a folder with node_modules, for generators in it")
    asked.add_argument("--only", action="append", default=[], help="only this rendering")
    asked.add_argument("--wrong", action="store_true", help="show every fact that was read wrongly")
    given = asked.parse_args()
    tools = Path(sys.executable).parent
    node = given.node.resolve() if given.node else None
    total: dict[str, list[int]] = {}
    folder = given.folder.resolve()
    sites = [(one.name, _facts(one)) for one in all_of(tools, folder, node, given.only)]
    if not given.only:
        sites += (
            (f"{place.parent.name}/{place.name}", _seen(place, pages, folder / f"package-{number}"))
            for number, (place, pages) in enumerate(installed_packages())
        )
    for site, facts in sites:
        counts: dict[str, list[int]] = {}
        for field, name, truth, read in facts:
            right = truth == read
            for sums in (counts, total):
                pair = sums.setdefault(field, [0, 0])
                pair[0] += right
                pair[1] += 1
            if given.wrong and not right:
                print(f"  {field} of {name}: {read!r}, not {truth!r}")
        _line(site, counts)
    _line("all", total)
    right, whole = (sum(one[number] for one in total.values()) for number in (0, 1))
    print(f"{right / whole:.1%} of {whole:,} facts are right")
    return 0 if right >= _WANTED * whole else 1


def _line(name: str, counts: dict[str, list[int]]) -> None:
    shown = [f"{field} {right}/{of}" for field, (right, of) in counts.items()]
    print(name.ljust(26) + "  ".join(one.ljust(16) for one in shown))


sys.exit(main())
