"""Folders of languages, told from folders that are only called like one."""

import polars as pl
import pytest

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
