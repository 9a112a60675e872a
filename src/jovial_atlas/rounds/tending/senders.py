"""Ways of telling somebody: mail by SMTP, a webhook, a file, a command."""

from __future__ import annotations

import hashlib
import hmac
import smtplib
import ssl
from collections.abc import Mapping
from contextlib import suppress
from email.message import EmailMessage
from email.utils import format_datetime
from urllib.parse import urlsplit

from jovial_atlas import dates
from jovial_atlas.errors import AtlasError
from jovial_atlas.files import digest, writing
from jovial_atlas.rounds.tending.around import Around
from jovial_atlas.rounds.tending.messages import ToldMessage
from jovial_atlas.running import Command
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.tending import Tell, TellByCommand, TellByFile, TellByMail, TellByWebhook
from jovial_atlas.web import Request, send

#: Seconds that a mail server, or a command, may take.
_PATIENCE = 30.0
SIGNATURE = "Atlas-Signature"


def tell(site: SiteFile, how: Tell, message: ToldMessage, number: int, around: Around) -> None:
    """Tell somebody. `number` is that of the message in the record: who gets one twice knows it
    again. Raises AtlasError where it was not taken."""
    if isinstance(how, TellByMail):
        _mail(how, message, number, around)
    elif isinstance(how, TellByWebhook):
        _webhook(how, message, number, around)
    elif isinstance(how, TellByFile):
        path = site.folder / how.path
        with writing(path):
            path.parent.mkdir(parents=True, exist_ok=True)
            with path.open("a", encoding="utf-8") as file:
                file.write(message.written() + "\n")
    else:
        _command(site, how, message, around)


def _mail(how: TellByMail, message: ToldMessage, number: int, around: Around) -> None:
    mail = EmailMessage()
    mail["Subject"] = " ".join(message.subject.split())[:200]
    mail["From"], mail["To"] = how.sender, ", ".join(how.to)
    mail["Date"] = format_datetime(dates.moment(message.at))
    domain = how.sender.rpartition("@")[2]
    # The same one for each try: who gets it twice shows it once.
    mail["Message-ID"] = f"<{digest(message.written().encode())}.{number}@{domain}>"
    mail["Auto-Submitted"] = "auto-generated"
    mail.set_content(message.text())
    password = _secret(how.password_env, around.environment, how.server)
    server = urlsplit(how.server)
    try:
        with _connected(server.scheme, str(server.hostname), server.port) as smtp:
            if how.user:
                smtp.login(how.user, password)
            smtp.send_message(mail)
    except (OSError, smtplib.SMTPException) as error:
        said = " ".join(str(error).split()) or type(error).__name__
        raise AtlasError(
            f"The mail server {how.server} did not take the message ({said})."
        ) from None


def _connected(scheme: str, host: str, port: int | None) -> smtplib.SMTP:
    """A mail server, with TLS where it offers it or has to."""
    context = ssl.create_default_context()
    if scheme == "smtps":
        return smtplib.SMTP_SSL(host, port or 465, timeout=_PATIENCE, context=context)
    smtp = smtplib.SMTP(host, port or (587 if scheme == "smtp+tls" else 25), timeout=_PATIENCE)
    try:
        smtp.ehlo()
        if scheme == "smtp+tls":
            smtp.starttls(context=context)
        elif smtp.has_extn("starttls") and host not in _HERE:
            # Offered is better than nothing; a server that must prove itself has smtp+tls.
            loose = ssl.create_default_context()
            loose.check_hostname, loose.verify_mode = False, ssl.CERT_NONE
            smtp.starttls(context=loose)
    except BaseException:
        with suppress(OSError, smtplib.SMTPException):
            smtp.close()
        raise
    return smtp


_HERE = ("localhost", "127.0.0.1", "::1")


def _webhook(how: TellByWebhook, message: ToldMessage, number: int, around: Around) -> None:
    body = message.written().encode()
    headers = {"Content-Type": "application/json", "Idempotency-Key": f"atlas-{number}"}
    if how.secret_env:
        secret = _secret(how.secret_env, around.environment, how.url).encode()
        headers[SIGNATURE] = f"sha256={hmac.new(secret, body, hashlib.sha256).hexdigest()}"
    answer = send(
        around.client, Request("POST", how.url, headers, body), pause=around.pause, tries=1
    )
    if not 200 <= answer.status < 300:
        raise AtlasError(f"{urlsplit(how.url).netloc} answered with status {answer.status}.")


def _command(site: SiteFile, how: TellByCommand, message: ToldMessage, around: Around) -> None:
    given = message.written().encode()
    ran = around.run(Command(how.run, site.folder, around.environment, given, _PATIENCE))
    if ran.trouble:
        raise AtlasError(f"The command {how.run[0]} failed ({ran.trouble}).")


def _secret(variable: str, environment: Mapping[str, str], about: str) -> str:
    if not variable:
        return ""
    if not environment.get(variable):
        raise AtlasError(f"The environment variable {variable} holds nothing, which {about} asks "
                         "for.")  # fmt: skip
    return environment[variable]
