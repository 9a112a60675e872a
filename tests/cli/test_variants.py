"""`check --live --variants` against the real nginx and Apache httpd: what the written files make of
other spellings, and what servers do without them."""

import shutil

import httpx
import pytest
import trustme

from tests.conftest import page, run_command, write_site
from tests.real_servers import apache, free_port, nginx

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
    # A folder that the survey does not know.
    (folder / "public/un named").mkdir()
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


def led(port, path):
    """Where a path of the public host leads."""
    headers = {"Host": "www.marrowfen.example"}
    answer = httpx.get(f"http://127.0.0.1:{port}{path}", headers=headers, trust_env=False)
    assert answer.status_code == 301, path
    return answer.headers["location"]


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
            if written:
                assert led(port, "/a//b%20%C3%BC?x") == f"{PUBLIC}/a/b%20%C3%BC?x"
                assert led(port, "/un%20named") == f"{PUBLIC}/un%20named/"
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
        assert led(port, "/a//b%20%C3%BC?x").lower() == f"{PUBLIC}/a/b%20%C3%BC?x".lower()
        assert led(port, "/un%20named") == f"{PUBLIC}/un%20named/"


def test_encrypted_and_open_both_lead_to_the_one_host_in_one_hop(built, tmp_path):
    # The same site under https: its files are written anew in a copy.
    folder = tmp_path / "secure"
    shutil.copytree(built, folder, ignore=shutil.ignore_patterns("tmp-*", "*.conf", "*.pid"))
    site = folder / "atlas.toml"
    site.write_text(site.read_text().replace(f'url = "{PUBLIC}"', 'url = "https://www.marrowfen.example"'))
    assert run_command("survey", "--accept", cwd=folder).code == 0
    assert run_command("build", "--accept", cwd=folder).code == 0
    certificate = trustme.CA().issue_cert("www.marrowfen.example", "marrowfen.example")
    certificate.private_key_and_cert_chain_pem.write_to_path(folder / "cert.pem")
    servers, secure = folder / ".jovial-atlas/servers", free_port()
    hosts = (servers / "nginx-hosts.conf").read_text()
    for before, after in (
        ("listen 80;", "listen 127.0.0.1:@PORT@;"), ("listen [::]:80;", ""), ("listen [::]:443 ssl;", ""),
        ("listen 443 ssl;", f"listen 127.0.0.1:{secure} ssl;"),
        ("# ssl_certificate /path/to/certificate.pem;", f"ssl_certificate {folder}/cert.pem;"),
        ("# ssl_certificate_key /path/to/key.pem;", f"ssl_certificate_key {folder}/cert.pem;"),
    ):  # fmt: skip
        assert before in hosts
        hosts = hosts.replace(before, after)
    include = "".join(f"include {servers}/{name};" for name in ("nginx-http.conf", "nginx-spellings-http.conf"))
    with nginx(folder, folder / "public", include + hosts) as port:
        for origin, host, path, to in (
            (f"http://127.0.0.1:{port}", "www.marrowfen.example", "/old/?a=b", "/a/?a=b"),
            (f"http://127.0.0.1:{port}", "marrowfen.example", "/A/index.html", "/a/"),
            (f"https://127.0.0.1:{secure}", "marrowfen.example", "/old/", "/a/"),
            (f"https://127.0.0.1:{secure}", "staging.marrowfen.example", "/any?x", "/any?x"),
        ):
            answer = httpx.get(origin + path, headers={"Host": host}, verify=False, trust_env=False)
            assert (answer.status_code, answer.headers["location"]) == (
                301, f"https://www.marrowfen.example{to}",
            )  # fmt: skip
    with nginx(folder, folder / "public") as port:
        found = told(folder, port)
        assert ("twice", "https://www.marrowfen.example/a/index.html") in found, "asked though by http"
        assert not any(address.startswith("http://") for _, address in found)
