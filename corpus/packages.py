"""Documentation packages of Debian, from generators that nobody here set up: what a person reads on
some of their pages, checked by hand."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

_DOC = Path("/usr/share/doc")


class SeenPage(NamedTuple):
    """What a reader sees: the heading of a page, its language ("" where its text does not tell),
    and what the page is."""

    heading: str
    language: str
    role: str = "page"


#: Folder of a package → its pages.
PACKAGES: dict[str, dict[str, SeenPage]] = {
    "aptitude/html": {
        "en/ch02s04s05.html": SeenPage("Search term reference", "en"),
        "fr/ch01.html": SeenPage("Chapitre 1. Démarrage rapide", "fr"),
    },
    "frr/html": {
        "setup.html": SeenPage("Basic Setup", "en"),
        "installation.html": SeenPage("Installation", "en"),
        "search.html": SeenPage("Search", "en", "search"),
    },
    "debmake-doc/html": {
        "ch05.de.html": SeenPage("Chapter 5. Grundlagen", "de"),
        "ch07.zh-tw.html": SeenPage("Chapter 7. 小技巧", "zh"),
        "ch02.zh-cn.html": SeenPage("Chapter 2. 预备知识", "zh"),
    },
    "libsdl2-doc/html": {
        "dd/d3b/md__r_e_a_d_m_e_dynapi.html": SeenPage("Dynamic API", "en"),
        "d5/df2/_s_d_l__keycode_8h_source.html": SeenPage("SDL_keycode.h", ""),
    },
    "git/html": {
        "git-show.html": SeenPage("git-show(1) Manual Page", "en"),
        "howto/keep-canonical-history-correct.html": SeenPage(
            "Keep authoritative canonical history correct with git pull", "en"
        ),
    },
    "valgrind/html": {
        "nl-manual.html": SeenPage("12. Nulgrind: the minimal Valgrind tool", "en"),
        "manual.html": SeenPage("Valgrind User Manual", "en"),
    },
    "rust-doc/html/book": {
        "ch01-01-installation.html": SeenPage("Installation", "en"),
        "appendix-00.html": SeenPage("Appendix", "en"),
    },
    "postgresql-doc-15/html": {
        "installation.html": SeenPage("Chapter 17. Installation from Source Code", "en"),
        "runtime-config-statistics.html": SeenPage("20.9. Run-time Statistics", "en"),
        "view-pg-ident-file-mappings.html": SeenPage("54.10. pg_ident_file_mappings", "en"),
    },
    "libffi-dev/html": {
        "Primitive-Types.html": SeenPage("2.3.1 Primitive Types", "en"),
        "Memory-Usage.html": SeenPage("3 Memory Usage", "en"),
    },
    "ant/manual": {
        "Tasks/imageio.html": SeenPage("ImageIO", "en"),
        "Tasks/taskdef.html": SeenPage("Taskdef", "en"),
        "Tasks/verifyjar.html": SeenPage("VerifyJar", "en"),
    },
    "cockpit/guide": {
        "cockpit-error.html": SeenPage("cockpit.js: Errors", "en"),
        "authentication.html": SeenPage("Cockpit Authentication", "en"),
    },
    "debian-handbook/html": {
        "de-DE/sect.master-plan.html": SeenPage("2.2. Gesamtkonzept", "de"),
        "fr-FR/apt.html": SeenPage("Chapitre 6. Maintenance et mise à jour : les outils APT", "fr"),
        "ja-JP/apt.html": SeenPage("第 6 章 メンテナンスと更新、APT ツール", "ja"),
    },
    "gammu/html": {
        "c/error.html": SeenPage("Error handling", "en"),
        "faq/general.html": SeenPage("General Gammu FAQ", "en"),
        "search.html": SeenPage("Search", "en", "search"),
    },
    "python3/html": {
        "library/json.html": SeenPage("json — JSON encoder and decoder", "en"),
        "search.html": SeenPage("Search", "en", "search"),
    },
    "libxslt1-dev/html": {
        "EXSLT/intro.html": SeenPage("Introduction", "en"),
        "html/libxslt-keys.html": SeenPage("Module keys from libxslt", "en"),
    },
}  # fmt: skip


def installed_packages() -> Iterator[tuple[Path, dict[str, SeenPage]]]:
    """The packages that are here, by their folders."""
    for name, pages in PACKAGES.items():
        folder = _DOC / name
        if folder.is_dir():
            yield folder.resolve(), pages
