"""Names of a site that a shell completes: sections, engines, policies, codes, pages.

Completing never fails and never writes: where there is no site file, or a wrong one, there is
nothing to offer.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

import click
from click.shell_completion import CompletionItem

#: Pages that are offered at most.
_MOST_PAGES = 200
#: A larger page table is not looked through while somebody waits for a key: bytes.
_LARGEST = 100 * 2**20


class AddressStyle(click.ParamType[str]):
    """A style of addresses, or a template that makes them of columns."""

    name = "STYLE"
    _STYLES = ("folder", "file", "plain")

    def convert(self, value: str, param: click.Parameter | None, ctx: click.Context | None) -> str:
        if value not in self._STYLES and "{" not in value:
            self.fail(
                f"{value!r} is none of {', '.join(self._STYLES)}, and no template with columns, "
                "like /species/{slug}/.", param, ctx,
            )  # fmt: skip
        return value

    def shell_complete(
        self, ctx: click.Context, param: click.Parameter, incomplete: str
    ) -> list[CompletionItem]:
        return [CompletionItem(one) for one in self._STYLES if one.startswith(incomplete)]


class SiteName(click.ParamType[str]):
    """A name that the site file or the program knows; what is given is taken as it is."""

    def __init__(self, name: str, offered: Callable[[click.Context, str], Iterable[str]]) -> None:
        self.name = name
        self._offered = offered

    def shell_complete(
        self, ctx: click.Context, param: click.Parameter, incomplete: str
    ) -> list[CompletionItem]:
        try:
            names = list(self._offered(ctx, incomplete))
        except Exception:  # noqa: BLE001 - whoever presses a key is shown no error
            return []
        return [CompletionItem(one) for one in names if one.startswith(incomplete)]


def _site_file(ctx: click.Context) -> Path:
    from jovial_atlas.place import find_site_file

    given = ctx.params.get("site") or ctx.find_root().params.get("site")
    return Path(given) if given else find_site_file(Path())


def _values(ctx: click.Context) -> dict[str, Any]:
    import tomllib

    return tomllib.loads(_site_file(ctx).read_text("utf-8-sig"))


def _named(table: str, *also: str) -> Callable[[click.Context, str], Iterable[str]]:
    def offered(ctx: click.Context, _incomplete: str) -> Iterable[str]:
        return [*(str(one["name"]) for one in _values(ctx).get(table, ()) if "name" in one), *also]

    return offered


def _policies(_ctx: click.Context, _incomplete: str) -> Iterable[str]:
    from jovial_atlas.sitefile.kinds import Policies
    from jovial_atlas.sitefile.parts import keys_of

    return keys_of(Policies)


def _choices(ctx: click.Context, _incomplete: str) -> Iterable[str]:
    from jovial_atlas.rules.policies import choices_of

    return choices_of(ctx.params["name"])


def _codes(_ctx: click.Context, _incomplete: str) -> Iterable[str]:
    from jovial_atlas.findings.registry import CHECKS

    return CHECKS


def _marks(_ctx: click.Context, _incomplete: str) -> Iterable[str]:
    from jovial_atlas.findings.marks import MARKS

    return MARKS


def _parts(_ctx: click.Context, _incomplete: str) -> Iterable[str]:
    from jovial_atlas.rounds.deciding.settings import parts

    return parts()


def _pages(ctx: click.Context, incomplete: str) -> Iterable[str]:
    """Paths of pages of the last survey that begin so."""
    import polars as pl

    from jovial_atlas.place import STATE
    from jovial_atlas.rounds.state.names import PAGE_TABLE

    table = _site_file(ctx).absolute().parent / STATE / PAGE_TABLE
    if (not incomplete.startswith(("/", "http")) and incomplete) or table.stat().st_size > _LARGEST:
        return []
    url = str(_values(ctx)["site"]["url"]).rstrip("/")
    whole = incomplete if incomplete.startswith("http") else f"{url}{incomplete or '/'}"
    found = (
        pl.scan_parquet(table)
        .select("loc")
        .filter(pl.col("loc").str.starts_with(whole))
        .head(_MOST_PAGES)
        .collect(engine="streaming")
    )
    locs = found.get_column("loc").sort().to_list()
    return locs if incomplete.startswith("http") else [one.removeprefix(url) for one in locs]


SECTION = SiteName("name", _named("section", "pages"))
ENGINE = SiteName("name", _named("engine"))
SOURCE = SiteName("name", _named("source"))
POLICY = SiteName("name", _policies)
CHOICE = SiteName("choice", _choices)
FINDING_CODE = SiteName("code", _codes)
MARK_CODE = SiteName("code", _marks)
SETTINGS_PART = SiteName("part", _parts)
PAGE_NAME = SiteName("url", _pages)
