"""Blogs, each by a generator with what it brings: feeds, tags, archives, drafts."""

from __future__ import annotations

import json
from pathlib import Path

from corpus.content import articles
from corpus.rendering import SITE, Rendered, body_of, quoted, run, write_pictures
from jovial_atlas.values import replace


def blog(tools: Path, folder: Path, theme: str) -> Rendered:
    """A blog, by the generator `pelican`."""
    source = folder / "source"
    (source / "content").mkdir(parents=True)
    write_pictures(source / "content" / "images")
    for article in articles():
        head = [f"Title: {article.title}", f"Date: {article.date}", f"Slug: {article.slug}",
                f"Authors: {article.author}", f"Tags: {', '.join(article.tags)}",
                "Category: Notes"]  # fmt: skip
        if article.draft:
            head.append("Status: draft")
        if article.version_of:
            head[2] = f"Slug: {article.version_of}"
            head.append("Lang: de")
        text = "\n".join(head) + "\n\n" + body_of(article, "{static}/images/")
        (source / "content" / f"{article.slug}.md").write_text(text, "utf-8")
    (source / "pelicanconf.py").write_text(
        "AUTHOR = 'Marrowfen'\nSITENAME = 'Marrowfen Notes'\nPATH = 'content'\n"
        f"SITEURL = '{SITE}'\n"
        f"TIMEZONE = 'UTC'\nDEFAULT_LANG = 'en'\nTHEME = '{theme}'\nDEFAULT_PAGINATION = 5\n"
        "FEED_ALL_ATOM = 'feeds/all.atom.xml'\nCC_LICENSE = {'icon': False}\n",
        "utf-8",
    )
    run(str(tools / "pelican"), "content", "-s", "pelicanconf.py", "-o", "../site", cwd=source)
    site = folder / "site"
    pages, drafts = {}, []
    for article in articles():
        name = f"{article.version_of}-de.html" if article.version_of else f"{article.slug}.html"
        if article.draft:
            drafts.append(f"drafts/{article.slug}.html")
        elif (site / name).exists():
            pages[name] = article
    return Rendered(f"pelican, {Path(theme).name}", site, pages, tuple(drafts))


def weblog(tools: Path, folder: Path) -> Rendered:
    """A blog in two languages, by the generator `nikola`."""
    run(str(tools / "nikola"), "init", "-q", "source", cwd=folder)
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
    write_pictures(source / "images")
    posts = source / "posts"
    for article in articles():
        lines = [f".. title: {article.title}", f".. slug: {article.version_of or article.slug}",
                 f".. date: {article.date} 09:00:00 UTC", f".. author: {article.author}",
                 f".. tags: {', '.join(article.tags)}",
                 f".. status: {'draft' if article.draft else 'published'}"]  # fmt: skip
        head = "<!--\n" + "\n".join(lines) + "\n-->\n\n"
        name = f"{article.version_of}.de.md" if article.version_of else f"{article.slug}.md"
        (posts / name).write_text(head + body_of(article, "/images/"), "utf-8")
    run(str(tools / "nikola"), "build", "-q", cwd=source)
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


