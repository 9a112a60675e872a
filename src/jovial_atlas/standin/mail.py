"""A simulated mail server: it takes what is sent to it and sends nothing on."""

from __future__ import annotations

import socket
from email import message_from_bytes, policy
from email.message import EmailMessage
from typing import Any

from aiosmtpd.controller import Controller

from jovial_atlas.errors import AtlasError


class MailBox:
    """A mail server on loopback, and the mails that came. Use as a context."""

    def __init__(self) -> None:
        self.mails: list[EmailMessage] = []
        self.address = ""
        self._server: Any = None

    def __enter__(self) -> MailBox:
        with socket.socket() as one:
            one.bind(("127.0.0.1", 0))
            port = one.getsockname()[1]
        self._server = Controller(self, "127.0.0.1", port, ready_timeout=30)
        try:
            self._server.start()
        except OSError as error:
            raise AtlasError(f"The simulated mail server cannot listen ({error}).") from error
        self.address = f"127.0.0.1:{port}"
        return self

    def __exit__(self, *_: object) -> None:
        self._server.stop()

    async def handle_DATA(self, _server: object, _session: object, envelope: Any) -> str:  # noqa: N802
        """Take a mail, as the library calls it."""
        mail = message_from_bytes(envelope.content, policy=policy.default)
        assert isinstance(mail, EmailMessage)
        self.mails.append(mail)
        return "250 Taken, by a simulated server"
