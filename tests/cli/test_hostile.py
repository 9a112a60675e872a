"""Every command that asks a server meets one that does what servers should not: it ends, it says
what happened in a sentence, and shows no secret."""

import shutil
import time

import pytest

from tests.conftest import SITE_HEAD, page, run_command
from tests.hostile import MANNERS

TOKEN = "s3cret-token-of-the-owner"
ENV = {"L_TOKEN": TOKEN}
#: A whole answer may take twelve times this.
LIMIT = "0.25"


@pytest.fixture(scope="module")
def built(tmp_path_factory, hostile):
    """A site that was built, whose engine is the hostile server; and a site that lives there."""
    url = hostile.url
    tmp_path = tmp_path_factory.mktemp("built") / "s"
    (tmp_path / "public").mkdir(parents=True)
    (tmp_path / "public/a.html").write_text(page("A"))
    more = (
        '[[engine]]\nname = "L"\ncrawlers = ["lanternbot"]\nchannels = [\n'
        f'{{ kind = "indexnow", endpoint = "{url}/indexnow" }},\n'
        f'{{ kind = "call", name = "read-sitemaps", method = "GET", url = "{url}/m", items = "sitemaps", token_env = "L_TOKEN" }},\n'
        f'{{ kind = "call", name = "read-pages", method = "GET", url = "{url}/p", items = "pages", next = "next", token_env = "L_TOKEN" }}]\n'
    )  # fmt: skip
    (tmp_path / "atlas.toml").write_text(
        SITE_HEAD + '[[source]]\nkind = "html"\npath = "public"\n' + more
    )
    for command in ("survey", "build"):
        assert run_command(command, cwd=tmp_path).code == 0
    (tmp_path / "crawl").mkdir()
    (tmp_path / "crawl/atlas.toml").write_text(
        f'[site]\nurl = "{url}"\n[[source]]\nkind = "site"\nstart = ["/"]\n'
    )
    return tmp_path


@pytest.mark.slow
@pytest.mark.parametrize("manner", MANNERS)
def test_commands_end_and_say_what_a_server_did(tmp_path, atlas, built, hostile, manner):
    shutil.copytree(built, tmp_path, dirs_exist_ok=True)
    hostile.manner = manner
    began = time.monotonic()
    for arguments in (
        ("submit", "--timeout", LIMIT),
        ("status", "--timeout", LIMIT, "--format", "json"),
        ("check", "--live", "--server", hostile.url, "--timeout", LIMIT, "--sample", "1"),
        ("check", f"{hostile.url}/sitemap.xml", "--timeout", LIMIT),
        # It has no --timeout: a slow server may hold it for minutes, and no longer.
        *(() if "trickle" in manner else [("robots", "lint", f"{hostile.url}/robots.txt")]),
    ):
        ran = atlas(*arguments, env=ENV)
        assert ran.code in (0, 1, 2), (arguments, ran)
        for shown in (ran.out, ran.err):
            assert TOKEN not in shown, arguments
            assert "\x1b" not in shown, arguments
        if arguments[0] == "status" and "json" in arguments:
            assert ran.json["engines"][0]["name"] == "L"
    ran = atlas("--site", "crawl/atlas.toml", "survey", "--timeout", LIMIT)
    assert ran.code in (0, 2), ran
    assert time.monotonic() - began < 200, "no server holds a command for good"
    record = b"".join(p.read_bytes() for p in (tmp_path / ".jovial-atlas").rglob("*") if p.is_file())
    assert TOKEN.encode() not in record
