"""Manuals, each by a generator for documentation."""

from __future__ import annotations

from pathlib import Path

from corpus.content import articles, manual
from corpus.rendering import SITE, Rendered, body_of, quoted, run, write_pictures
from jovial_atlas.values import replace


def docs(tools: Path, folder: Path, theme: str) -> Rendered:
    """A manual, by the generator `mkdocs`."""
    source = folder / "source"
    write_pictures(source / "docs" / "images")
    for article in manual():
        place = source / "docs" / article.folder / f"{article.slug}.md"
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text(f"# {article.title}\n\n" + body_of(article, "../images/"), "utf-8")
    (source / "docs" / "index.md").write_text("# Marrowfen manual\n\nAll we know.\n", "utf-8")
    (source / "mkdocs.yml").write_text(
        f"site_name: Marrowfen Manual\nsite_url: {SITE}/\ntheme:\n  name: {theme}\n", "utf-8"
    )
    run(str(tools / "mkdocs"), "build", "-q", "-d", "../site", cwd=source)
    pages = {f"{one.folder}/{one.slug}/index.html": one for one in manual()}
    return Rendered(f"mkdocs, {theme}", folder / "site", pages)


def manual_pages(tools: Path, folder: Path, theme: str) -> Rendered:
    """A manual, by the generator `sphinx`."""
    source = folder / "source"
    write_pictures(source / "images")
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
    run(str(tools / "sphinx-build"), "-q", "source", "site", cwd=folder)
    pages = {f"{one.folder}/{one.slug}.html": one for one in manual()}
    return Rendered(f"sphinx, {theme}", folder / "site", pages)


def guide(tools: Path, folder: Path) -> Rendered:
    """A manual, by the generator `vitepress`, from the registry of Node.js."""
    source = folder / "docs"
    write_pictures(source / "public" / "images")
    (folder / "node_modules").symlink_to(tools / "node_modules")
    for article in manual():
        place = source / article.folder / f"{article.slug}.md"
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text(f"# {article.title}\n\n" + body_of(article, "/images/"), "utf-8")
    (source / "index.md").write_text("# Marrowfen manual\n\nAll we know.\n", "utf-8")
    run(str(tools / "node_modules" / ".bin" / "vitepress"), "build", "docs", "--outDir",
         str(folder / "site"), cwd=folder)  # fmt: skip
    pages = {f"{one.folder}/{one.slug}.html": one for one in manual()}
    return Rendered("vitepress", folder / "site", pages)


def reference(_tools: Path, folder: Path) -> Rendered:
    """A manual, by the generator `doxygen`, which is made for references of source code."""
    source = folder / "source"
    write_pictures(source / "images")
    for article in manual():
        name = f"{article.folder}_{article.slug}"
        (source / f"{name}.md").write_text(
            f"# {article.title} {{#{name}}}\n\n" + body_of(article, ""), "utf-8"
        )
    (source / "Doxyfile").write_text(
        "PROJECT_NAME = Marrowfen\nINPUT = .\nIMAGE_PATH = images\nGENERATE_LATEX = NO\n"
        "PROJECT_LOGO = images/logo.png\nHTML_OUTPUT = ../site\nQUIET = YES\n"
        "FILE_PATTERNS = *.md\n",
        "utf-8",
    )
    run("doxygen", "Doxyfile", cwd=source)
    pages = {f"{one.folder}_{one.slug}.html": one for one in manual()}
    return Rendered("doxygen", folder / "site", pages)


def handbook(_tools: Path, folder: Path) -> Rendered:
    """A manual with authors and dates, by `asciidoctor`."""
    source, site = folder / "source", folder / "site"
    write_pictures(site / "images")
    pages = {}
    for number, article in enumerate(manual(), start=1):
        dated = replace(article, author="Wren Aldergate", date=f"2026-03-{number:02}")
        place = source / article.folder / f"{article.slug}.adoc"
        place.parent.mkdir(parents=True, exist_ok=True)
        parts = list(article.paragraphs)
        if article.picture:
            parts.insert(1, f"image::../images/{article.picture}[{article.title}]")
        head = f"= {article.title}\n{dated.author}\n1.0, {dated.date}\n:lang: en\n\n"
        place.write_text(head + "\n\n".join(parts) + "\n", "utf-8")
        target = site / article.folder / f"{article.slug}.html"
        run("asciidoctor", "-o", str(target), str(place), cwd=source)
        pages[target.relative_to(site).as_posix()] = dated
    return Rendered("asciidoctor", site, pages)


def portal(tools: Path, folder: Path) -> Rendered:
    """A manual and a blog, by the generator `docusaurus`, from the registry of Node.js."""
    (folder / "node_modules").symlink_to(tools / "node_modules")
    write_pictures(folder / "static" / "images")
    for article in manual():
        place = folder / "docs" / article.folder / f"{article.slug}.md"
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text(f"# {article.title}\n\n" + body_of(article, "/images/"), "utf-8")
    for article in articles():
        if article.version_of:
            continue
        head = [
            f"title: {quoted(article.title)}",
            f"date: {article.date}",
            f"tags: [{', '.join(article.tags)}]",
            f"authors: [{{name: {article.author}}}]",
            f"draft: {str(article.draft).lower()}",
            f"slug: {article.slug}",
        ]
        place = folder / "blog" / f"{article.slug}.md"
        place.parent.mkdir(exist_ok=True)
        text = "---\n" + "\n".join(head) + "\n---\n\n" + body_of(article, "/images/")
        place.write_text(text, "utf-8")
    (folder / "package.json").write_text('{"name": "marrowfen", "version": "1.0.0"}')
    (folder / "src" / "pages").mkdir(parents=True)
    (folder / "src" / "pages" / "index.md").write_text("# Marrowfen\n\nAll we know.\n", "utf-8")
    (folder / "docusaurus.config.js").write_text(
        "module.exports = {title: 'Marrowfen', url: '" + SITE + "', baseUrl: '/', "
        "onBrokenLinks: 'ignore', onBrokenMarkdownLinks: 'ignore', "
        "presets: [['classic', {docs: {}, blog: {onUntruncatedBlogPosts: 'ignore', "
        "onInlineAuthors: 'ignore', onInlineTags: 'ignore'}}]], "
        "themeConfig: {navbar: {title: 'Marrowfen', logo: {src: 'images/logo.png'}}}};\n",
        "utf-8",
    )
    run(
        str(tools / "node_modules" / ".bin" / "docusaurus"),
        "build",
        "--out-dir",
        "site",
        cwd=folder,
    )
    pages = {f"docs/{one.folder}/{one.slug}/index.html": one for one in manual()}
    pages |= {f"blog/{one.slug}/index.html": one for one in articles()
              if not one.draft and not one.version_of}  # fmt: skip
    return Rendered("docusaurus, classic", folder / "site", pages)
