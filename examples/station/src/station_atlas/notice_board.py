"""A channel: a notice board takes a line of JSON for each sitemap that changed."""

from __future__ import annotations

import json

import msgspec

from jovial_atlas.extend import (
    Answer,
    Due,
    PackageChannel,
    PackagedKind,
    Published,
    Request,
    Status,
)


class Settings(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """`address`: where the board takes notes."""

    address: str


class NoticeBoard(PackagedKind):
    """What is due is what `PackagedKind` says: each sitemap whose content changed."""

    settings = Settings
    names = ("notice-board",)

    def request(
        self, due: Due, channel: PackageChannel, published: Published, token: str
    ) -> Request:
        note = {"site": published.site_url, "changed": [loc for loc, _ in due.items]}
        headers = {"Content-Type": "application/json"}
        if token:
            headers["Authorization"] = f"Bearer {token}"
        address = self.settings_of(channel).address
        return Request("POST", address, headers, json.dumps(note).encode())

    def meaning(self, channel: PackageChannel, answer: Answer) -> tuple[Status, str]:
        if answer.status == 201:
            return Status.TAKEN, "on the board"
        return Status.REFUSED, f"the board answered with status {answer.status}"