def journal(tools: Path, folder: Path, theme: str) -> Rendered:
    """A blog, by the generator `hexo`, from the registry of Node.js. `tools` has `node_modules`."""
    source = folder / "source"
    (source / "_posts").mkdir(parents=True)
    (source / "_drafts").mkdir()
    (folder / "themes").mkdir()
    (folder / "node_modules").symlink_to(tools / "node_modules")
    parts = {one.name: "*" for one in (tools / "node_modules").glob("hexo*")}
    package = {"hexo": {"version": ""}, "dependencies": parts}
    (folder / "package.json").write_text(json.dumps(package), "utf-8")
    write_pictures(source / "images")
    for article in articles():
        if article.version_of:
            continue
        head = [f"title: {quoted(article.title)}", f"date: {article.date} 09:00:00",
                f"author: {article.author}", f"tags: [{', '.join(article.tags)}]"]  # fmt: skip
        text = "---\n" + "\n".join(head) + "\n---\n\n" + body_of(article, "/images/")
        place = source / ("_drafts" if article.draft else "_posts") / f"{article.slug}.md"
        place.write_text(text, "utf-8")
    (folder / "_config.yml").write_text(
        f"title: Marrowfen Notes\nurl: {SITE}\nroot: /\nlanguage: en\ntimezone: UTC\n"
        f"permalink: :year/:month/:day/:title/\ntheme: {theme}\n"
        "source_dir: source\npublic_dir: site\nper_page: 5\n",
        "utf-8",
    )
    run(str(tools / "node_modules" / ".bin" / "hexo"), "generate", "--silent", cwd=folder)
    site, pages, drafts = folder / "site", {}, []
    for article in articles():
        for place in site.glob(f"2*/*/*/{article.slug}/index.html"):
            name = place.relative_to(site).as_posix()
            if article.draft:
                drafts.append(name)
            else:
                # The theme shows no author at all.
                pages[name] = replace(article, author="")
    return Rendered(f"hexo, {theme}", site, pages, tuple(drafts))


def bulletin(_tools: Path, folder: Path) -> Rendered:
    """A blog, by the generator `jekyll` with its usual theme and plugins."""
    source = folder / "source"
    write_pictures(source / "images")
    for name in ("_posts", "_drafts"):
        (source / name).mkdir()
    for article in articles():
        if article.version_of:
            continue
        head = [
            f"title: {quoted(article.title)}",
            f"author: {article.author}",
            "layout: post",
            f"tags: [{', '.join(article.tags)}]",
            f"date: {article.date} 09:00:00 +0000",
        ]
        text = "---\n" + "\n".join(head) + "\n---\n\n" + body_of(article, "/images/")
        dated = f"{article.date}-{article.slug}.md"
        place = (
            source / "_drafts" / f"{article.slug}.md"
            if article.draft
            else source / "_posts" / dated
        )
        place.write_text(text, "utf-8")
    (source / "index.md").write_text("---\nlayout: home\n---\n", "utf-8")
    (source / "about.md").write_text(
        "---\nlayout: page\ntitle: About\npermalink: /about/\n---\n\nWho we are.\n", "utf-8"
    )
    (source / "_config.yml").write_text(
        f"title: Marrowfen Notes\nurl: {SITE}\ntheme: minima\nauthor: Marrowfen\n"
        "plugins: [jekyll-feed, jekyll-seo-tag, jekyll-archives]\nshow_excerpts: true\n"
        "jekyll-archives:\n  enabled: all\n  layout: page\n",
        "utf-8",
    )
    run("jekyll", "build", "--quiet", "--drafts", "-s", "source", "-d", "site", cwd=folder)
    site, pages, drafts = folder / "site", {}, []
    feed = (site / "feed.xml").read_text("utf-8")
    for article in articles():
        for place in site.glob(f"2*/*/*/{article.slug}.html"):
            name = place.relative_to(site).as_posix()
            if article.draft:
                place.unlink()  # shown for a look, never published
            else:
                # Its theme names tags nowhere but in the feed, which has the newest posts alone.
                tags = article.tags if article.slug in feed else ()
                pages[name] = replace(article, tags=tags)
    return Rendered("jekyll, minima", site, pages, tuple(drafts))


