"""`check --live --variants` against the real nginx and Apache httpd: what the written files make of
other spellings, and what servers do without them."""

import pytest

from tests.conftest import page, run_command, write_site
from tests.real_servers import apache, nginx

PUBLIC = "http://www.marrowfen.example"
CODES = ("open", "twice", "hops", "temporary", "elsewhere", "lost")


@pytest.fixture(scope="module")
def built(tmp_path_factory):
    folder = tmp_path_factory.mktemp("variants")
    pages = {"index.html": page("Home"), "a/index.html": page("A"), "a/Deep/index.html": page("Deep")}
    site = write_site(folder, pages)
    site.write_text(
        site.read_text().replace("https://www.marrowfen.example", PUBLIC).replace(
            "\n\n[[source]]", '\nother_hosts = ["http://staging.marrowfen.example"]\n\n[[source]]'
        )
    )  # fmt: skip
    (folder / "moves.csv").write_text("from,to\n/old/,/a/\n")
    assert run_command("survey", cwd=folder).code == 0
    assert run_command("build", cwd=folder).code == 0
    return folder


def told(folder, port):
    """Code and spelling of each finding about other spellings."""
    only = [part for code in CODES for part in ("--only", f"variant-{code}")]
    ran = run_command(
        "check", "--live", "--variants", "--server", f"http://127.0.0.1:{port}", "--per-second", "900",
        *only, "--format", "json", cwd=folder,
    )  # fmt: skip
    return {
        (one["code"].removeprefix("variant-"), one["message"].partition("(")[2].partition(")")[0])
        for one in ran.json["findings"]
    }


def test_nginx_leads_every_spelling_to_the_one_address_in_one_hop(built):
    servers = built / ".jovial-atlas/servers"
    hosts = (servers / "nginx-hosts.conf").read_text()
    inside = "".join(f"include {servers}/{name};" for name in ("nginx-http.conf", "nginx-spellings-http.conf"))
    own = "server_name www.marrowfen.example;" + "".join(
        f"include {servers}/{name};" for name in ("nginx-server.conf", "nginx-spellings.conf")
    )
    for written, expected in ((True, set()), (False, None)):
        more = inside + hosts.replace("listen 80;", "listen 127.0.0.1:@PORT@;").replace(
            "listen [::]:80;", ""
        )
        with nginx(built, built / "public", more if written else "", own if written else "") as port:
            found = told(built, port)
        if expected is not None:
            assert found == expected
        else:
            assert ("open", "http://marrowfen.example/") in found
            assert ("open", "http://staging.marrowfen.example/a/") in found
            assert ("twice", f"{PUBLIC}/a/index.html") in found
            assert ("lost", f"{PUBLIC}/A/DEEP/") in found
            assert ("open", "http://www.marrowfen.example./") in found


def test_apache_leads_every_spelling_to_the_one_address_in_one_hop(built):
    servers = built / ".jovial-atlas/servers"
    lines = f"<Directory {built}/public>\nOptions FollowSymLinks\n</Directory>\n"
    lines += "".join(
        f"Include {servers}/{name}\n" for name in ("apache-server.conf", "apache-spellings.conf")
    )
    with apache(built, built / "public", lines) as port:
        assert told(built, port) == set()
