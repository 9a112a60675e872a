"""Parts of the site file about rounds that nobody watches: how they run, how what they write
becomes public, and who is told when a person is needed."""

import re
from datetime import time
from typing import Annotated, ClassVar, Literal
from urllib.parse import urlsplit

from jovial_atlas.sitefile.parts import Part, check, check_whole, says
from jovial_atlas.sitefile.sources import origin_of

SeverityWord = Literal["blocker", "error", "warning", "advice"]

_TIME = re.compile(r"(\d+)\s*(s|seconds?|m|minutes?|h|hours?|d|days?)\Z")
_UNITS = {"s": 1, "m": 60, "h": 3_600, "d": 86_400}
_QUIET = re.compile(r"([01]\d|2[0-3]):([0-5]\d)-([01]\d|2[0-3]):([0-5]\d)\Z")


def seconds_of(text: str) -> int:
    """The seconds of a length of time as it is written: `90s`, `15m`, `10 minutes`, `1 day`; `0`
    for none. Raises ValueError."""
    if text.strip() == "0":
        return 0
    match = _TIME.match(text.strip().lower())
    if match is None:
        raise ValueError(f"{text!r} is no length of time; write it as 90s, 15m, 2h or 1 day")
    return int(match[1]) * _UNITS[match[2][0]]


def quiet_hours(text: str) -> tuple[time, time]:
    """Beginning and end of quiet hours, as in `22:00-07:00`. Raises ValueError."""
    match = _QUIET.match(text)
    if match is None:
        raise ValueError(f"{text!r} are no hours; write them as 22:00-07:00")
    first, last = time(int(match[1]), int(match[2])), time(int(match[3]), int(match[4]))
    return first, last


class Tend(Part, frozen=True, kw_only=True):
    """`[tend]`: how a round runs that nobody watches."""

    inject: Annotated[bool, says("whether head data is written into built pages")] = False
    hold_at: Annotated[
        SeverityWord,
        says("least severity of a finding for which the build of before stays, and all ends"),
    ] = "blocker"
    look: Annotated[
        str,
        says(
            "how long the live site is looked at until it serves what was built, before anything "
            "is announced; 0 for not at all"
        ),
    ] = "10 minutes"
    server: Annotated[
        str, says("server that is looked at in the place of the site's address, as http://10.0.0.5")
    ] = ""
    hear: Annotated[str, says("how often engines are asked what they know")] = "1 day"
    metrics: Annotated[
        str, says("file for figures in the text format of Prometheus, which an exporter reads")
    ] = ""
    log: Annotated[str, says("file to which each round adds a line of JSON")] = ""
    keep: Annotated[int, says("days for which rounds are kept in the record", ge=1)] = 400

    @check("server")
    @classmethod
    def _server(cls, value: str) -> str:
        return origin_of(value) if value else ""

    @check("look", "hear")
    @classmethod
    def _lengths(cls, value: str) -> str:
        seconds_of(value)
        return value


class Publish(Part, frozen=True, kw_only=True):
    """`[publish]`: how what a round wrote becomes public, where the output folder is not served as
    it is. The names of changed files, one a line, are in the file that ATLAS_CHANGED names."""

    run: Annotated[
        tuple[str, ...],
        says('a command and its arguments, as in ["rsync", "-a", "public/", "host:/srv"]'),
    ] = ()
    shell: Annotated[bool, says("whether `run` is one line for a shell")] = False
    limit: Annotated[str, says("how long the command may take")] = "10 minutes"
    commit: Annotated[
        str,
        says(
            "pattern of the message with which files that the tool wrote are committed to git, as "
            'in "Listings of {{ day }}"; empty for no commit'
        ),
    ] = ""
    push: Annotated[str, says("remote to which that is pushed; empty for no push")] = ""

    @check("limit")
    @classmethod
    def _length(cls, value: str) -> str:
        if seconds_of(value) == 0:
            raise ValueError("a command needs some time")
        return value

    @check_whole
    def _agree(self) -> None:
        if self.shell and len(self.run) != 1:
            raise ValueError('with shell, run is one line: run = ["make deploy && ./ping"]')
        if self.push and not self.commit:
            raise ValueError("push needs commit, the message")