def logbook(tools: Path, folder: Path) -> Rendered:
    """A blog, by the generator `ablog`."""
    source = folder / "source"
    write_pictures(source / "images")
    (source / "posts").mkdir()
    for article in articles():
        if article.version_of or article.draft:
            continue
        parts = list(article.paragraphs)
        if article.picture:
            parts.insert(1, f".. image:: ../images/{article.picture}\n   :alt: {article.title}")
        head = (f".. post:: {article.date}\n   :tags: {', '.join(article.tags)}\n"
                f"   :author: {article.author}\n")  # fmt: skip
        line = "=" * len(article.title)
        text = f"{head}\n{article.title}\n{line}\n\n" + "\n\n".join(parts) + "\n"
        (source / "posts" / f"{article.slug}.rst").write_text(text, "utf-8")
    (source / "index.rst").write_text(
        "Marrowfen Notes\n===============\n\n.. postlist:: 5\n   :excerpts:\n", "utf-8"
    )
    (source / "conf.py").write_text(
        "project = 'Marrowfen Notes'\nextensions = ['ablog']\nhtml_theme = 'alabaster'\n"
        f"blog_title = 'Marrowfen Notes'\nblog_baseurl = '{SITE}/'\nblog_path = 'blog'\n"
        "html_sidebars = {'**': ['ablog/postcard.html', 'ablog/recentposts.html']}\n"
        "post_date_format = '%d %B %Y'\nfontawesome_included = True\n",
        "utf-8",
    )
    run(str(tools / "ablog"), "build", "-w", "../site", "-d", "../doctrees", cwd=source)
    pages = {f"posts/{one.slug}/index.html": replace(one, film="") for one in articles()
             if not one.draft and not one.version_of}  # fmt: skip
    return Rendered("ablog, alabaster", folder / "site", pages)


#: A theme as small as one can be that says what most themes say, by the templates of the generator.
_LAYOUTS = {
    "baseof.html": """<!doctype html><html lang="{{ .Site.LanguageCode }}"><head>
<title>{{ .Title }} | {{ .Site.Title }}</title>
{{ template "_internal/opengraph.html" . }}{{ template "_internal/schema.html" . }}
{{ range .AlternativeOutputFormats }}{{ printf `<link rel="%s" type="%s" href="%s">` .Rel
.MediaType.Type .Permalink | safeHTML }}{{ end }}</head>
<body><header><a href="/"><img src="/images/logo.png" alt=""></a></header>
<main>{{ block "main" . }}{{ end }}</main><footer>2026 Marrowfen</footer></body></html>""",
    "single.html": """{{ define "main" }}<h1>{{ .Title }}</h1>
<p class="post-meta">{{ .Date.Format "January 2, 2006" }} · {{ .Params.author }}</p>
{{ .Content }}<ul>{{ range .GetTerms "tags" }}<li><a href="{{ .Permalink }}">{{ .LinkTitle }}</a>
{{ end }}</ul>{{ end }}""",
    "list.html": """{{ define "main" }}<h1>{{ .Title }}</h1>{{ range .Paginator.Pages }}
<div><h2><a href="{{ .Permalink }}">{{ .Title }}</a></h2><p>{{ .Summary }}</p></div>{{ end }}
{{ template "_internal/pagination.html" . }}{{ end }}""",
}


def gazette(_tools: Path, folder: Path) -> Rendered:
    """A blog in two languages, by the generator `hugo`."""
    source = folder / "source"
    layouts = source / "layouts" / "_default"
    layouts.mkdir(parents=True)
    for name, layout in _LAYOUTS.items():
        (layouts / name).write_text(layout, "utf-8")
    write_pictures(source / "static" / "images")
    for article in articles():
        head = {"title": article.title, "date": article.date, "author": article.author,
                "tags": list(article.tags), "draft": article.draft}  # fmt: skip
        slug = f"{article.version_of}.de" if article.version_of else article.slug
        place = source / "content" / "posts" / f"{slug}.md"
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text(f"{json.dumps(head)}\n\n{body_of(article, '/images/')}", "utf-8")
    (source / "config.yaml").write_text(
        f"baseURL: {SITE}/\ntitle: Marrowfen Notes\nlanguageCode: en\npaginate: 5\n"
        "markup: {goldmark: {renderer: {unsafe: true}}}\n"
        "languages:\n  en: {languageName: English}\n  de: {languageName: Deutsch,"
        " languageCode: de}\n",
        "utf-8",
    )
    run("hugo", "--quiet", "--destination", "../site", cwd=source)
    pages = {}
    for article in articles():
        name = f"posts/{article.slug}/index.html"
        if article.version_of:
            name = f"de/posts/{article.version_of}/index.html"
        if not article.draft:
            pages[name] = article
    return Rendered("hugo, own theme", folder / "site", pages)
