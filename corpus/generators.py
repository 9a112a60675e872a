"""Rendering the corpus with site generators, each with what it brings: feeds, tags, archives."""

from __future__ import annotations

import json
import shutil
import subprocess
from collections.abc import Callable, Collection, Iterator
from dataclasses import dataclass, replace
from pathlib import Path

from PIL import Image

from corpus.content import Article, articles, manual

SITE = "https://www.marrowfen.example"


@dataclass(frozen=True)
class Rendered:
    """A rendered site: its folder, and file → article of which it is the page."""

    name: str
    folder: Path
    pages: dict[str, Article]
    drafts: tuple[str, ...] = ()


def _pictures(folder: Path) -> None:
    folder.mkdir(parents=True, exist_ok=True)
    for number, article in enumerate([*articles(), *manual()]):
        if article.picture:
            Image.new("RGB", (900, 600), (60 + number * 7 % 180, 120, 90)).save(
                folder / article.picture
            )
    Image.new("RGB", (240, 80), (11, 97, 81)).save(folder / "logo.png")


def _run(*command: str, cwd: Path) -> None:
    done = subprocess.run(command, cwd=cwd, capture_output=True, text=True, check=False)
    if done.returncode:
        raise SystemExit(f"{' '.join(command)}\n{done.stdout[-2000:]}\n{done.stderr[-2000:]}")


def _body(article: Article, pictures: str) -> str:
    parts = list(article.paragraphs)
    if article.picture:
        parts.insert(1, f"![{article.title}]({pictures}{article.picture})")
    return "\n\n".join(parts)


def blog(tools: Path, folder: Path, theme: str) -> Rendered:
    """A blog, by the generator `pelican`."""
    source = folder / "source"
    (source / "content").mkdir(parents=True)
    _pictures(source / "content" / "images")
    for article in articles():
        head = [f"Title: {article.title}", f"Date: {article.date}", f"Slug: {article.slug}",
                f"Authors: {article.author}", f"Tags: {', '.join(article.tags)}",
                "Category: Notes"]  # fmt: skip
        if article.draft:
            head.append("Status: draft")
        if article.version_of:
            head[2] = f"Slug: {article.version_of}"
            head.append("Lang: de")
        text = "\n".join(head) + "\n\n" + _body(article, "{static}/images/")
        (source / "content" / f"{article.slug}.md").write_text(text, "utf-8")
    (source / "pelicanconf.py").write_text(
        "AUTHOR = 'Marrowfen'\nSITENAME = 'Marrowfen Notes'\nPATH = 'content'\n"
        f"SITEURL = '{SITE}'\n"
        f"TIMEZONE = 'UTC'\nDEFAULT_LANG = 'en'\nTHEME = '{theme}'\nDEFAULT_PAGINATION = 5\n"
        "FEED_ALL_ATOM = 'feeds/all.atom.xml'\n",
        "utf-8",
    )
    _run(str(tools / "pelican"), "content", "-s", "pelicanconf.py", "-o", "../site", cwd=source)
    site = folder / "site"
    pages, drafts = {}, []
    for article in articles():
        name = f"{article.version_of}-de.html" if article.version_of else f"{article.slug}.html"
        if article.draft:
            drafts.append(f"drafts/{article.slug}.html")
        elif (site / name).exists():
            pages[name] = article
    return Rendered(f"pelican, {theme}", site, pages, tuple(drafts))


