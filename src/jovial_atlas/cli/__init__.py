"""The command line: arguments in; tables, JSON, notes and exit codes out.

Exit codes: 0 fine; 1 findings at or above --fail-on, or an announcement that failed;
2 the command could not run; 130 interrupted. Only this room prints or exits, and it
imports what a command needs only when that command runs.
"""

from __future__ import annotations

import gc
import os
import sys

import click

from jovial_atlas.cli.app import app
from jovial_atlas.errors import AtlasError, LossError


def main() -> None:
    """Run the command that the arguments ask for, and exit with its code."""
    # Loading libraries makes a great many objects and hardly any garbage: looking for it after
    # every 700 of them is a quarter of the time of a short command.
    gc.set_threshold(500_000, 20, 20)
    code = run(sys.argv[1:])
    # The process ends: what is still in memory need not be searched for garbage once more.
    gc.freeze()
    sys.exit(code)


def run(arguments: list[str]) -> int:
    """As `main`, with the exit code given back."""
    try:
        code = app.main(arguments, prog_name="jovial-atlas", standalone_mode=False)
        sys.stdout.flush()
    except click.ClickException as error:
        error.show()
        return 2
    except LossError as error:
        click.echo(f"jovial-atlas: {error}", err=True)
        return 1
    except AtlasError as error:
        click.echo(f"jovial-atlas: {error}", err=True)
        return 2
    except (click.Abort, KeyboardInterrupt):
        click.echo("jovial-atlas: interrupted; the last complete build is in place.", err=True)
        return 130
    except BrokenPipeError:
        # Whoever read our output has left; nothing more can be said.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    return code if isinstance(code, int) else 0
