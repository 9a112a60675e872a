"""Telling somebody for real: a mail server, a webhook, a file, a command."""

from __future__ import annotations

import hashlib
import hmac
import json
import socket
import threading
from email import message_from_bytes
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

import pytest
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import AuthResult

from jovial_atlas.errors import AtlasError
from jovial_atlas.rounds.tending.messages import ToldMessage, read_message
from jovial_atlas.rounds.tending.senders import tell
from jovial_atlas.running import run_command
from jovial_atlas.sitefile import read_site_file
from jovial_atlas.values import replace
from jovial_atlas.web import new_client
from tests.tending.world import SITE, World

MESSAGE = ToldMessage(
    "trouble", "Märröwfen", "A page\nis lost", "Much is lost: /bittern/ – look at it.",
    "2026-01-01T04:15:00Z", "error", ("notes",), "2026-01-01T04:15:00Z",
)  # fmt: skip


class Inbox:
    def __init__(self) -> None:
        self.mails: list = []
        self.refuses = ""

    async def handle_DATA(self, _server, _session, envelope) -> str:  # noqa: N802
        if self.refuses:
            return self.refuses
        self.mails.append((envelope.rcpt_tos, message_from_bytes(envelope.content)))
        return "250 Taken"


@pytest.fixture
def inbox():
    inbox = Inbox()

    def sign_in(_server, _session, _envelope, _mechanism, given) -> AuthResult:
        return AuthResult(success=(given.login, given.password) == (b"nell", b"reed"))

    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        inbox.port = one.getsockname()[1]
    server = Controller(
        inbox, "127.0.0.1", inbox.port, authenticator=sign_in, auth_require_tls=False,
        ready_timeout=60,
    )  # fmt: skip
    server.start()
    yield inbox
    server.stop()


@pytest.fixture
def hook():
    """A webhook on loopback: what came, and the status that it answers."""

    class Handler(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            body = self.rfile.read(int(self.headers["Content-Length"]))
            server.came.append((dict(self.headers), body))
            self.send_response(server.status)
            self.send_header("Content-Length", "0")
            self.end_headers()

        def log_message(self, *_: object) -> None:
            pass

    server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    server.came, server.status = [], 204
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    yield server
    server.shutdown()
    server.server_close()


def told(tmp_path: Path, way: str, environment: dict[str, str] | None = None) -> None:
    """Tell it by a way of the site file."""
    world = World(tmp_path / "site", f"[[tell]]\n{way}\n")
    site = read_site_file(world.folder / "atlas.toml")
    with new_client(30) as client:
        around = replace(
            world.around(), client=client, environment=environment or {}, run=run_command
        )
        tell(site, site.model.tell[0], MESSAGE, 7, around)


def test_a_mail_reaches_all_whom_it_is_for_and_nothing_of_it_breaks_a_header(tmp_path, inbox):
    way = (
        'kind = "mail"\nto = ["a@marrowfen.example", "b@marrowfen.example"]\n'
        f'sender = "atlas@marrowfen.example"\nserver = "smtp://127.0.0.1:{inbox.port}"\n'
        'user = "nell"\npassword_env = "MAIL"'
    )
    told(tmp_path, way, {"MAIL": "reed"})
    ((to, mail),) = inbox.mails
    assert to == ["a@marrowfen.example", "b@marrowfen.example"]
    from email.header import decode_header, make_header

    assert str(make_header(decode_header(mail["Subject"]))) == "Märröwfen needs you: A page is lost"
    assert mail["Message-ID"].strip().endswith(".7@marrowfen.example>")
    assert "Much is lost: /bittern/ – look at it." in mail.get_payload(decode=True).decode()
    with pytest.raises(AtlasError, match="MAIL holds nothing"):
        told(tmp_path, way, {})
    with pytest.raises(AtlasError, match="did not take the message"):
        told(tmp_path, way, {"MAIL": "sedge"})
    inbox.refuses = "451 Later"
    with pytest.raises(AtlasError, match="451"):
        told(tmp_path, way, {"MAIL": "reed"})
    assert len(inbox.mails) == 1


def test_a_webhook_gets_json_that_is_signed_and_known_again(tmp_path, hook):
    way = f'kind = "webhook"\nurl = "http://127.0.0.1:{hook.server_port}/x"\nsecret_env = "S"'
    told(tmp_path, way, {"S": "bittern"})
    ((headers, body),) = hook.came
    signature = hmac.new(b"bittern", body, hashlib.sha256).hexdigest()
    assert (headers["Atlas-Signature"], headers["Idempotency-Key"]) == (f"sha256={signature}", "atlas-7")
    assert read_message(body.decode()) == MESSAGE
    hook.status = 500
    with pytest.raises(AtlasError, match="status 500"):
        told(tmp_path, way, {"S": "bittern"})


def test_a_file_and_a_command_get_it_too(tmp_path):
    told(tmp_path, 'kind = "file"\npath = "told/all.jsonl"')
    told(tmp_path, 'kind = "file"\npath = "told/all.jsonl"')
    lines = (tmp_path / "site/told/all.jsonl").read_text().splitlines()
    assert [read_message(line) for line in lines] == [MESSAGE, MESSAGE]
    told(tmp_path, 'kind = "command"\nrun = ["sh", "-c", "cat > got.json"]', {"PATH": "/usr/bin:/bin"})
    assert json.loads((tmp_path / "site/got.json").read_text())["severity"] == "error"
    for words, why in (('"no-such-program"', "cannot be run"), ('"sh", "-c", "echo no; exit 3"', "exit code 3: no")):
        with pytest.raises(AtlasError, match=why):
            told(tmp_path, f'kind = "command"\nrun = [{words}]', {"PATH": "/usr/bin:/bin"})


@pytest.mark.parametrize(
    ("way", "said"),
    [
        ('kind = "mail"\nto = ["a"]\nsender = "b@c.example"', "no address of mail"),
        ('kind = "mail"\nto = []\nsender = "b@c.example"', "to"),
        ('kind = "mail"\nto = ["a@b.example"]\nsender = "b@c.example"\nserver = "mail"', "no mail server"),
        ('kind = "webhook"\nurl = "hook"', "no http or https address"),
        ('kind = "file"\npath = "x"\nquiet = "late"', "no hours"),
        ('kind = "file"\npath = "x"\nseverity = "grave"', "severity"),
        ('kind = "pigeon"\npath = "x"', "pigeon"),
    ],
)
def test_wrong_ways_are_told_by_the_site_file(tmp_path, way, said):
    (tmp_path / "atlas.toml").write_text(f"{SITE}[[tell]]\n{way}\n")
    with pytest.raises(AtlasError, match=said):
        read_site_file(tmp_path / "atlas.toml")
