"""Setting up: what is inferred from content, what is taken over, and the guided sitting."""

import tomllib

import pytest

from tests.conftest import page, run_command

URL = "https://www.marrowfen.example"
DATED = "<meta property='article:published_time' content='2026-01-02'>"


def init(folder, pages, *arguments, **files):
    for name, text in pages.items():
        place = folder / "public" / name
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text(text)
    for name, text in files.items():
        (folder / "public" / name.replace("_", ".")).write_text(text)
    ran = run_command("init", "--yes", "--url", URL, "--html", "public", *arguments, cwd=folder)
    assert ran.code == 0, ran.err
    return tomllib.loads((folder / "atlas.toml").read_text()), ran


def canonical(path, **more):
    return page(head=f"<link rel=canonical href={URL}{path}>", **more)


@pytest.mark.parametrize(
    ("pages", "key", "value"),
    [
        ({"a/index.html": page(), "a/b.html": page()}, "addresses", "folder"),
        ({"a.html": canonical("/a"), "b.html": canonical("/b")}, "addresses", "plain"),
        (
            {"index.html": canonical("/index.html"), "b.html": canonical("/b.html")},
            "addresses",
            "file",
        ),
        ({"index.html": canonical("/"), "b.html": canonical("/b.html")}, "addresses", "folder"),
    ],
)
def test_the_style_of_addresses_is_read_off_the_canonicals(tmp_path, pages, key, value):
    assert init(tmp_path, pages)[0]["source"][0][key] == value


@pytest.mark.parametrize(
    ("titles", "name"),
    [
        (["Marrowfen", "Otters – Marrowfen", "Birds – Marrowfen"], "Marrowfen"),
        (["Home of the fen", "Otters", "Birds"], "Home of the fen"),
        (["", "Otters", "Birds"], "www.marrowfen.example"),
    ],
)
def test_the_name_is_what_titles_end_with_else_the_home_pages_title(tmp_path, titles, name):
    names = ("index.html", "a.html", "b.html")
    pages = {one: page(title) for one, title in zip(names, titles, strict=True)}
    assert init(tmp_path, pages)[0]["site"]["name"] == name


def test_sections_come_from_folders_with_pages_enough(tmp_path):
    pages = {
        "index.html": page(), "about/index.html": page(), "Field Notes/index.html": page(),
        "Field Notes/a.html": page(head=DATED), "Field Notes/b.html": page(head=DATED),
        "video/a.html": page(), "video/b.html": page(),
    }  # fmt: skip
    read, ran = init(tmp_path, pages)
    assert read["section"] == [
        {"name": "field-notes", "match": "/Field%20Notes/**", "schema": "Article"},
        {"name": "video-folder", "match": "/video/**"},
    ]
    assert "3 pages" in ran.out
    survey = run_command("survey", "--format", "json", cwd=tmp_path)
    assert survey.json["sections"]["field-notes"]["pages"] == 3


@pytest.mark.parametrize(
    ("folders", "sections"),
    [(("lcl", "rtl"), ["/docs/lcl/**", "/docs/rtl/**"]), (("2024", "2025"), ["/docs/**"]),
     (tuple(f"heron-{n}" for n in range(25)), ["/docs/**"])],
)  # fmt: skip
def test_where_all_stands_in_one_folder_sections_are_those_below(tmp_path, folders, sections):
    each = 50 // len(folders)
    pages = {f"docs/{one}/{n}.html": page() for one in folders for n in range(each)}
    read, _ = init(tmp_path, {"index.html": page(), **pages})
    assert [one["match"] for one in read["section"]] == sections


def test_a_robots_txt_that_is_there_is_taken_over_without_loss(tmp_path):
    text = (
        "User-agent: *\nUser-agent: b\nDisallow: /x/\nAllow: /x/y$\n\nUser-agent: mirrorbot\n"
        "Disallow: /\n\nCrawl-delay: 10\nSitemap: https://www.marrowfen.example/other.xml\n"
    )
    read, ran = init(tmp_path, {"index.html": page()}, robots_txt=text)
    assert "taken over" in ran.out
    assert read["robots"] == {
        "groups": [
            {"agents": ["*", "b"], "allow": ["/x/y$"], "disallow": ["/x/"]},
            {"agents": ["mirrorbot"], "disallow": ["/"], "records": ["Crawl-delay: 10"]},
        ],
        "sitemaps": [f"{URL}/other.xml"],
    }
    for command in ("survey", "build"):
        assert run_command(command, cwd=tmp_path).code == 0
    written = (tmp_path / "public/robots.txt").read_text().splitlines()
    assert written[-2:] == [f"Sitemap: {URL}/sitemap.xml", f"Sitemap: {URL}/other.xml"]
    assert set(text.split("\n")) - {""} <= set(written)
    assert (tmp_path / ".jovial-atlas/replaced/robots.txt").read_text() == text


def test_canonicals_on_another_host_are_told_at_once(tmp_path):
    _, ran = init(tmp_path, {"a.html": page(head="<link rel=canonical href=https://o.example/a>")})
    assert "1 page names a canonical on https://o.example" in ran.err


def test_init_finds_folders_of_languages_and_surveys_take_them(tmp_path):
    """A theme that says `lang="en"` on every page does not make German pages English."""
    german = ("Das Wasser stand den ganzen Morgen bis zur untersten Stufe des Turmes, und zwei Rohrdommeln "
              "riefen aus dem Schilf, bis der Nebel sich hob und der Tag begann.")  # fmt: skip
    pages = {f"{folder}{name}/index.html": page(f"{name} {folder}", f"<p>{german if folder else 'English words.'}</p>")
             for folder in ("", "de/") for name in ("reeds", "frogs", "bats")}  # fmt: skip
    pages["hr/only/index.html"] = page("hr")  # a department, not Croatian
    for name, text in pages.items():
        (tmp_path / "public" / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / "public" / name).write_text(text)
    run = run_command("init", "--yes", "--url", URL, "--html", "public", cwd=tmp_path)
    assert run.code == 0 and 'folders = {en = "/", de = "/de/"}' in (tmp_path / "atlas.toml").read_text()
    assert run_command("survey", cwd=tmp_path).code == 0
    rows = run_command("pages", "--language", "de", "--format", "json", cwd=tmp_path).json
    assert {row["loc"] for row in rows} == {f"{URL}/de/{name}/" for name in ("reeds", "frogs", "bats")}
    assert run_command("build", cwd=tmp_path).code == 0
    assert not run_command("check", "--only", "text-language", "--format", "json", cwd=tmp_path).json["findings"]
    assert "nothing found" in run_command("check", "--only", "picture-missing", cwd=tmp_path).out
    shown = tmp_path / "public/bats/index.html"
    shown.write_text(shown.read_text().replace("</main>", '<p>{}</p><img src="/lost.jpg"></main>'.format("More words. " * 9)))
    assert run_command("survey", cwd=tmp_path).code == 0
    lost = run_command("check", "--only", "picture-missing", "--format", "json", cwd=tmp_path).json["findings"]
    assert [(one["where"], "/bats/" in one["message"]) for one in lost] == [(f"{URL}/lost.jpg", True)]
    assert 'hreflang="de"' in (tmp_path / "public/sitemap-pages-1.xml").read_text()
