"""The renderings of the corpus: which generators and themes."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Collection, Iterator
from functools import partial
from pathlib import Path

from corpus.blogs import blog, bulletin, gazette, journal, logbook, weblog
from corpus.manuals import docs, guide, handbook, manual_pages, portal, reference
from corpus.rendering import Rendered


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
        ("mkdocs-cinder", lambda place: docs(tools, place, "cinder")),
        ("sphinx-alabaster", lambda place: manual_pages(tools, place, "alabaster")),
        ("sphinx-rtd", lambda place: manual_pages(tools, place, "sphinx_rtd_theme")),
        ("sphinx-furo", lambda place: manual_pages(tools, place, "furo")),
        ("sphinx-pydata", lambda place: manual_pages(tools, place, "pydata_sphinx_theme")),
        ("sphinx-haiku", lambda place: manual_pages(tools, place, "haiku")),
    ]
    makers += (
        (f"pelican-{theme}", partial(blog, tools, theme=theme)) for theme in ("reflex", "smallweb")
    )
    makers.append(("ablog", partial(logbook, tools)))
    if node:
        makers += (
            (f"hexo-{theme}", partial(journal, node, theme=theme))
            for theme in ("landscape", "fluid", "butterfly")
        )
        makers.append(("vitepress", partial(guide, node)))
        makers.append(("docusaurus", partial(portal, node)))
    for command, some in (
        ("jekyll", bulletin),
        ("hugo", gazette),
        ("doxygen", reference),
        ("asciidoctor", handbook),
    ):
        if shutil.which(command):
            makers.append((command, partial(some, tools)))
    for name, maker in makers:
        if wanted and name not in wanted:
            continue
        place = folder / name
        shutil.rmtree(place, ignore_errors=True)
        place.mkdir(parents=True)
        yield maker(place)
