"""What the whole site says of its pages: languages, feeds, duplicates, lost pictures, kinds."""

import json

import pytest
from PIL import Image

from tests.conftest import URL, page, run_command, write_site

GERMAN = ("Das Wasser stand den ganzen Morgen bis zur untersten Stufe des Turmes, und zwei Rohrdommeln "
          "riefen aus dem Schilf, bis der Nebel sich hob und der Tag auch für die Enten begann.")  # fmt: skip
TEXTS = {
    "de": GERMAN,
    "ja": "朝の間ずっと、水は塔の一番下の段まで達していました。霧が晴れるまで二羽の鷺が鳴いていました。",
    "zh": "整个上午水都涨到了塔的最低一级台阶，两只鹭在芦苇丛中鸣叫，直到雾气散去。",
    "el": "Όλο το πρωί το νερό έφτανε μέχρι το χαμηλότερο σκαλοπάτι του πύργου.",
}


def pages_of(atlas, tmp_path):
    assert atlas("survey").code == 0
    assert atlas("pages", "--export", "pages.json").code == 0
    rows = json.loads((tmp_path / "pages.json").read_bytes())
    return {row["loc"].removeprefix(URL): row for row in rows}


@pytest.mark.parametrize("language", TEXTS)
def test_a_text_that_is_plainly_in_another_language_than_its_page_says(atlas, tmp_path, language):
    write_site(tmp_path, {"a.html": page("A", f"<p>{TEXTS[language]}</p>"),
                          "b.html": page("B", f"<p>{TEXTS[language]}</p>").replace(' lang="en"', ""),
                          "c.html": page("C", "<p>A structure that is read by the driver and not by us.</p>")})  # fmt: skip
    rows = pages_of(atlas, tmp_path)
    assert [rows[f"/{name}.html"]["language"] for name in "abc"] == [language, language, "en"]


ALIKE = {
    "fr": "Ce document décrit l'usage de filtres dans le marais, et permet à un visiteur de voir les oiseaux de manière souple, "
          "d'où que viennent les données.",
    "es": "Este documento describe el uso de filtros en el pantano y permite a un visitante ver aves de manera flexible, "
          "vengan de donde vengan los datos.",
    "pt": "Este documento descreve o uso de filtros no pântano, e permite que as visitas vejam aves de maneira flexível, "
          "independentemente de onde os dados vêm.",
    "it": "Questo documento descrive l'uso di filtri nella palude e permette a un visitatore di vedere gli uccelli in modo più libero, "
          "da dove vengono i dati non importa.",
    "ro": "Acest document descrie folosirea unui filtru în mlaștină și permite vizitatorului să vadă păsări într-un mod care este mai "
          "liber, din ce loc ar veni datele nu are un rol.",
    "cs": "Tento text popisuje, jak se v mokřadu používají filtry, a pro návštěvníka je to cesta, jak vidět ptáky od rána do noci, "
          "když se k vodě nebo na věž nedostane.",
    "nl": "Dit stuk gaat over het gebruik van filters in het moeras, en een bezoeker kan de vogels er op een vrije manier zien, "
          "waar de gegevens ook vandaan komen.",
}  # fmt: skip


def test_languages_that_share_words_are_told_apart(atlas, tmp_path):
    bare = {f"{name}.html": page(name, f"<p>{text}</p>").replace(' lang="en"', "") for name, text in ALIKE.items()}
    write_site(tmp_path, bare)
    rows = pages_of(atlas, tmp_path)
    assert {path: row["language"] for path, row in rows.items()} == {f"/{name}.html": name for name in ALIKE}


def test_of_pages_that_nobody_translated_the_one_in_its_own_language_stays(atlas, tmp_path):
    text = "<p>" + "Under the reeds stand herons, and each of them is still. " * 8 + "</p>"
    said = {"da": text, "en": text, "fr": text, "pt": f"<p>{ALIKE['pt']} {'Sal e vento.' * 12}</p>"}
    files = {f"{name}/a/index.html": page("A", said[name]) for name in said}
    files |= {f"{name}/b/index.html": page("B", said["pt"]).replace('lang="en"', 'lang="pt"') for name in said}
    files |= {f"{name}/c/index.html": page("C", "<p>" + "Zum Ried gehen alle. " * 20 + "</p>").replace(' lang="en"', "")
              for name in ("da", "en")}
    folders = ", ".join(f'{name} = "/{name}/"' for name in said)
    write_site(tmp_path, files, f"[languages]\nfolders = {{ {folders} }}\n")
    rows = pages_of(atlas, tmp_path)
    assert {path for path, row in rows.items() if row["verdict"] == "listed"} == {"/en/a/", "/pt/a/", "/pt/b/", "/en/c/"}
    explained = atlas("explain", "/da/a/")
    assert f"repeats {URL}/en/a/" in explained.out


