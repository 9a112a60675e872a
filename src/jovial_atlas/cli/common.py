"""What commands share: global options, the site file they work on, time, and formats."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import TYPE_CHECKING, Any, TypeVar

import click

if TYPE_CHECKING:
    from datetime import datetime
    from pathlib import Path

    from jovial_atlas.cli.output import Output
    from jovial_atlas.sitefile import SiteFile

Function = TypeVar("Function", bound=Callable[..., Any])
_KEPT = "jovial_atlas.global"
_NAMES = ("site", "quiet", "verbose", "no_color")

FORMATS = ("table", "json")
TABLE_FORMATS = ("table", "json", "csv")


def global_options(function: Function) -> Function:
    """The options that every command takes, before or after its name."""
    for decorate in (
        click.option(
            "--no-color", is_flag=True, help="No colours (so does the NO_COLOR variable)."
        ),
        click.option("-v", "--verbose", is_flag=True, help="Say more of what is done."),
        click.option("-q", "--quiet", is_flag=True, help="No notes or progress; results only."),
        click.option(
            "--site",
            callback=_as_path,
            metavar="FILE",
            help="The site file. Default: atlas.toml here or in the nearest parent.",
        ),
    ):
        function = decorate(function)
    return function


def _as_path(_ctx: click.Context, _option: click.Parameter, value: str | None) -> Path | None:
    """`click.Path` needs pathlib, which `--help` should not have to wait for."""
    if value is None:
        return None
    from pathlib import Path

    return Path(value)


def keep_global(ctx: click.Context, given: dict[str, Any]) -> dict[str, Any]:
    """Join options given before the command's name with those after it."""
    kept: dict[str, Any] = ctx.find_root().meta.setdefault(_KEPT, {})
    for name in _NAMES:
        if value := given.pop(name, None):
            kept[name] = value
    return kept


class Work:
    """What a command works with: where its results go, and the site file it was pointed at."""

    def __init__(self, output: Output, given: Path | None) -> None:
        self.output = output
        self.given = given

    def site_path(self) -> Path:
        """The site file's path. Raises SiteFileError where there is none."""
        from pathlib import Path

        from jovial_atlas.place import find_site_file

        return self.given or find_site_file(Path())

    def site(self) -> SiteFile:
        """The site file, read. Raises SiteFileError."""
        from jovial_atlas.sitefile import read_site_file

        return read_site_file(self.site_path())

    def site_if_any(self) -> SiteFile | None:
        """The site file, None where there is none and none was named. Raises SiteFileError."""
        from jovial_atlas.errors import SiteFileError

        try:
            return self.site()
        except SiteFileError:
            if self.given:
                raise
            return None

    @staticmethod
    def now() -> datetime:
        """The time, read here and handed down. JOVIAL_ATLAS_NOW sets it, as the demo does whose
        month passes in seconds. Raises AtlasError where it holds no time."""
        import os
        from datetime import UTC, datetime

        from jovial_atlas import dates
        from jovial_atlas.errors import AtlasError

        given = os.environ.get("JOVIAL_ATLAS_NOW", "")
        if given:
            read = dates.read(given)
            if read is None:
                raise AtlasError(
                    f"The environment variable JOVIAL_ATLAS_NOW holds no time ({given!r}). Unset "
                    "it, or write it as 2026-11-23T10:00:00Z."
                )
            return dates.moment(read)
        return datetime.now(UTC)


def atlas_command(
    name: str, *, formats: tuple[str, ...] = (), epilog: str = ""
) -> Callable[[Callable[..., Any]], click.Command]:
    """A command with the global options, `--format` if it shows data, and a `Work` as its
    first argument. Its epilog is an example."""

    def decorate(function: Callable[..., Any]) -> click.Command:
        @wraps(function)
        def run(**given: Any) -> Any:
            from jovial_atlas.cli.output import Output

            ctx = click.get_current_context()
            kept = keep_global(ctx, given)
            output = Output(
                given.pop("format", "table"),
                quiet=kept.get("quiet", False),
                verbose=kept.get("verbose", False),
                color=False if kept.get("no_color") else None,
            )
            code = function(Work(output, kept.get("site")), **given)
            ctx.exit(code or 0)

        wrapped: Callable[..., Any] = global_options(run)
        if formats:
            wrapped = click.option(
                "--format",
                type=click.Choice(formats),
                default="table",
                show_default=True,
                help="How results are shown. JSON and CSV go to standard output alone.",
            )(wrapped)
        return click.command(name, epilog=epilog)(wrapped)

    return decorate