def weblog(tools: Path, folder: Path) -> Rendered:
    """A blog in two languages, by the generator `nikola`."""
    _run(str(tools / "nikola"), "init", "-q", "source", cwd=folder)
    source = folder / "source"
    conf = (source / "conf.py").read_text("utf-8")
    conf = conf.replace('SITE_URL = "https://example.com/"', f'SITE_URL = "{SITE}/"')
    conf += (
        "\nBLOG_TITLE = 'Marrowfen Notes'\nBLOG_AUTHOR = 'Marrowfen'\n"
        "POSTS = (('posts/*.md', 'posts', 'post.tmpl'),)\nTRANSLATIONS = {'en': '', 'de': './de'}\n"
        "DEFAULT_LANG = 'en'\nINDEX_TEASERS = False\nINDEX_DISPLAY_POST_COUNT = 5\n"
        "THUMBNAIL = False\nUSE_BUNDLES = False\n"
    )
    (source / "conf.py").write_text(conf, "utf-8")
    _pictures(source / "images")
    posts = source / "posts"
    for article in articles():
        lines = [f".. title: {article.title}", f".. slug: {article.version_of or article.slug}",
                 f".. date: {article.date} 09:00:00 UTC", f".. author: {article.author}",
                 f".. tags: {', '.join(article.tags)}",
                 f".. status: {'draft' if article.draft else 'published'}"]  # fmt: skip
        head = "<!--\n" + "\n".join(lines) + "\n-->\n\n"
        name = f"{article.version_of}.de.md" if article.version_of else f"{article.slug}.md"
        (posts / name).write_text(head + _body(article, "/images/"), "utf-8")
    _run(str(tools / "nikola"), "build", "-q", cwd=source)
    site = source / "output"
    pages, drafts = {}, []
    for article in articles():
        slug = article.version_of or article.slug
        name = f"{'de/' if article.language == 'de' else ''}posts/{slug}/index.html"
        if article.draft:
            drafts.append(name)
        elif (site / name).exists():
            pages[name] = article
    return Rendered("nikola", site, pages, tuple(drafts))


def docs(tools: Path, folder: Path, theme: str) -> Rendered:
    """A manual, by the generator `mkdocs`."""
    source = folder / "source"
    _pictures(source / "docs" / "images")
    for article in manual():
        place = source / "docs" / article.folder / f"{article.slug}.md"
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text(f"# {article.title}\n\n" + _body(article, "../images/"), "utf-8")
    (source / "docs" / "index.md").write_text("# Marrowfen manual\n\nAll we know.\n", "utf-8")
    (source / "mkdocs.yml").write_text(
        f"site_name: Marrowfen Manual\nsite_url: {SITE}/\ntheme:\n  name: {theme}\n", "utf-8"
    )
    _run(str(tools / "mkdocs"), "build", "-q", "-d", "../site", cwd=source)
    pages = {f"{one.folder}/{one.slug}/index.html": one for one in manual()}
    return Rendered(f"mkdocs, {theme}", folder / "site", pages)


def manual_pages(tools: Path, folder: Path, theme: str) -> Rendered:
    """A manual, by the generator `sphinx`."""
    source = folder / "source"
    _pictures(source / "images")
    for article in manual():
        place = source / article.folder / f"{article.slug}.rst"
        place.parent.mkdir(parents=True, exist_ok=True)
        parts = list(article.paragraphs)
        if article.picture:
            parts.insert(1, f".. image:: ../images/{article.picture}\n   :alt: {article.title}")
        line = "=" * len(article.title)
        place.write_text(f"{article.title}\n{line}\n\n" + "\n\n".join(parts) + "\n", "utf-8")
    tree = "\n".join(f"   {one.folder}/{one.slug}" for one in manual())
    (source / "index.rst").write_text(
        f"Marrowfen manual\n================\n\n.. toctree::\n\n{tree}\n", "utf-8"
    )
    (source / "conf.py").write_text(
        f"project = 'Marrowfen Manual'\nhtml_theme = '{theme}'\nhtml_baseurl = '{SITE}/'\n"
        "html_logo = 'images/logo.png'\nlanguage = 'en'\n",
        "utf-8",
    )
    _run(str(tools / "sphinx-build"), "-q", "source", "site", cwd=folder)
    pages = {f"{one.folder}/{one.slug}.html": one for one in manual()}
    return Rendered(f"sphinx, {theme}", folder / "site", pages)


