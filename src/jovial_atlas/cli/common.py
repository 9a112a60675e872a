"""What commands share: global options, the site file they work on, time, and formats."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack, contextmanager, nullcontext
from functools import wraps
from typing import TYPE_CHECKING, Any, Literal, TypeVar

import click

from jovial_atlas.cli.explained import ExplainedCommand

if TYPE_CHECKING:
    from datetime import datetime
    from pathlib import Path

    from jovial_atlas.cli.output import Output
    from jovial_atlas.files import Locks
    from jovial_atlas.sitefile import SiteFile

Function = TypeVar("Function", bound=Callable[..., Any])
_KEPT = "jovial_atlas.global"
_NAMES = ("site", "quiet", "verbose", "wide", "plain", "no_color")

FORMATS = ("table", "json")
TABLE_FORMATS = ("table", "json", "csv")


class _Places(click.ParamType[str]):
    """Names of files; in a variable they are parted as search paths are."""

    name = "file"
    envvar_list_splitter = os.pathsep


#: The options that every command takes, the last first: names, variable, and what else is said.
_GLOBAL: tuple[tuple[tuple[str, ...], str, dict[str, Any]], ...] = (
    (("--no-color",), "NO_COLOR",
     {"is_flag": True, "help": "No colours (so does the NO_COLOR variable)."}),
    (("--plain",), "PLAIN",
     {"is_flag": True,
      "help": "Lines of `name: value` in place of tables; no frames, no colours."}),
    (("--wide",), "WIDE",
     {"is_flag": True, "help": "All columns, however narrow the terminal."}),
    (("-v", "--verbose"), "VERBOSE", {"is_flag": True, "help": "Say more of what is done."}),
    (("-q", "--quiet"), "QUIET",
     {"is_flag": True, "help": "No notes or progress; results only."}),
    (("--site",), "SITE",
     {"type": _Places(), "multiple": True, "metavar": "FILE",
      "help": "The site file. Default: atlas.toml here or in the nearest parent. Several, or a "
      "pattern: survey, build, check, status, review and report do all of them."}),
)  # fmt: skip


def global_options(function: Function, *, first: bool = False) -> Function:
    """The options that every command takes, before or after its name. Those that come `first` may
    be given by variables too; what is typed anywhere wins over these."""
    for names, variable, more in _GLOBAL:
        envvar = f"JOVIAL_ATLAS_{variable}" if first else None
        function = click.option(*names, envvar=envvar, **more)(function)
    return function


def keep_global(ctx: click.Context, given: dict[str, Any]) -> dict[str, Any]:
    """Join options given before the command's name with those after it."""
    kept: dict[str, Any] = ctx.find_root().meta.setdefault(_KEPT, {})
    for name in _NAMES:
        if value := given.pop(name, None):
            kept[name] = value
    return kept


#: Values that this run must show nobody: tokens and passwords that its site file names.
_SECRETS: set[str] = set()


def known_secrets() -> set[str]:
    """Values that this run must show nobody."""
    return _SECRETS


#: What a command does with the state folder: it `reads` what belongs together; it `writes`, there
#: or into the output; it `edits` the site file or a file beside it; or it has nothing to do with
#: that.
State = Literal["reads", "writes", "edits", "apart"]


class Work:
    """What a command works with: where its results go, the site file it was pointed at, and its
    hold on the state folder, which lasts until the command ends."""

    def __init__(self, output: Output, given: Path | None, state: State = "apart") -> None:
        self.output = output
        self.given = given
        self.state = state
        self._locks: Locks | None = None
        self._holds: set[State] = set()
        self._held = ExitStack()
        #: For the record of changes: how many pages what is done turns, and the change taken back.
        self.turned: int | None = None
        self.takes_back = 0

    def site_path(self) -> Path:
        """The site file's path. Raises SiteFileError where there is none."""
        from pathlib import Path

        from jovial_atlas.place import find_site_file

        return self.given or find_site_file(Path())

    def locks(self, beside: Path | None = None) -> Locks:
        """The locks of the state folder beside the site file, or beside another one."""
        from jovial_atlas.files.lock import Locks
        from jovial_atlas.place import STATE

        if self._locks is None:
            site = beside or self.site_path()
            self._locks = Locks(site.absolute().parent / STATE, self.output.note)
        return self._locks

    def hold(self, state: State | None = None) -> None:
        """Hold the state folder as this command does, or as said. Waits for others, and says for
        whom. Raises OutputError."""
        wanted = state or self.state
        if wanted in self._holds or wanted == "apart":
            return
        self._holds.add(wanted)
        locks = self.locks()
        if wanted == "writes":
            self._held.enter_context(locks.writing())
            return
        if wanted == "edits":
            self._held.enter_context(locks.editing())
            self._held.enter_context(self.watching(self.site_path()))
        self._held.enter_context(locks.reading())

    @contextmanager
    def watching(self, site_path: Path) -> Iterator[None]:
        """Keep what the block changes in the site file and the tables beside it as one change, so
        that it can be taken back."""
        from jovial_atlas.errors import OutputError
        from jovial_atlas.rounds.deciding.history import Deed, Watch

        watch = Watch(site_path, self.now())
        try:
            yield
        finally:
            deed = Deed(_who(), _typed(), _reason(), self.turned, self.takes_back)
            try:
                watch.keep(deed)
            except OutputError as error:
                self.output.warn(f"The record of changes could not be kept: {error}")

    def let_go(self) -> None:
        """Hold the state folder no longer."""
        self._held.close()
        self._holds.clear()

    @contextmanager
    def apart(self, *, alone: bool = False) -> Iterator[None]:
        """Ask servers, which may take long, without holding the state folder, so that nobody waits
        for them; it is held again after. What is done `alone`, one command does at a time."""
        held = tuple(self._holds)
        self.let_go()
        with self.locks().asking() if alone else nullcontext():
            yield
        for one in held:
            self.hold(one)

    def site(self) -> SiteFile:
        """The site file, read, with the hold that this command needs. Raises SiteFileError."""
        from jovial_atlas.sitefile import read_site_file
        from jovial_atlas.sitefile.secrets import secrets_of

        path = self.site_path()
        if path.exists():
            self.hold()
        site = read_site_file(path)
        _SECRETS.update(secrets_of(site, os.environ))
        self.output.secrets = _SECRETS
        read = (site.folder / getattr(source, "path", "") for source in site.model.source)
        self.output.find_files_in(site.folder, site.output, *read)
        return site

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