class _Told(Part, frozen=True, kw_only=True):
    severity: Annotated[SeverityWord, says("least severity that is told at once")] = "error"
    sections: Annotated[
        tuple[str, ...], says("sections whose troubles are told; all, and the site's, if empty")
    ] = ()
    quiet: Annotated[
        str, says("hours in which nothing is told, as in 22:00-07:00, by the clock of the machine")
    ] = ""
    digest: Annotated[
        Literal["", "day", "week"],
        says("whether what happened is told once a day or a week, with figures"),
    ] = ""
    name: Annotated[str, says("name in the record; what it is, where it is left out")] = ""

    @check("quiet")
    @classmethod
    def _hours(cls, value: str) -> str:
        if value:
            quiet_hours(value)
        return value


class TellByMail(_Told, frozen=True, kw_only=True, tag_field="kind", tag="mail"):
    """`[[tell]]` with `kind = "mail"`: a message by SMTP."""

    kind: ClassVar[Literal["mail"]] = "mail"
    to: Annotated[tuple[str, ...], says("addresses of mail", min_length=1)]
    sender: Annotated[str, says("address it is sent from")]
    server: Annotated[
        str,
        says("smtp://host:port; smtps:// for TLS from the start, smtp+tls:// insists on STARTTLS"),
    ] = "smtp://localhost:25"
    user: Annotated[str, says("name at the server; empty for none")] = ""
    password_env: Annotated[str, says("environment variable that holds its password")] = ""

    @check("server")
    @classmethod
    def _server(cls, value: str) -> str:
        parts = urlsplit(value)
        if parts.scheme not in ("smtp", "smtps", "smtp+tls") or not parts.hostname:
            raise ValueError(f"{value!r} is no mail server; write it as smtp://localhost:25")
        return value

    @check("to")
    @classmethod
    def _addresses(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        for one in value:
            if not re.fullmatch(r"[^\s@,;<>\r\n]+@[^\s@,;<>\r\n]+", one):
                raise ValueError(f"{one!r} is no address of mail")
        return value


class TellByWebhook(_Told, frozen=True, kw_only=True, tag_field="kind", tag="webhook"):
    """`[[tell]]` with `kind = "webhook"`: JSON by POST, signed where there is a secret."""

    kind: ClassVar[Literal["webhook"]] = "webhook"
    url: Annotated[str, says("address that takes it")]
    secret_env: Annotated[
        str, says("environment variable with the secret of the signature (HMAC with SHA-256)")
    ] = ""

    @check("url")
    @classmethod
    def _address(cls, value: str) -> str:
        if not value.startswith(("http://", "https://")):
            raise ValueError(f"{value!r} is no http or https address")
        return value


class TellByFile(_Told, frozen=True, kw_only=True, tag_field="kind", tag="file"):
    """`[[tell]]` with `kind = "file"`: a line of JSON at the end of a file."""

    kind: ClassVar[Literal["file"]] = "file"
    path: Annotated[str, says("the file, relative to the site file")]


class TellByCommand(_Told, frozen=True, kw_only=True, tag_field="kind", tag="command"):
    """`[[tell]]` with `kind = "command"`: a command that gets the message as JSON on its standard
    input."""

    kind: ClassVar[Literal["command"]] = "command"
    run: Annotated[tuple[str, ...], says("the command and its arguments", min_length=1)]


Tell = TellByMail | TellByWebhook | TellByFile | TellByCommand


def told_name(one: Tell) -> str:
    """What a way of telling is called in the record."""
    if one.name:
        return one.name
    if isinstance(one, TellByMail):
        return f"mail to {', '.join(one.to)}"
    if isinstance(one, TellByWebhook):
        return f"webhook {urlsplit(one.url).netloc}"
    return f"file {one.path}" if isinstance(one, TellByFile) else f"command {one.run[0]}"
