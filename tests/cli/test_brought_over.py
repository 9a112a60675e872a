"""Bringing over what is published by other means: what is taken, what is not, and the first build."""

import tomllib

import pytest

from tests.conftest import page, run_command

URL = "https://fen.example"
NAMES = ("otter", "heron", "eel", "newt", "crane")
ROBOTS = "# Kept since 2019\nUser-agent: *\nDisallow: /private/\nCrawl-delay: 5\n\nUser-agent: slowbot\nDisallow: /\nCrawl-delay: 60\n"


def sitemap(entries):
    return '<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">' + "".join(
        f"<url><loc>{URL}{path}</loc><changefreq>weekly</changefreq><priority>{priority}</priority></url>"
        for path, priority in entries
    ) + "</urlset>"  # fmt: skip


@pytest.fixture
def moved(tmp_path):
    """A site whose texts are Markdown now, and the HTML that is published of it."""
    for name in NAMES:
        place = tmp_path / "content" / f"{name}.md"
        place.parent.mkdir(exist_ok=True)
        place.write_text(f"---\ntitle: The {name}\ndescription: All of the {name}.\n---\nWords of the {name} here.\n")
        old = tmp_path / "old" / name / "index.html"
        old.parent.mkdir(parents=True)
        head = f'<link rel=canonical href={URL}/{name}/><meta name=description content="All of the {name}.">'
        old.write_text(page(f"The {name} | Fen Trust", head=head))
    eel = tmp_path / "old/eel/index.html"
    eel.write_text(eel.read_text().replace("<title>The eel | Fen Trust", "<title>Eels {of} old")
                   .replace("</head>", "<meta name=robots content=noindex></head>"))  # fmt: skip
    newt = tmp_path / "old/newt/index.html"
    newt.write_text(newt.read_text().replace("All of the newt.", "Newts, great and small."))
    (tmp_path / "old/gone").mkdir()
    (tmp_path / "old/gone/index.html").write_text(page("Gone | Fen Trust"))
    (tmp_path / "old/robots.txt").write_text(ROBOTS)
    (tmp_path / "old/sitemap.xml").write_text(sitemap([("/otter/", 0.8), ("/heron/", 0.8), ("/crane/", 0.3), ("/gone/", 1)]))
    (tmp_path / "old/.htaccess").write_text("Redirect 301 /eels.php /eel/\nRewriteCond %{X} y\nRewriteRule ^a$ /b [R=301]\n")
    return tmp_path


def test_what_is_constant_becomes_settings_and_what_is_not_stays_with_its_page(moved):
    ran = run_command("init", "--yes", "--content", "content", "--url", URL, "--from", "old", cwd=moved)
    assert ran.code == 0, ran.err
    values = tomllib.loads((moved / "atlas.toml").read_text())
    assert values["head"]["title"] == "{{ page.title or page.heading }} | Fen Trust"
    assert [(one["agents"], one["records"]) for one in values["robots"]["groups"]] == [
        (["*"], ["Crawl-delay: 5"]), (["slowbot"], ["Crawl-delay: 60"]),
    ]  # fmt: skip
    assert values["rule"] == [{"section": "pages", "set": {"priority": 0.8, "changefreq": "weekly"}, "reason": "As it was published before"}]
    rows = {line.split(",")[0].removeprefix(URL): line for line in (moved / "overrides.csv").read_text().splitlines()[1:]}
    assert set(rows) == {"/eel/", "/newt/", "/crane/"}
    assert "Newts, great and small." in rows["/newt/"].replace('"', "") and "0.3" in rows["/crane/"]
    assert "/eels.php,/eel/,301" in (moved / "moves.csv").read_text()
    for said in ("4 of 5 follow one pattern", "2 groups, 2 Crawl-delays", "3 of 5 as they were", "1 published page is not in the content",
                 f"as {URL}/gone/", "not taken: 1 line", "lists 3 of the 4 addresses that were listed, and 1 other"):  # fmt: skip
        assert said in ran.out, said
    assert run_command("build", cwd=moved).code == 0
    robots = (moved / "public/robots.txt").read_text()
    assert "Disallow: /private/\nCrawl-delay: 5\n" in robots and "Disallow: /\nCrawl-delay: 60\n" in robots
    heads = {name: run_command("explain", f"/{name}/", "--format", "json", cwd=moved).json["head"] for name in NAMES}
    assert [heads[name]["title"] for name in NAMES] == [
        "The otter | Fen Trust", "The heron | Fen Trust", "Eels {of} old", "The newt | Fen Trust", "The crane | Fen Trust",
    ]  # fmt: skip
    assert heads["newt"]["description"] == "Newts, great and small." and "noindex" in heads["eel"]["directives"]
    again = run_command("init", "--from", "old", cwd=moved)
    assert "Nothing is to be changed" in again.out and "5 of 5 as they were" in again.out