def test_the_language_of_a_host_and_the_pages_own_version_count_over_the_theme(atlas, tmp_path):
    link = f"<link rel=alternate hreflang={{}} href={URL}/{{}}.html>"
    both = link.format("en", "a") + link.format("fr", "b")
    write_site(tmp_path, {"a.html": page("A", head=both), "b.html": page("B", head=both)},
               '[[source]]\nkind = "html"\npath = "other"\nhost = "https://de.marrowfen.example"\n\n'
               '[[host]]\nurl = "https://de.marrowfen.example"\nfolder = "other"\nlanguage = "de"\n')  # fmt: skip
    (tmp_path / "other").mkdir()
    (tmp_path / "other/c.html").write_text(page("C"))
    rows = pages_of(atlas, tmp_path)
    said = {path: (row["language"], row["read_from"].partition("language=")[2].partition(" ")[0]) for path, row in rows.items()}
    assert said == {"/a.html": ("en", "html"), "/b.html": ("fr", "hreflang"),
                    "https://de.marrowfen.example/c.html": ("de", "host")}  # fmt: skip


def test_pages_are_versions_by_the_names_of_their_files(tmp_path, atlas):
    said = {"en": "<p>The heron stands in the reeds and waits for the fish that come with the water.</p>",
            "de": "<p>Der Reiher steht im Schilf und wartet auf die Fische, die mit dem Wasser kommen.</p>"}  # fmt: skip
    files = {}
    for name in ("index", "herons", "walks/index", "walks/long", "a.de.html/x"):
        if name.startswith("a"):
            files["a.de.html/x.html"], files["a.html/x.html"] = page("X", said["de"]), page("Y", said["en"])
            continue
        files[f"{name}.html"] = page(name, said["en"] + f"<p>{name}</p>").replace(' lang="en"', "")
        files[f"{name}.de.html"] = page(f"{name} auf Deutsch", said["de"] + f"<p>{name}</p>").replace(' lang="en"', "")
    files["only.html"] = page("Only", said["en"])
    write_site(tmp_path, files)
    run_command("init", "--yes", "--replace", "--url", URL, "--html", "public", cwd=tmp_path)
    rows = pages_of(atlas, tmp_path)
    assert {(path, row["language"], row["role"]) for path, row in rows.items() if "index" in path} == {
        ("/index.de.html", "de", "home"), ("/walks/index.de.html", "de", "page"),
    }  # fmt: skip
    assert atlas("build").code == 0
    text = "".join(path.read_text() for path in tmp_path.glob("public/sitemap-*.xml"))
    assert text.count('hreflang="de"') == 10 and f'hreflang="en" href="{URL}/walks/"' in text
    assert f"{URL}/only.html" in text and text.count("<xhtml:link") == 20
    site = tmp_path / "atlas.toml"
    site.write_text(site.read_text().replace('".de"', '"de"'))
    told = atlas("survey")
    assert told.code == 2 and "must be a dot, hyphen or underscore" in told.err


def test_versions_at_other_paths_are_known_by_their_pictures(atlas, tmp_path):
    picture = f"<img src=/p/{{}}.jpg><p>{GERMAN}</p>"
    files = {"en/birds.html": "birds", "de/voegel.html": "birds", "en/reed.html": "reed", "de/ried.html": "rye",
             "en/one.html": "map", "en/two.html": "map", "de/eins.html": "map"}  # fmt: skip
    write_site(tmp_path, {name: page(name, f"<p>{name}</p>" + picture.format(shown)) for name, shown in files.items()},
               '[languages]\nfolders = { en = "/en/", de = "/de/" }\n')  # fmt: skip
    (tmp_path / "public/p").mkdir()
    for name in ("birds", "reed", "rye", "map"):
        Image.new("RGB", (400, 300)).save(tmp_path / f"public/p/{name}.jpg")
    assert atlas("survey").code == 0 and atlas("build").code == 0
    text = (tmp_path / "public/sitemap-pages-1.xml").read_text()
    assert text.count('hreflang="de"') == 2 and f'href="{URL}/de/voegel.html"' in text
    assert "ried.html\"/>" not in text and text.count(f'href="{URL}/en/one.html"') == 0


