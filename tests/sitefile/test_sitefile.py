"""The site file: every error at once, with line, key and the right form."""

import re
from datetime import date
from itertools import product

import pytest

from jovial_atlas.errors import SiteFileError
from jovial_atlas.place import find_site_file
from jovial_atlas.rounds.publishing.patterns import check_patterns
from jovial_atlas.rules import layers_of
from jovial_atlas.sitefile import read_site_file
from jovial_atlas.sitefile.model import Host, SiteModel
from jovial_atlas.sitefile.parts import changed, keys_of, parts_in, read_part
from tests.conftest import NOW

GOOD = '[site]\nurl = "https://www.marrowfen.example"\n[[source]]\nkind = "html"\npath = "public"\n'


def problems(tmp_path, text):
    place = tmp_path / "atlas.toml"
    place.write_text(text, "utf-8")
    with pytest.raises(SiteFileError) as caught:
        site = read_site_file(place)
        layers_of(site, NOW)
        check_patterns(site)
    return caught.value.problems


@pytest.mark.parametrize(
    ("text", "line", "key", "words"),
    [
        ("[site", 1, "", "not TOML"),
        ('[site]\nurl = "x"\nurl = "y"', 3, "", "not TOML"),
        ('[[source]]\nkind = "html"\npath = "p"\n', None, "site", "is missing"),
        (GOOD.replace("https://", "ftp://"), 2, "site.url", "absolute http"),
        (GOOD.replace('example"', 'example/docs"'), 2, "site.url", "has a path"),
        (GOOD.replace('"html"', '"htm"'), 4, "source[1].kind", 'must be "html"'),
        (GOOD.replace("path", "folder"), 5, "source[1].folder", "Known here: addresses"),
        (GOOD.replace("path", "pth"), 5, "source[1].pth", "Did you mean 'path'"),
        (GOOD + "[sitemap]\nmax_urls = 50001\n", 7, "sitemap.max_urls", "at most 50000"),
        (GOOD + '[sitemap]\nmax_urls = "many"\n', 7, "sitemap.max_urls", "a whole number"),
        (GOOD + "[sitemap]\nmax_urls = true\n", 7, "sitemap.max_urls", "is true; it must be a whole number"),
        (GOOD + "[sitemap]\npictures = 1\n", 7, "sitemap.pictures", "true or false"),
        (GOOD + '[dates]\ntrust = ["git", "moon"]\n', 7, "dates.trust[2]", '"fingerprint" or "file"'),
        (GOOD + "[identity]\nquery = 7\n", 7, "identity.query", '"keep", "drop" or a list in [ ]'),
        (GOOD + '[head]\ntitles = { hom = "x" }\n', 7, "head.titles.hom", "Did you mean 'home'"),
        (GOOD + "[head]\ntitles = { home = 5 }\n", 7, "head.titles.home", "text in quotes"),
        (GOOD + '[sharing]\npoints = { "/p" = [1] }\n', 7, "sharing.points./p", "is [1]; it must be a list of 2"),
        (GOOD + "[videos]\nstill_at = -0.5\n", 7, "videos.still_at", "at least 0"),
        (GOOD + '[robots]\ngroups = "all"\n', 7, "robots.groups", "a list in [ ]"),
        (GOOD + "[[engine]]\nname = ''\nchannels = [5]\n", 7, "engine[1].name", "not empty"),
        (GOOD + "[[engine]]\nname = 'E'\nchannels = [5]\n", 8, "engine[1].channels[1]", "a table"),
        (GOOD + "[[source]]\npath = 'p'\n", 6, "source[2]", "has no kind"),
        (GOOD + "[defaults]\nlastmod = 2026-01-01\n", 7, "defaults.lastmod", "is 2026-01-01; it must be text"),
        (GOOD + "[[section]]\nname = 't'\nmatch = 3\n", 8, "section[1].match", "text in quotes or a list"),
        (GOOD + "[[section]]\nname = 't'\nmatch = ['/a', 3]\n", 8, "section[1].match[2]", "is 3; it must be text"),
        ('source = []\n[site]\nurl = "https://a.example"\n', 1, "source", "at least one"),
        (GOOD + '[[section]]\nname = "Tags"\nmatch = "/t/**"\n', 7, "section[1].name", "lower-case"),
        (GOOD + '[[section]]\nname = "video"\nmatch = "/t/**"\n', 7, "section[1].name", "another file"),
        (GOOD + '[[section]]\nname = "t"\nmatch = "t/**"\n', 8, "section[1].match", "begin with '/'"),
        (GOOD + '[[section]]\nname = "t"\nmatch = "/{a/**"\n', 8, "section[1].match", "brace"),
        (GOOD + '[[section]]\nname = "t"\nmatch = "/t"\n' * 2, 10, "section[2].name", "stands twice"),
        (GOOD + '[[section]]\nname = "t"\nmatch = "/t"\ntitle = "{{ page.titel }}"\n', 9,
         "section[1].title", "Did you mean page.title"),
        (GOOD + '[[section]]\nname = "t"\nmatch = "/t"\ntitle = "{{ page.title"\n', 9,
         "section[1].title", "cannot be read"),
        (GOOD + "[[rule]]\nset = { index = false }\n", 6, "rule[1]", "selects no pages"),
        (GOOD + '[[rule]]\nmatch = "/t"\nset = {}\n', 8, "rule[1].set", "sets nothing"),
        (GOOD + '[[rule]]\nsection = "tgs"\nset = { index = false }\n', 7, "rule[1].section", "no section"),
        (GOOD + '[[rule]]\nwhen = "wrds < 3"\nset = { index = false }\n', 7, "rule[1].when", "does not have"),
        (GOOD + '[[rule]]\nwhen = "words <"\nset = { index = false }\n', 7, "rule[1].when", "no SQL"),
        (GOOD + '[[rule]]\nwhen = "words"\nset = { index = false }\n', 7, "rule[1].when", "gives a value"),
        (GOOD + '[robots]\ngroups = [{ agents = ["a b"] }]\n', 7, "robots.groups[1].agents", "token"),
        (GOOD + '[[engine]]\nname = "E"\nchannels = [{ kind = "fax" }]\n', 8,
         "engine[1].channels[1].kind", "indexnow"),
        (GOOD + '[[engine]]\nname = "E"\nchannels = [{ kind = "call", name = "submit-sitemap", '
         'method = "PUT", url = "http://127.0.0.1/x" }]\n', 8, "engine[1].channels[1]", "{sitemap}"),
    ],
)  # fmt: skip
def test_each_error_names_line_key_and_remedy(tmp_path, text, line, key, words):
    found = problems(tmp_path, text)
    assert (line, key) in [(one.line, one.key) for one in found]
    assert any(words in str(one) for one in found)


