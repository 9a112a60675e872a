"""What has rounds run by themselves: units of systemd, a line of a crontab, a hook of git, a step
of a pipeline. Nothing is written here; what files would hold is given back."""

from __future__ import annotations

import re
import shlex
import sys
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from jinja2 import Environment, PackageLoader, StrictUndefined

from jovial_atlas import __version__
from jovial_atlas.errors import AtlasError
from jovial_atlas.sitefile import SiteFile
from jovial_atlas.sitefile.tending import seconds_of

_HOMES, _TEMPORARY = ("/home/", "/root/", "/Users/"), ("/tmp/", "/var/tmp/")  # noqa: S108


@dataclass(frozen=True, slots=True)
class FileToInstall:
    """A file that would be written: its place, what it holds, and whether it is run."""

    place: Path
    text: str
    is_run: bool = False


@dataclass(frozen=True, slots=True)
class Installation:
    """What would be written, or the `line` that a crontab gets; and what to do then."""

    files: list[FileToInstall]
    then: list[str]
    line: str = ""


def name_of_unit(site: SiteFile) -> str:
    """What units and files are called."""
    host = site.model.site.url.partition("://")[2]
    return "jovial-atlas-" + re.sub(r"[^a-z0-9]+", "-", host.lower()).strip("-")


def systemd(site: SiteFile, every: str, user: str, *, watch: bool, to: Path | None) -> Installation:
    """A service, and without `watch` its timer; of the whole system where a `user` is named."""
    name = name_of_unit(site)
    folder = to or (
        Path("/etc/systemd/system") if user else Path("~/.config/systemd/user").expanduser()
    )
    values = {
        **_common(site, every), "watch": watch, "user": user, "writes": _writes(site),
        "in_home": any(str(one).startswith(_HOMES) for one in (site.folder, site.output)),
        "in_tmp": any(str(one).startswith(_TEMPORARY) for one in (site.folder, site.output)),
        "every": f"{seconds_of(every)}s",
    }  # fmt: skip
    files = [FileToInstall(folder / f"{name}.service", _filled("atlas.service", values))]
    if not watch:
        files.append(FileToInstall(folder / f"{name}.timer", _filled("atlas.timer", values)))
    control = "systemctl" if user else "systemctl --user"
    begun = f"{name}.service" if watch else f"{name}.timer"
    journal = "journalctl" if user else "journalctl --user"
    then = [
        f"systemd-analyze verify {files[0].place}", f"{control} daemon-reload",
        f"{control} enable --now {begun}", f"{journal} -u {name}",
    ]  # fmt: skip
    return Installation(files, then)


def cron(site: SiteFile, every: str) -> Installation:
    """A line of a crontab. Raises AtlasError for a time that cron cannot say."""
    log = str(site.shared_state / "tend-cron.log")
    values = {**_common(site, every), "minutes": _cron_time(seconds_of(every)), "log": log}
    line = _filled("crontab", values)
    if "%" in line:
        # In a crontab it stands for the end of a line.
        line = line.replace("%", r"\%")
    return Installation([], ["crontab -l", f"tail {shlex.quote(log)}"], line)


def git_hook(site: SiteFile, repository: Path, branch: str) -> Installation:
    """A hook of the repository that is pushed to. Raises AtlasError where there is none."""
    hooks = next((one for one in (repository / "hooks", repository / ".git" / "hooks")
                  if one.is_dir()), None)  # fmt: skip
    if hooks is None:
        raise AtlasError(
            f"{repository} is no git repository. Give the bare repository that is pushed to, as "
            "in --to /srv/git/site.git."
        )
    values = {**_common(site, "1h"), "branch": branch, "top": str(site.folder)}
    place = hooks / "post-receive"
    then = [f"git push: a round follows each push to {branch}", f"{_program_shown(site)} tend log"]
    return Installation([FileToInstall(place, _filled("post-receive", values), True)], then)


def ci(site: SiteFile, to: Path | None) -> Installation:
    """A script for pipelines."""
    place = to or site.folder / "atlas-ci.sh"
    values = {
        **_common(site, "1h"), "site_file": site.path.name,
        "requirement": f"jovial-atlas=={__version__}",
    }  # fmt: skip
    then = [f"sh {place.name}", "ATLAS_BASE=origin/main sh " + place.name]
    return Installation([FileToInstall(place, _filled("ci.sh", values), True)], then)


def _common(site: SiteFile, every: str) -> dict[str, object]:
    return {
        "name": name_of_unit(site), "site": site.model.site.url, "every": every,
        "folder": str(site.folder.absolute()), "program": _program(site),
    }  # fmt: skip


def _program(site: SiteFile) -> list[str]:
    """How this program is called by a machine: by its whole path."""
    beside = Path(sys.executable).with_name("jovial-atlas")
    called = [str(beside)] if beside.exists() else [sys.executable, "-m", "jovial_atlas"]
    return [*called, "--site", str(site.path.absolute())]


def _program_shown(site: SiteFile) -> str:
    return shlex.join(_program(site))


def _writes(site: SiteFile) -> list[str]:
    """Folders that a round writes to."""
    places = [site.folder, site.shared_state, *(host.output for host in site.hosts)]
    tend = site.model.tend
    places += [(site.folder / name).parent for name in (tend.metrics, tend.log) if name]
    places += [(site.folder / path).parent for one in site.model.tell
               if (path := getattr(one, "path", ""))]  # fmt: skip
    if tend.inject:
        places += [site.folder / path for one in site.model.source
                   if (path := getattr(one, "path", "")) and "://" not in path]  # fmt: skip
    whole = sorted({str(one.absolute()) for one in places})
    return [one for one in whole if not any(one.startswith(f"{other}/") for other in whole)]


_MINUTE, _HOUR, _DAY = 60, 3_600, 86_400


def _cron_time(seconds: int) -> str:
    """How a crontab says it."""
    if seconds % _MINUTE == 0 and seconds < _HOUR and 60 % (seconds // _MINUTE) == 0:
        return f"*/{seconds // _MINUTE} * * * *"
    if seconds % _HOUR == 0 and seconds < _DAY and 24 % (seconds // _HOUR) == 0:
        return f"7 */{seconds // _HOUR} * * *"
    if seconds == _DAY:
        return "7 4 * * *"
    raise AtlasError(
        "cron knows no such time. Take 5m, 10m, 15m, 20m, 30m, 1h, 2h, 3h, 4h, 6h, 12h or 1 day."
    )


def _systemd_quoted(text: str) -> str:
    """A word of a unit file (systemd.syntax(7)): in quotes where it must be, `%` doubled."""
    text = text.replace("%", "%%")
    plain = re.fullmatch(r"[A-Za-z0-9_./:@%+=,-]+", text)
    if plain:
        return text
    quoted = text.replace("\\", "\\\\").replace('"', '\\"')
    return f'"{quoted}"'


def _filled(name: str, values: dict[str, object]) -> str:
    unit = name.startswith("atlas.")
    templates = Environment(
        loader=PackageLoader("jovial_atlas.rounds.tending"), trim_blocks=True, lstrip_blocks=True,
        keep_trailing_newline=True, undefined=StrictUndefined,
        autoescape=False,  # noqa: S701 - no HTML; words are quoted for units and shells
    )  # fmt: skip

    def words(some: Sequence[str]) -> str:
        quote = (lambda one: _systemd_quoted(one).replace("$", "$$")) if unit else shlex.quote
        return " ".join(map(quote, some))

    quoted = _systemd_quoted if unit else shlex.quote
    templates.globals |= {"words": words, "quoted": quoted, "shell": shlex.quote}
    return templates.get_template(name).render(values)