def test_single_files_are_known_by_what_they_are_and_a_look_saves_nothing(moved):
    run_command("init", "--yes", "--content", "content", "--url", URL, cwd=moved)
    (moved / "texts.csv").write_text(f"loc;title;Notes\n{URL}/otter/;Otters;x\n{URL}/nowhere/;N;\n")
    (moved / "odd.bin").write_bytes(b"\0\1\2")
    before = (moved / "atlas.toml").read_bytes()
    places = [word for place in ("old/robots.txt", "old/sitemap.xml", "texts.csv") for word in ("--from", place)]
    ran = run_command("init", *places, cwd=moved)
    assert "1 row (cells parted by semicolons, UTF-8)" in ran.out and "is no page" in ran.out
    assert "Nothing was saved" in ran.out and (moved / "atlas.toml").read_bytes() == before
    run_command("init", *places, "--yes", cwd=moved)
    assert "Otters" in (moved / "overrides.csv").read_text()
    assert run_command("undo", "--yes", cwd=moved).code == 0
    assert (moved / "atlas.toml").read_bytes() == before and not (moved / "overrides.csv").exists()
    wrong = run_command("init", "--from", "odd.bin", cwd=moved)
    assert wrong.code == 2 and "odd.bin is neither a robots.txt" in wrong.err


def test_a_site_that_stands_as_it_is_published_needs_nothing(tmp_path):
    for name in NAMES:
        (tmp_path / "public" / name).mkdir(parents=True)
        head = f"<link rel=canonical href={URL}/{name}/><meta name=description content='All of it, and {name} too.'>"
        (tmp_path / "public" / name / "index.html").write_text(page(f"{name} – Fen", head=head))
    (tmp_path / "public/sitemap.xml").write_text(f"<urlset xmlns='http://www.sitemaps.org/schemas/sitemap/0.9'><url><loc>{URL}/otter/</loc></url></urlset>")
    ran = run_command("init", "--yes", "--html", "public", "--from", "public", cwd=tmp_path)
    assert ran.code == 0 and "5 of 5 as they were; kept with pages: nothing" in ran.out, ran.out
    assert "lists 1 of the 1 address that were listed" in ran.out.replace("addresses", "address") and "4 other" in ran.out


VIDEO = (
    "<video:video><video:title>Otters at dawn</video:title><video:content_loc>{url}/{film}</video:content_loc>"
    '<video:description>Otters, and mist.</video:description><video:price currency="GBP">3</video:price></video:video>'
)