def _who() -> str:
    """Who gives commands here: JOVIAL_ATLAS_BY, or the name of the login."""
    import getpass
    import os

    try:
        return os.environ.get("JOVIAL_ATLAS_BY") or getpass.getuser()
    except (OSError, KeyError):
        return ""


def _typed() -> str:
    """The command as it was typed, without the name of the program; quotes where they are needed,
    and no secret."""
    import shlex

    from jovial_atlas.redact import redacted

    root = click.get_current_context().find_root()
    typed = shlex.join(root.meta.get(ARGUMENTS, ()))
    return redacted(typed, _SECRETS)


def _reason() -> str:
    """Why a command says it is given, where it can say so."""
    said = click.get_current_context().params.get("reason")
    return said if isinstance(said, str) else ""


#: Under which what was typed is kept with the first context.
ARGUMENTS = "jovial_atlas.arguments"


def _output(format: str, kept: dict[str, Any]) -> Output:
    """Where results go, as the global options say."""
    from jovial_atlas.cli.output import Output

    return Output(
        format,
        quiet=kept.get("quiet", False),
        verbose=kept.get("verbose", False),
        color=False if kept.get("no_color") else None,
        wide=kept.get("wide", False),
        plain=kept.get("plain", False),
    )


def _one_site(
    ctx: click.Context, output: Output, given: Sequence[str], *, many: bool
) -> Path | None:
    """The site file that was named, None for none. Where several are, the command is given for
    each, and ends."""
    if not given:
        return None
    from jovial_atlas.cli.many import for_many, is_one, own_arguments, report_of_many, site_files

    if is_one(given):
        return site_files(given)[0]
    sites = site_files(given)
    name = ctx.info_name or ""
    if not many and len(sites) > 1:
        raise click.UsageError(f"{name} works on one site; --site names {len(sites)}.")
    if len(sites) == 1:
        return sites[0]
    if name == "report":
        raise click.exceptions.Exit(report_of_many(output, sites, ctx.params["path"]))
    typed = own_arguments(ctx.find_root().meta.get(ARGUMENTS, ()), ctx.command)
    # The command alone is one whose name nobody typed.
    named = typed if name in typed else [name, *typed]
    raise click.exceptions.Exit(for_many(output, name, sites, named))


def atlas_command(
    name: str,
    *,
    state: State,
    formats: tuple[str, ...] = (),
    examples: tuple[str, ...] = (),
    fails: str = "",
    kind: type[ExplainedCommand] | None = None,
    many: bool = False,
) -> Callable[[Callable[..., Any]], click.Command]:
    """A command with the global options, `--format` if it shows data, and a `Work` as its
    first argument, which holds the state folder as `state` says. Its help has the
    `examples`, and what exit code 1 means where a command may end with it (`fails`). `many`
    says that it may be given for several sites at once."""

    def decorate(function: Callable[..., Any]) -> click.Command:
        @wraps(function)
        def run(**given: Any) -> Any:
            from jovial_atlas.errors import LossError

            ctx = click.get_current_context()
            kept = keep_global(ctx, given)
            output = _output(given.pop("format", "table"), kept)
            site = _one_site(ctx, output, kept.get("site") or (), many=many)
            work = Work(output, site, state)
            try:
                with output.paged() if state == "reads" and formats else nullcontext():
                    code = function(work, **given)
            except LossError as error:
                if output.format == "json":
                    output.json({"refused": error.told()})
                raise
            finally:
                work.let_go()
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
        made = click.command(name, kind or ExplainedCommand)(wrapped)
        made.examples, made.fails = examples, fails
        return made

    return decorate


def bundled(name: str, names: Sequence[str]) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Gives a decorator for a command, below its options: those of these names come as one
    mapping, under `name`."""

    def decorate(function: Callable[..., Any]) -> Callable[..., Any]:
        @wraps(function)
        def run(*args: Any, **given: Any) -> Any:
            given[name] = {one: given.pop(one) for one in names}
            return function(*args, **given)

        return run

    return decorate
