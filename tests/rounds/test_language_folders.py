"""Folders and names of files that tell languages, told from those that are only called like one."""

import polars as pl
import pytest

from jovial_atlas.rounds.reading.language_endings import language_endings
from jovial_atlas.rounds.reading.language_folders import language_folders, main_language

SITE = "https://www.marrowfen.example"


def pages(*folders):
    """Pages of folders: (folder, the names in it, their languages or one for all)."""
    rows = [
        {"loc": f"{SITE}{folder}{name}", "language": spoken if isinstance(spoken, str | None) else spoken[at]}
        for folder, names, spoken in folders
        for at, name in enumerate(names.split())
    ]  # fmt: skip
    return pl.DataFrame(rows, schema={"loc": pl.String, "language": pl.String})


@pytest.mark.parametrize(
    ("site", "wanted"),
    [
        ([("/", "a b", "en"), ("/de/", "a b", "de")], {"en": "/", "de": "/de/"}),
        # A department, a machine, a library: what stands in them is in the language of the site.
        ([("/it/", "a b", "en"), ("/hr/", "a b", "en")], {}),
        ([("/", "a b", "en"), ("/arm/", "a b", "en"), ("/std/", "a b", "en")], {}),
        ([("/uk/", "a b", "en-GB"), ("/de/", "a b", "de")], {}),
        # One page of many is translated so far.
        ([("/en/", "a b c d", "en"), ("/da/", "a b c d", ["en", "en", "da", "en"])], {"da": "/da/", "en": "/en/"}),
        # Short texts of a language that no words tell are read as those of one beside it.
        ([("/ca/", "a b", "es"), ("/es/", "a b", "es")], {"ca": "/ca/", "es": "/es/"}),
        ([("/en/", "a b", None), ("/fr/", "a b", None)], {"en": "/en/", "fr": "/fr/"}),
        # Three letters may be a word; what repeats another language is one.
        ([("/api/", "a b", None), ("/doc/", "a b", None)], {}),
        ([("/en/", "a b c", "en"), ("/de/", "a b c", "de"), ("/fil/", "a b", None), ("/lib/", "a b x y z", None)],
         {"de": "/de/", "en": "/en/", "fil": "/fil/"}),
        ([("/en/", "a b", "en"), ("/gsw/", "a b", "gsw")], {"en": "/en/", "gsw": "/gsw/"}),
        ([("/en/", "a b", "en"), ("/zh_CN/", "a b", "zh-CN")], {"en": "/en/", "zh-CN": "/zh_CN/"}),
        ([("/en/", "a b", "en"), ("/de/", "c d", "de")], {}),
        # Below the top: a handbook in two languages, beside the site or around; translations of the top.
        ([("/", "x y", "en"), ("/handbook/en/", "a b", "en"), ("/handbook/de/", "a b", "de")],
         {"de": "/handbook/de/", "en": "/handbook/en/"}),
        ([("/docs/", "a b", "en"), ("/docs/de/", "a b", "de"), ("/docs/fr/", "a", "fr")], {"en": "/docs/", "de": "/docs/de/"}),
        ([("/", "a b c", "en"), ("/more/translations/it_IT/", "a b", "it"), ("/more/translations/ja_JP/", "b c", "ja")],
         {"en": "/", "it-IT": "/more/translations/it_IT/", "ja-JP": "/more/translations/ja_JP/"}),
        ([("/desk/it/", "a b", "en"), ("/desk/hr/", "a b", "en")], {}),
        ([("/desk/it/", "a b", None), ("/desk/hr/", "a b", None)], {}),
        ([("/it/", "1 2 3/4", None), ("/hr/", "1 2 3/4", None)], {}),
        # Towns by countries, some of the same name.
        ([("/AR/", "a b c d e f g h", None), ("/BE/", "a b i j k l m n", None)], {}),
    ],
)  # fmt: skip
def test_a_folder_is_one_of_a_language_where_its_pages_do_not_deny_it(site, wanted):
    assert language_folders(pages(*site), SITE, "en") == wanted


@pytest.mark.parametrize(
    ("site", "wanted"),
    [
        # What nobody has translated yet stands in the language that the site begins with.
        ([("/ca/", "a b c d", "es"), ("/cs/", "a b c d", ["en", "en", "cs", "cs"]), ("/en/", "a b c d", "en"),
          ("/es/", "a b c d", "es"), ("/nl/", "a b c d", ["nl", "en", "nl", "nl"])], "en"),
        ([("/de/", "a b c", "de"), ("/en/", "a b", "en")], "de"),
        ([("/", "a b c", "fr"), ("/en/", "a b", "en")], "fr"),
        ([("/", "a b", None)], ""),
    ],
)  # fmt: skip
def test_the_main_language_is_that_of_untranslated_pages(site, wanted):
    table = pages(*site)
    folders = language_folders(table, SITE, "fr")
    assert main_language(table, SITE, folders) == wanted


@pytest.mark.parametrize(
    ("site", "wanted"),
    [
        ([("/", "a.html b.html", "en"), ("/", "a.de.html b.de.html index.de.html", "de")], {"de": ".de"}),
        ([("/", "a.en.html b.en.html", "en"), ("/x/", "a.pt_BR.html", "pt"), ("/", "a.pt_BR.html b.pt_BR.html", "pt-BR")],
         {"en": ".en", "pt-BR": ".pt_BR"}),
        ([("/", "a b", None), ("/", "a.fr b.fr", "fr")], {"fr": ".fr"}),
        ([("/", "reed reed.de reed.fr reed.it reed.es", None)], {}),
        ([("/reed.de/", "a.html b.html", None), ("/reed.it/", "a.html b.html", None)], {}),
        ([("/", "a.html b.html", "en"), ("/", "a_nl.html b_nl.html", "nl")], {"nl": "_nl"}),
        # Shirts in size "is" and libraries of machines are no languages; nor is what stands alone.
        ([("/", "a.html b.html", "en"), ("/", "a-is.html b-is.html", "en")], {}),
        ([("/", "a.html b.html", None), ("/", "a-no.html b-no.html", None)], {}),
        ([("/", "a.io.html b.io.html", "en"), ("/", "a.html b.html", "en")], {}),
        ([("/", "c.html", "en"), ("/", "a.de.html b.de.html", "de")], {}),
        ([("/", "a.cs.html a.de.html a.en.html a.fr.html", None)], {"cs": ".cs", "de": ".de", "en": ".en", "fr": ".fr"}),
        ([("/", "a.de.html a.en.html", None)], {}),
        ([("/guide-de/", "a.html b.html", "de"), ("/help-de/", "a.html", "de"), ("/guide-pt/", "a.html b.html", "pt")],
         {"de": "-de", "pt": "-pt"}),
        ([("/guide.de.html/", "a.html b.html", "de"), ("/guide.html/", "a.html b.html", "en")], {"de": ".de"}),
    ],
)  # fmt: skip
def test_the_end_of_a_name_tells_a_language_where_pages_bear_it_out(site, wanted):
    assert language_endings(pages(*site), SITE) == wanted