@pytest.fixture
def diary(tmp_path):
    """A diary in Markdown, and what a generator published of it: addresses made of titles, listings
    of tags that no sitemap has, a page of an author, a draft, and a page that another system serves."""
    for number, name in enumerate(NAMES):
        (tmp_path / "posts").mkdir(exist_ok=True)
        (tmp_path / f"posts/{number}.md").write_text(f"Title: The Ü {name}'s day\nDate: 2026-0{number + 1}-03\n\nWords.\n")
    paths = [f"2026/0{number + 1}/the-u-{name}s-day.html" for number, name in enumerate(NAMES)]
    titles = [f"The Ü {name}'s day" for name in NAMES]
    home = (
        '<meta name="lantern-site-verification" content="e4a0"><meta name="twitter:site" content="@fen">'
        '<script type="application/ld+json">{"@context": "https://schema.org", "@type": "NGO", "name": "Fen Trust",'
        '"telephone": "+44 1632 960018", "sameAs": ["https://social.example/fen"]}</script>'
    )
    others = {"tag/mud.html": "Mud", "tag/reed.html": "Reed", "drafts/soon.html": "Soon", "index.html": "Fen Diary"}
    for path, title in [*zip(paths, titles, strict=True), *others.items()]:
        (tmp_path / "old" / path).parent.mkdir(parents=True, exist_ok=True)
        film = "<video src=/otters.mp4 poster=/o.jpg></video>" if path == paths[0] else ""
        items = "".join(f"<li><a href=/{one}>{one}</a></li>" for one in paths) if path.startswith("tag") else ""
        body = film + "<p>Words. " * 30 + f"<ul>{items}</ul>"
        (tmp_path / "old" / path).write_text(page(f"{title} | Fen Diary" if path in paths else title, body, home if path == "index.html" else ""))
    video = VIDEO.format(url=URL, film="otters.mp4")
    entries = "".join(f"<url><loc>{URL}/{path}</loc>{video if path == paths[0] else ''}</url>" for path in [*paths, "", "booking/"])
    (tmp_path / "old/sitemap.xml").write_text(
        '<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9" '
        f'xmlns:video="http://www.google.com/schemas/sitemap-video/1.1">{entries}</urlset>'
    )
    return tmp_path


def test_markdown_pages_stay_where_a_generator_published_them(diary):
    ran = run_command("init", "--yes", "--content", "posts", "--url", URL, "--from", "old", cwd=diary)
    assert ran.code == 0, ran.err
    values = tomllib.loads((diary / "atlas.toml").read_text())
    assert values["source"][0]["url"] == "/{year}/{month}/{title_slug}.html"
    assert values["site"]["name"] == "Fen Diary"
    assert values["head"]["verification"] == {"lantern-site-verification": "e4a0"}
    assert (values["head"]["card_site"], values["publisher"]["telephone"]) == ("@fen", "+44 1632 960018")
    assert (values["publisher"]["name"], values["publisher"]["profiles"]) == ("Fen Trust", ["https://social.example/fen"])
    assert "5 of 5 follow one pattern" in ran.out and "5 of 5 as they were" in ran.out
    listed = [one["loc"] for one in run_command("pages", "--format", "json", cwd=diary).json if one["verdict"] == "listed"]
    assert set(listed) == {
        *(f"{URL}/2026/0{number + 1}/the-u-{name}s-day.html" for number, name in enumerate(NAMES)), f"{URL}/booking/",
    }  # fmt: skip
    assert run_command("undo", "--yes", cwd=diary).code == 0
    assert "url" not in tomllib.loads((diary / "atlas.toml").read_text())["source"][0]


def test_what_was_listed_stays_listed_and_what_was_not_as_a_whole_stays_out(diary):
    (diary / "old").rename(diary / "public")
    ran = run_command("init", "--yes", "--html", "public", "--url", URL, "--from", "public", cwd=diary)
    assert ran.code == 0, ran.err
    values = tomllib.loads((diary / "atlas.toml").read_text())
    assert {"section": "tag", "set": {"listed": False}, "reason": "As it was published before"} in values["rule"]
    assert f"lists {len(NAMES) + 2} of the {len(NAMES) + 2} addresses that were listed, and 0 others" in ran.out
    rows = (diary / "overrides.csv").read_text() if (diary / "overrides.csv").exists() else ""
    assert "drafts/soon" not in rows, "a draft that was published by mistake stays one"
    assert (diary / "listed-before.csv").read_text().splitlines()[1:] == [f"{URL}/booking/,,"]
    films = (diary / "videos.csv").read_text()
    assert "Otters at dawn" in films and "3 GBP" in films
    assert "kept in the table of videos: 1" in ran.out
    again = run_command("init", "--from", "public", cwd=diary)
    assert "Nothing is to be changed" in again.out, again.out
    (film,) = run_command("videos", "--format", "json", cwd=diary).json["videos"]
    assert (film["title"], film["from"]["title"]) == ("Otters at dawn", "table of videos")
