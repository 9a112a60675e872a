"""`robots` by the installed command: linting, comparing, taking over."""

from tests.conftest import run_command


def test_lint_knows_the_site_and_test_compares_over_all_pages(marrowfen):
    wrong = marrowfen / "wrong.txt"
    wrong.write_text("User-agent: *\nDisallow: /pictures/\nDisallow: /serach/\nDisallow: /tags/\n")
    lint = run_command("robots", "lint", "wrong.txt", "--format", "json", cwd=marrowfen)
    found = {(one["code"], one["where"]) for one in lint.json["findings"]}
    assert found == {
        ("robots-bars-resources", "wrong.txt:2"), ("robots-rule-idle", "wrong.txt:3"),
    }  # fmt: skip
    assert lint.code == 0
    strict = ("robots", "lint", "wrong.txt", "--fail-on", "advice")
    assert run_command(*strict, cwd=marrowfen).code == 1
    assert run_command("robots", "lint", "--format", "json", cwd=marrowfen).code == 0
    compared = run_command(
        "robots", "test", "--file", "wrong.txt", "--pages", "--against", "public/robots.txt",
        "--agent", "*", "--agent", "lanternbot", "--format", "json", cwd=marrowfen,
    ).json["changes"]  # fmt: skip
    tags = [one for one in compared if "/tags/" in one["url"]]
    assert {one["agent"] for one in tags} == {"*", "lanternbot"}
    assert all((one["before"], one["after"]) == (True, False) for one in tags)
    (marrowfen / "some.txt").write_text("/tags/a\n\n/b\n")
    answers = run_command(
        "robots", "test", "--file", "wrong.txt", "--list", "some.txt", "--format", "json",
        cwd=marrowfen,
    ).json["results"]  # fmt: skip
    assert [(one["url"], one["allowed"], one["line"]) for one in answers] == [
        ("/tags/a", False, 4), ("/b", True, None),
    ]  # fmt: skip
    assert run_command("robots", "test", cwd=marrowfen).code == 2


def test_a_robots_txt_is_taken_over_with_its_comments(tmp_path):
    public = tmp_path / "public"
    public.mkdir()
    (public / "index.html").write_text("<title>x</title><p>x")
    (public / "robots.txt").write_text(
        "# Kept by the wardens\n\n# All\nUser-agent: *\n# endless\nDisallow: /search/\n"
    )
    address = "https://www.marrowfen.example"
    run_command("init", "--yes", "--url", address, "--html", "public", cwd=tmp_path)
    run_command("survey", cwd=tmp_path)
    assert run_command("build", cwd=tmp_path).code == 0
    assert (public / "robots.txt").read_text() == (
        "# Kept by the wardens\n\n# All\nUser-agent: *\n# endless\nDisallow: /search/\n\n"
        f"Sitemap: {address}/sitemap.xml\n"
    )