def journal(tools: Path, folder: Path) -> Rendered:
    """A blog, by the generator `hexo`, from the registry of Node.js. `tools` has `node_modules`."""
    source = folder / "source"
    (source / "_posts").mkdir(parents=True)
    (source / "_drafts").mkdir()
    (folder / "themes").mkdir()
    (folder / "node_modules").symlink_to(tools / "node_modules")
    parts = {one.name: "*" for one in (tools / "node_modules").glob("hexo*")}
    package = {"hexo": {"version": ""}, "dependencies": parts}
    (folder / "package.json").write_text(json.dumps(package), "utf-8")
    _pictures(source / "images")
    for article in articles():
        if article.version_of:
            continue
        head = [f"title: {article.title}", f"date: {article.date} 09:00:00",
                f"author: {article.author}", f"tags: [{', '.join(article.tags)}]"]  # fmt: skip
        text = "---\n" + "\n".join(head) + "\n---\n\n" + _body(article, "/images/")
        place = source / ("_drafts" if article.draft else "_posts") / f"{article.slug}.md"
        place.write_text(text, "utf-8")
    (folder / "_config.yml").write_text(
        f"title: Marrowfen Notes\nurl: {SITE}\nroot: /\nlanguage: en\ntimezone: UTC\n"
        "permalink: :year/:month/:day/:title/\ntheme: landscape\n"
        "source_dir: source\npublic_dir: site\nper_page: 5\n",
        "utf-8",
    )
    _run(str(tools / "node_modules" / ".bin" / "hexo"), "generate", "--silent", cwd=folder)
    site, pages, drafts = folder / "site", {}, []
    for article in articles():
        for place in site.glob(f"2*/*/*/{article.slug}/index.html"):
            name = place.relative_to(site).as_posix()
            if article.draft:
                drafts.append(name)
            else:
                # The theme shows no author at all.
                pages[name] = replace(article, author="")
    return Rendered("hexo, landscape", site, pages, tuple(drafts))


def guide(tools: Path, folder: Path) -> Rendered:
    """A manual, by the generator `vitepress`, from the registry of Node.js."""
    source = folder / "docs"
    _pictures(source / "public" / "images")
    (folder / "node_modules").symlink_to(tools / "node_modules")
    for article in manual():
        place = source / article.folder / f"{article.slug}.md"
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text(f"# {article.title}\n\n" + _body(article, "/images/"), "utf-8")
    (source / "index.md").write_text("# Marrowfen manual\n\nAll we know.\n", "utf-8")
    _run(str(tools / "node_modules" / ".bin" / "vitepress"), "build", "docs", "--outDir",
         str(folder / "site"), cwd=folder)  # fmt: skip
    pages = {f"{one.folder}/{one.slug}.html": one for one in manual()}
    return Rendered("vitepress", folder / "site", pages)


def all_of(
    tools: Path, folder: Path, node: Path | None, wanted: Collection[str]
) -> Iterator[Rendered]:
    """Renderings of the corpus, all or those `wanted`. `tools` is the folder with the generators'
    commands, `node` the one with those from the registry of Node.js, if there are any."""
    makers: list[tuple[str, Callable[[Path], Rendered]]] = [
        ("pelican-notmyidea", lambda place: blog(tools, place, "notmyidea")),
        ("pelican-simple", lambda place: blog(tools, place, "simple")),
        ("nikola", lambda place: weblog(tools, place)),
        ("mkdocs", lambda place: docs(tools, place, "mkdocs")),
        ("mkdocs-readthedocs", lambda place: docs(tools, place, "readthedocs")),
        ("mkdocs-material", lambda place: docs(tools, place, "material")),
        ("sphinx-alabaster", lambda place: manual_pages(tools, place, "alabaster")),
        ("sphinx-rtd", lambda place: manual_pages(tools, place, "sphinx_rtd_theme")),
        ("sphinx-furo", lambda place: manual_pages(tools, place, "furo")),
    ]
    if node:
        makers.append(("hexo", lambda place: journal(node, place)))
        makers.append(("vitepress", lambda place: guide(node, place)))
    for name, maker in makers:
        if wanted and name not in wanted:
            continue
        place = folder / name
        shutil.rmtree(place, ignore_errors=True)
        place.mkdir(parents=True)
        yield maker(place)
