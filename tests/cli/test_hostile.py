"""Every command that asks a server meets one that does what servers should not: it ends, it says
what happened in a sentence, and shows no secret."""

import json
import os
import shutil
import subprocess

import pytest

from tests.conftest import COMMAND, SITE_HEAD, page, run_command
from tests.hostile import MANNERS

TOKEN = "s3cret-token-of-the-owner"
ENV = {"L_TOKEN": TOKEN}
#: A whole answer may take twelve times this.
LIMIT = "0.25"




@pytest.fixture(scope="module")
def built(tmp_path_factory, hostile):
    """A site that was built, whose engine is the hostile server, with a film whose service is that
    too; and a site that lives there."""
    url = hostile.url
    folder = tmp_path_factory.mktemp("built") / "s"
    (folder / "public").mkdir(parents=True)
    player = f'<iframe src="{url}/embed/fen" title="Film"></iframe>'
    (folder / "public/a.html").write_text(page("A", player))
    (folder / "services.toml").write_text(
        f"[[service]]\nname = \"F\"\nmatch = ['{url}/embed/(?P<id>[a-z]+)']\n"
        f'player = "{url}/embed/{{id}}"\npage = "{url}/watch/{{id}}"\n'
    )
    more = (
        '[videos]\nservices = "services.toml"\n'
        '[[engine]]\nname = "L"\ncrawlers = ["lanternbot"]\nchannels = [\n'
        f'{{ kind = "indexnow", endpoint = "{url}/indexnow" }},\n'
        f'{{ kind = "call", name = "read-sitemaps", method = "GET", url = "{url}/m", items = "sitemaps", token_env = "L_TOKEN" }},\n'
        f'{{ kind = "call", name = "read-pages", method = "GET", url = "{url}/p", items = "pages", next = "next", token_env = "L_TOKEN" }}]\n'
    )  # fmt: skip
    (folder / "atlas.toml").write_text(
        SITE_HEAD + '[[source]]\nkind = "html"\npath = "public"\n' + more
    )
    hostile.manner = "fine"
    for command in ("survey", "build"):
        assert run_command(command, cwd=folder).code == 0
    (folder / "films/public").mkdir(parents=True)
    for name in ("atlas.toml", "services.toml", "public/a.html"):
        shutil.copy(folder / name, folder / "films" / name)
    (folder / "crawl").mkdir()
    (folder / "crawl/atlas.toml").write_text(
        f'[site]\nurl = "{url}"\n[[source]]\nkind = "site"\nstart = ["/"]\n'
    )
    return folder


def at_once(folder, commands):
    """Each command's code, output and errors; all wait for servers at the same time."""
    running = [
        subprocess.Popen(
            [COMMAND, *one], cwd=folder, env={**os.environ, **ENV}, stdin=subprocess.DEVNULL,
            stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        )
        for one in commands
    ]  # fmt: skip
    for process, command in zip(running, commands, strict=True):
        out, err = process.communicate(timeout=1_200)
        assert process.returncode in (0, 1, 2), (command, err)
        assert "Traceback" not in err, (command, err)
        for shown in (out, err):
            assert TOKEN not in shown, command
            assert "\x1b" not in shown, command
        yield process.returncode, out, err


@pytest.mark.slow
@pytest.mark.parametrize("manner", MANNERS)
def test_commands_end_and_say_what_a_server_did(tmp_path, built, hostile, manner):
    shutil.copytree(built, tmp_path, dirs_exist_ok=True)
    hostile.manner = manner
    hostile.asked.clear()
    hostile.asked_inside.clear()
    commands = [
        ("submit", "--timeout", LIMIT),
        ("status", "--timeout", LIMIT, "--format", "json"),
        ("check", "--live", "--server", hostile.url, "--timeout", LIMIT, "--sample", "1"),
        ("check", f"{hostile.url}/sitemap.xml", "--timeout", LIMIT),
        ("--site", "crawl/atlas.toml", "survey", "--timeout", LIMIT),
        ("--site", "films/atlas.toml", "survey", "--timeout", LIMIT),
        # It has no --timeout: a slow server may hold it for minutes, and no longer.
        *(() if "trickle" in manner else [("robots", "lint", f"{hostile.url}/robots.txt")]),
    ]
    ran = list(at_once(tmp_path, commands))
    assert json.loads(ran[1][1])["engines"][0]["name"] == "L"
    assert any("/watch/fen" in line for line in hostile.asked), "the service was asked for the film"
    # A robots.txt may be anywhere (RFC 9309 §2.3.1.2); nothing else behind the server is asked.
    asked = {line.split(" ")[1] for line in hostile.asked_inside}
    assert asked <= {"/admin"} and len(hostile.asked_inside) <= 3, hostile.asked_inside
    record = b"".join(p.read_bytes() for p in tmp_path.rglob("*") if p.is_file() and ".jovial-atlas" in p.parts)
    assert TOKEN.encode() not in record


#: What is said of it; the last where a busy machine sees the time pass first.
UNTRUSTED = ("has a certificate that is not trusted", "no secure connection", "took no message in time")


@pytest.mark.slow
@pytest.mark.parametrize("manner", ["fine", "no_http", "empty", "trickle"])
def test_a_secure_connection_that_does_not_come_about_is_said_in_a_sentence(tmp_path, built, hostile, manner):
    """`fine`: with a certificate that nobody vouches for; the others are no servers of TLS."""
    shutil.copytree(built, tmp_path, dirs_exist_ok=True)
    hostile.manner = manner
    url = hostile.tls if manner == "fine" else hostile.url.replace("http:", "https:")
    for name in ("atlas.toml", "crawl/atlas.toml", "films/services.toml", "films/public/a.html"):
        place = tmp_path / name
        place.write_text(place.read_text().replace(hostile.url, url))
    hostile.asked.clear()
    submitted, live, sitemap, crawled, _, robots = at_once(tmp_path, [
        ("submit", "--timeout", LIMIT),
        ("check", "--live", "--server", url, "--timeout", LIMIT, "--sample", "1"),
        ("check", f"{url}/sitemap.xml", "--timeout", LIMIT),
        ("--site", "crawl/atlas.toml", "survey", "--timeout", LIMIT),
        ("--site", "films/atlas.toml", "survey", "--timeout", LIMIT),
        ("robots", "lint", f"{url}/robots.txt"),
    ])  # fmt: skip
    for ran in (submitted, live, sitemap, crawled, robots):
        told = " ".join((ran[1] + ran[2]).split())
        assert any(words in told for words in UNTRUSTED), ran
        assert url.removeprefix("https://") in told, ran
    assert not any("HTTP/1.1" in line for line in hostile.asked), "nothing is sent over it"
