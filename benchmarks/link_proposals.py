"""Proposals for links, tried on real pages: links are taken out of texts, and it is counted how
many come back among the first five that are proposed for the page. Beside it a plain way: pages
whose title the text says.

    python -m benchmarks.link_proposals [FOLDER…]
"""

from __future__ import annotations

import random
import re
import sys
import tempfile
import time
from collections import defaultdict
from datetime import UTC, datetime
from pathlib import Path

from selectolax.lexbor import LexborHTMLParser, LexborNode

from jovial_atlas import addresses
from jovial_atlas.linking.mentions import blocks_of, shown
from jovial_atlas.rounds.proving.links import SiteLinks
from jovial_atlas.rounds.proving.links_proposed import LinkProposals
from jovial_atlas.rounds.reading.all_sources import SurveyOptions
from jovial_atlas.rounds.reading.survey import run_survey
from jovial_atlas.rounds.state.last_survey import last_survey
from jovial_atlas.sitefile import read_site_file
from jovial_atlas.sources.html_page.fulltext import html_of_file
from jovial_atlas.web import new_client

FOLDERS = ("/usr/share/doc/python3.11/html", "/usr/share/doc/postgresql-doc-15/html",
           "/usr/share/doc/git/html")  # fmt: skip
URL = "https://docs.marrowfen.example"
TAKEN, FIRST = 200, 5


def main(folders: list[str]) -> None:
    print("pages of                pages  taken   found  titles alone  seconds")
    for folder in folders or FOLDERS:
        with tempfile.TemporaryDirectory() as place:
            tried(Path(folder), Path(place))


def tried(folder: Path, place: Path) -> None:
    for file in folder.rglob("*.html"):
        target = place / "public" / file.relative_to(folder)
        target.parent.mkdir(parents=True, exist_ok=True)
        target.write_bytes(file.read_bytes())
    (place / "atlas.toml").write_text(
        f'[site]\nurl = "{URL}"\nname = "Docs"\nlanguage = "en"\n\n[output]\nfolder = "out"\n\n'
        '[[source]]\nkind = "html"\npath = "public"\n'
    )
    links = surveyed(place)
    taken = take_out(place / "public", links)
    links = surveyed(place)
    begun = time.perf_counter()
    proposals = LinkProposals(links)
    found = 0
    for loc, targets in taken.items():
        first = {one.target for one in proposals.out_of(loc, FIRST)}
        found += len(first & targets)
    seconds = time.perf_counter() - begun
    count = sum(map(len, taken.values()))
    plain = by_titles(place, links, taken)
    print(f"{folder.parent.name:<22} {links.survey.count:>6,} {count:>6} {found / count:>7.0%} "
          f"{plain / count:>13.0%} {seconds:>8.1f}")  # fmt: skip


def surveyed(place: Path) -> SiteLinks:
    site, now = read_site_file(place / "atlas.toml"), datetime.now(UTC)
    with new_client(5) as client:
        run_survey(site, now, client, SurveyOptions(accept=True))
    return SiteLinks(last_survey(site, now))


def take_out(public: Path, links: SiteLinks) -> dict[str, set[str]]:
    """Take links out of texts, their words left in; page → the pages that it no longer links to."""
    random.seed(7)
    pages = links.pages.filter("listed")
    menu = set(pages.filter(pages["links_in"] > pages.height / 2)["loc"])
    known = set(pages["loc"]) - menu
    texts = pages.filter(~pages["role"].is_in(["listing", "home", "paged"]))["loc"].to_list()
    files = dict(links.survey.pages.select("loc", "path").collect().iter_rows())
    taken: dict[str, set[str]] = defaultdict(set)
    for loc in random.sample(texts, len(texts)):
        tree = LexborHTMLParser((public / files[loc]).read_bytes())
        body = tree.css_first("[role=main], main") or tree.body
        by_target = defaultdict(list)
        for node in body.css("p a[href], dd a[href], li p a[href]"):
            target = led_to(loc, node)
            if target in known and target != loc and re.search(r"\w{3}", node.text()):
                by_target[target].append(node)
        if not by_target:
            continue
        target = random.choice(sorted(by_target))
        for node in body.css("a[href]"):
            if led_to(loc, node) == target:
                node.unwrap()
        (public / files[loc]).write_text(tree.html or "")
        taken[loc].add(target)
        if sum(map(len, taken.values())) >= TAKEN:
            break
    return taken


def led_to(loc: str, node: LexborNode) -> str:
    target = addresses.resolve(loc, (node.attributes["href"] or "").partition("#")[0])
    return re.sub(r"/index\.html$", "/", target or "")


def by_titles(place: Path, links: SiteLinks, taken: dict[str, set[str]]) -> int:
    """How many come back where the pages are proposed whose title the text says, longest first."""
    table = links.survey.pages.select("loc", "path", "title", "heading").collect()
    titles = [
        (re.sub(r"^[\d.]+\s+|\s+—.*$", "", (heading or title or "")).casefold(), loc)
        for loc, _, title, heading in table.iter_rows()
    ]
    files = {loc: path for loc, path, _, _ in table.iter_rows()}
    found = 0
    for loc, targets in taken.items():
        blocks = blocks_of(html_of_file(place / "public" / files[loc]))
        text = " ".join(map(shown, blocks)).casefold()
        said = sorted({(-len(t), to) for t, to in titles if len(t) > 3 and to != loc and t in text})
        found += len({to for _, to in said[:FIRST]} & targets)
    return found


if __name__ == "__main__":
    main(sys.argv[1:])