def test_all_errors_are_told_at_once(tmp_path):
    text = GOOD.replace("https", "ftp").replace("html", "htm") + "[sitmap]\n[[rule]]\nset = {}\n"
    assert len(problems(tmp_path, text)) >= 4


def test_the_nearest_parent_with_a_site_file_is_found(tmp_path):
    (tmp_path / "atlas.toml").write_text(GOOD)
    deep = tmp_path / "a/b"
    deep.mkdir(parents=True)
    assert find_site_file(deep).resolve() == (tmp_path / "atlas.toml").resolve()
    with pytest.raises(SiteFileError, match="jovial-atlas init"):
        find_site_file(tmp_path.parent)


def test_every_key_says_what_it_means():
    def walk(model, seen):
        for name, field in keys_of(model).items():
            for inner in parts_in(field.type):
                if inner not in seen:
                    yield from walk(inner, seen | {inner})
            if not list(parts_in(field.type)):
                yield f"{model.__name__}.{name}", field.meaning

    assert [name for name, text in walk(SiteModel, {SiteModel}) if not text] == []


def test_a_table_of_features_is_read_and_a_wrong_row_told(tmp_path):
    features = GOOD + "[structured.features.Article]\n"
    text = features + 'required = ["headline"]\ninside.author.recommended = ["name"]\n'
    path = tmp_path / "atlas.toml"
    path.write_text(text)
    assert read_site_file(path).model.structured.features["Article"]["required"] == ["headline"]
    wrong = "".join(map(str, problems(tmp_path, text.replace('["name"]', '"name"'))))
    assert "Article.author: recommended is a list of properties" in wrong


def test_what_is_checked_is_checked_however_a_table_is_made():
    host = Host(url="HTTPS://A.example/", folder="a")
    assert host.url == "https://a.example"
    assert changed(host, folder="b") == Host(url="https://a.example", folder="b") != host
    with pytest.raises(ValueError, match="has a path"):
        Host(url="https://a.example/b", folder="a")


#: Values of all kinds that TOML has.
ANY = (True, 3, -5, 1.5, "x", "", [], [3], ["x"], [[1]], {}, {"a": 1}, {"a": "b"}, date(2026, 1, 1))


@pytest.mark.parametrize("table", [name for name in keys_of(SiteModel) if name != "site"])
def test_whatever_stands_at_a_key_is_read_or_told_in_our_words(table):
    base = {"site": {"url": "https://a.example"}, "source": [{"kind": "html", "path": "p"}]}
    kind = keys_of(SiteModel)[table].type
    repeated = "tuple" in str(kind)
    for part in parts_in(kind):
        for key, value in product(keys_of(part), ANY):
            tag = part.__struct_config__.tag
            said = {**({"kind": tag} if tag else {}), key: value}
            model, mistakes = read_part(SiteModel, {**base, table: [said] if repeated else said})
            assert (model is None) == bool(mistakes)
            words = " ".join(one.message for one in mistakes)
            assert not re.search(r"[Ee]xpected|`\$|object|[?.]\.", words), (key, value, words)
