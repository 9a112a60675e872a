"""Described HTTP calls, without any sending: filling templates, reading answers."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any
from urllib.parse import quote

from jovial_atlas.errors import NetworkError
from jovial_atlas.ledger import SitemapReport
from jovial_atlas.web import Request

#: Our fields of a report, and the names under which an engine may give them.
REPORT_FIELDS = ("loc", "last_read", "state", "found", "indexed", "reasons")


def fill(
    method: str,
    url: str,
    headers: Mapping[str, str],
    body: str,
    *,
    site: str,
    sitemap: str = "",
    token: str = "",
) -> Request:
    """A described call with its values put in: percent-encoded in the URL, as they are in the
    body; a token becomes an Authorization header (RFC 6750)."""
    filled = url.replace("{site}", quote(site, safe="")).replace(
        "{sitemap}", quote(sitemap, safe="")
    )
    fields = dict(headers)
    if token:
        fields["Authorization"] = f"Bearer {token}"
    text = body.replace("{site}", site).replace("{sitemap}", sitemap)
    return Request(method, filled, fields, text.encode())


def read_report(
    answer: bytes, items: str, fields: Mapping[str, str], engine: str
) -> list[SitemapReport]:
    """What an engine's answer says of each sitemap. Raises NetworkError where it cannot be read.

    `items` is the key under which the list stands ("" for a bare list), `fields` maps our
    names to theirs; a dot goes one level down.
    """
    try:
        found = _down(json.loads(answer), items) if items else json.loads(answer)
    except ValueError:
        raise NetworkError(
            f"{engine} answered the report with something that is not JSON."
        ) from None
    if not isinstance(found, list):
        raise NetworkError(
            f"{engine} answered the report without a list under {items!r}. "
            "Check `items` of the channel read-sitemaps."
        )
    names = {ours: fields.get(ours, ours) for ours in REPORT_FIELDS}
    reports = []
    for item in found:
        values = {ours: _down(item, theirs) for ours, theirs in names.items()}
        if not isinstance(values["loc"], str):
            continue
        reasons = values["reasons"] if isinstance(values["reasons"], dict) else {}
        reports.append(
            SitemapReport(
                loc=values["loc"],
                last_read=str(values["last_read"]) if values["last_read"] else None,
                state=str(values["state"] or "unknown"),
                found=_count(values["found"]),
                indexed=_count(values["indexed"]),
                reasons={str(k): int(n) for k, n in reasons.items() if _count(n) is not None},
            )
        )
    return reports


def _down(value: Any, path: str) -> Any:
    for part in path.split("."):
        value = value.get(part) if isinstance(value, dict) else None
    return value


def _count(value: Any) -> int | None:
    """Engines give counts as numbers or as digits in text."""
    if isinstance(value, bool) or value is None:
        return None
    if isinstance(value, int):
        return value
    return int(value) if isinstance(value, str) and value.isdigit() else None