def test_a_feed_in_the_folder_names_what_pages_do_not_say(atlas, tmp_path):
    write_site(tmp_path, {"a.html": page("A"), "b.html": page("B", head="<meta name=author content=Own>")})
    items = [{"id": name, "url": f"{URL}/{name}.html", "title": name, "date_published": "2026-03-04T08:00:00Z",
              "authors": [{"name": "Feeder"}], "tags": ["reed"]} for name in "ab"]  # fmt: skip
    feed = {"version": "https://jsonfeed.org/version/1.1", "title": "F", "items": items}
    (tmp_path / "public/feed.json").write_text(json.dumps(feed))
    rows = pages_of(atlas, tmp_path)
    told = {path: (row["published"], row["published_from"], row["author"], row["tags"]) for path, row in rows.items()}
    assert told == {"/a.html": ("2026-03-04T08:00:00Z", "feed", "Feeder", ["reed"]),
                    "/b.html": ("2026-03-04T08:00:00Z", "feed", "Own", ["reed"])}  # fmt: skip
    site = tmp_path / "atlas.toml"
    site.write_text(site.read_text() + '\n[authors]\ntrust = ["meta"]\n')
    assert pages_of(atlas, tmp_path)["/a.html"]["author"] is None


def test_the_same_text_under_two_titles_is_one_page_and_the_article_stays(atlas, tmp_path):
    text = "<p>" + "The reeds stand in the water, and nobody has cut them for years. " * 12 + "</p>"
    dated = "<meta property='article:published_time' content='2026-01-02'>"
    beside = "<p>See heron.</p><ul>" + "".join(f"<li><a href=/{n}.html>The page of {n}</a></li>" for n in range(40)) + "</ul>"
    write_site(tmp_path, {"a.html": page("Short", text), "long/name/a.html": page("Long", text, dated),
                          "c.html": page("Other", text + "<img src=/x.jpg>"),
                          "d.html": page("Grey heron", beside), "e.html": page("Purple heron", beside)})  # fmt: skip
    Image.new("RGB", (400, 300)).save(tmp_path / "public/x.jpg")
    rows = pages_of(atlas, tmp_path)
    assert {path: row["verdict"] for path, row in rows.items()} == {
        "/a.html": "unlisted", "/long/name/a.html": "listed", "/c.html": "listed", "/d.html": "listed", "/e.html": "listed",
    }  # fmt: skip
    assert rows["/a.html"]["variant_of"] == f"{URL}/long/name/a.html"


def test_pictures_whose_file_is_gone_leave_the_sitemap_and_are_told(atlas, tmp_path):
    write_site(tmp_path, {"a.html": page("A", "<img src=/there.jpg><img src=/gone.jpg>" + f"<p>{GERMAN}</p>")})
    Image.new("RGB", (400, 300)).save(tmp_path / "public/there.jpg")
    assert atlas("survey").code == 0 and atlas("build").code == 0
    text = (tmp_path / "public/sitemap-pages-1.xml").read_text()
    assert "there.jpg" in text and "gone.jpg" not in text
    found = atlas("check", "--only", "picture-missing", "--format", "json").json["findings"]
    assert [one["where"] for one in found] == [f"{URL}/gone.jpg"]


