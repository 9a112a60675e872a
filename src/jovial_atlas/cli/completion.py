"""`completion`: the tab key completes commands, options, and names of the site."""

from __future__ import annotations

import os
from pathlib import Path

import click

from jovial_atlas.cli.common import Work, atlas_command
from jovial_atlas.cli.explained import command_group
from jovial_atlas.errors import AtlasError

_SHELLS = ("bash", "zsh", "fish")
_PROGRAM = "jovial-atlas"
_VARIABLE = "_JOVIAL_ATLAS_COMPLETE"


@command_group("completion", examples=("completion install", "completion show zsh"))
def command() -> None:
    """Complete commands, options, sections, engines, policies, codes and pages with the tab key, in
    bash (4.4 or later), zsh and fish."""


@atlas_command("show", state="apart", examples=("completion show fish", "completion show zsh"))
@click.argument("shell", type=click.Choice(_SHELLS), required=False)
def show(work: Work, shell: str | None) -> int:
    """Print what the shell must read for it. Default: the shell that is in use here."""
    work.output.exact(_script(shell or _shell_here()))
    return 0


@atlas_command(
    "install", state="apart", examples=("completion install", "completion install fish")
)
@click.argument("shell", type=click.Choice(_SHELLS), required=False)
def install(work: Work, shell: str | None) -> int:
    """Put it where the shell looks for it by itself, in your home folder alone."""
    from jovial_atlas.files import write_whole

    name = shell or _shell_here()
    place = _place(name)
    write_whole(place, _script(name).encode())
    out = work.output
    out.say(f"Written to {place}. It works in the next {name} that you start.")
    if name == "zsh":
        out.say(
            "zsh looks there where its configuration says so. If it does not, add these lines to "
            "~/.zshrc:\n  fpath=(~/.zsh/completions $fpath)\n  autoload -U compinit && compinit"
        )
    if name == "bash":
        out.say("If it does not: the package bash-completion is missing; without it, add this line "
                f"to ~/.bashrc:\n  source {place}")  # fmt: skip
    return 0


@atlas_command("remove", state="apart", examples=("completion remove", "completion remove zsh"))
@click.argument("shell", type=click.Choice(_SHELLS), required=False)
def remove(work: Work, shell: str | None) -> int:
    """Take it away again."""
    from jovial_atlas.files import remove as remove_file

    place = _place(shell or _shell_here())
    there = place.exists()
    remove_file(place)
    work.output.say(f"{place} is removed." if there else f"{place} is not there.")
    return 0


def _shell_here() -> str:
    name = Path(os.environ.get("SHELL", "")).name
    if name not in _SHELLS:
        raise AtlasError(
            f"The shell {name or 'in use'} is not known here. Name one: {', '.join(_SHELLS)}."
        )
    return name


def _script(shell: str) -> str:
    from click.shell_completion import get_completion_class

    from jovial_atlas.cli.app import app

    made = get_completion_class(shell)
    assert made is not None  # the names above are those of Click
    found = made(app, {}, _PROGRAM, _VARIABLE)
    text = found.source_template % found.source_vars()
    return text if text.endswith("\n") else f"{text}\n"


def _place(shell: str) -> Path:
    """Where a shell looks for it: as the XDG base directory specification and each shell say."""
    home = Path.home()
    data = Path(os.environ.get("XDG_DATA_HOME") or home / ".local/share")
    config = Path(os.environ.get("XDG_CONFIG_HOME") or home / ".config")
    return {
        "bash": data / "bash-completion/completions" / _PROGRAM,
        "zsh": home / ".zsh/completions" / f"_{_PROGRAM}",
        "fish": config / "fish/completions" / f"{_PROGRAM}.fish",
    }[shell]


for one in (show, install, remove):
    command.add_command(one)