LEADS_ON = "<p><a href=/about.html>1</a> <a href=/notes/a.html>2</a> <a href=/shop/b.html>3</a></p>"
ROLES = {
    "index.html": ("home", page("Home")),
    "404.html": ("error", page("Not found")),
    "drafts/x.html": ("draft", page("X")),
    "search/index.html": ("search", page("Find")),
    "blog/page/2/index.html": ("paged", page("Older")),
    "authors/wren/index.html": ("author", page("Wren")),
    "tags/reed/index.html": ("listing", page("Reed")),
    "notes/a.html": ("article", page("A", head="<meta property='article:published_time' content='2026-01-02'>")),
    "shop/b.html": ("product", page("B", head="<meta property='og:type' content='product'>")),
    "p/c.html": ("picture", page("C", "<img src=/c.jpg>").replace("<p>Some words.</p>", "")),
    "about.html": ("page", page("About")),
    "manual/search.html": ("search", page("Suche")),
    "seek/search/all_1.html": ("search", "<title></title><p>Loading… No matches</p>"),
    "seek/search/operators.html": ("page", page("Operators")),
    "index2.html": ("paged", page("Older: 2", LEADS_ON)),
    "units/index-2.html": ("page", page("Constants of the unit", LEADS_ON)),
    "book/page-12.html": ("page", page("Page 12")),
    "ja/kawauso.html": ("page", page("カワウソ", "<img src=/c.jpg><p>" + "カワウソは湿地に住んでいます。" * 4).replace("<p>Some words.</p>", "")),
}


def test_every_kind_is_known_by_its_sign_and_every_key_puts_patterns_in_its_place(atlas, tmp_path):
    write_site(tmp_path, {name: text for name, (_, text) in ROLES.items()})
    Image.new("RGB", (400, 300)).save(tmp_path / "public/c.jpg")
    rows = {row["path"]: row["role"] for row in pages_of(atlas, tmp_path).values()}
    assert rows == {name: role for name, (role, _) in ROLES.items()}
    site = tmp_path / "atlas.toml"
    keys = {"errors": "error", "drafts": "draft", "feeds": "feed", "documents": "document", "search": "search",
            "home": "home", "paged": "paged", "authors": "author", "products": "product", "events": "event",
            "listings": "listing", "pictures": "picture", "articles": "article"}  # fmt: skip
    before = site.read_text()
    for key, role in keys.items():
        site.write_text(f'{before}\n[kinds]\n{key} = ["/about.html"]\n')
        assert atlas("survey", "--accept").code == 0
        shown = atlas("pages", "--where", f"role = '{role}'", "--format", "json").json
        assert [row["loc"] for row in shown] == [f"{URL}/about.html"], key


def test_explain_tells_places_and_what_was_passed_over_and_services_are_listed(atlas, tmp_path):
    frame = '<iframe src="https://films.example/embed/{}" allow="autoplay" width=640 height=360></iframe>'
    pages = {f"n{number}.html": page(f"Note {number}", f"<p>Words of {number}.</p>{frame.format(number)}"
                                     "<img src=/logo.png width=900 height=300>") for number in range(9)}  # fmt: skip
    for number in range(3):  # a sign that only three of nine pages have
        pages[f"n{number}.html"] = pages[f"n{number}.html"].replace("<img", "<img src=/note.png><img src=/reed.png><img")
    pages["n1.html"] = pages["n1.html"].replace("</main>", "<p class=byline>By Wren Aldergate</p></main>")
    write_site(tmp_path, pages)
    for name, size in (("logo", (900, 300)), ("note", (48, 64)), ("reed", (80, 80))):
        Image.new("RGB", size).save(tmp_path / f"public/{name}.png")
    assert atlas("survey").code == 0
    told = atlas("explain", "/n1.html", "--format", "json").json
    assert told["role"] == "page" and told["read_from"]["author"] == "byline"
    assert told["layout"]["pictures"] == [f"{URL}/note.png", f"{URL}/logo.png"]
    services = atlas("videos", "services", "--format", "json").json["hosts"]
    (host,) = [one for one in services if one["host"] == "films.example"]
    assert (host["videos"], host["pages"], host["service"]) == (9, 9, "")
    lines = tmp_path / "services.toml"
    lines.write_text(host["described"])
    site = tmp_path / "atlas.toml"
    site.write_text(site.read_text() + '\n[videos]\nservices = "services.toml"\n')
    assert atlas("survey", "--full").code == 0
    again = atlas("videos", "services", "--format", "json").json["hosts"]
    assert [one["service"] for one in again if one["host"] == "films.example"] != [""]
