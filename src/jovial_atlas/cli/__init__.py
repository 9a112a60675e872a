"""The command line: arguments in; tables, JSON, notes and exit codes out.

Exit codes: 0 fine; 1 findings at or above --fail-on, or an announcement that failed;
2 the command could not run; 130 interrupted. Only this room prints or exits, and it
imports what a command needs only when that command runs.
"""

from __future__ import annotations

import gc
import io
import os
import signal
import sys
import threading
from types import FrameType

import click

from jovial_atlas.cli.app import app
from jovial_atlas.cli.common import known_secrets
from jovial_atlas.cli.visible import visible
from jovial_atlas.errors import AtlasError, LossError


def main() -> None:
    """Run the command that the arguments ask for, and exit with its code."""
    # Loading libraries makes a great many objects and hardly any garbage: looking for it after
    # every 700 of them is a quarter of the time of a short command.
    gc.set_threshold(500_000, 20, 20)
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            # A terminal may know fewer letters than texts have.
            stream.reconfigure(errors="backslashreplace")
    if signal.getsignal(signal.SIGINT) is signal.default_int_handler:
        signal.signal(signal.SIGINT, _interrupt)
    code = run(sys.argv[1:])
    # What was asked is done: who interrupts now only sees how it ended.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    _await_watchers()
    # The process ends: what is still in memory need not be searched for garbage once more.
    gc.freeze()
    sys.exit(code)


def run(arguments: list[str]) -> int:
    """As `main`, with the exit code given back."""
    try:
        code = app.main(arguments, prog_name="jovial-atlas", standalone_mode=False)
        sys.stdout.flush()
    except click.ClickException as error:
        buffer = io.StringIO()
        error.show(file=buffer)
        click.echo(visible(buffer.getvalue()), err=True, nl=False)
        return 2
    except LossError as error:
        return _refused(str(error), 1)
    except AtlasError as error:
        return _refused(str(error), 2)
    except RecursionError:
        return _refused("What it was to work on is nested too deep to be understood.", 2)
    except MemoryError:
        return _refused("The memory of this machine is used up. Nothing was changed.", 2)
    except (click.Abort, KeyboardInterrupt):
        return _interrupted()
    except BrokenPipeError:
        # Whoever read our output has left; nothing more can be said.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        return 0
    except OSError as error:
        where = f" ({error.filename})" if error.filename else ""
        why = error.strerror or str(error)
        return _refused(f"The system does not allow it: {why}{where}.", 2)
    except RuntimeError as error:
        # An interrupt while a class is made: Python says it of the class.
        if not isinstance(error.__cause__, KeyboardInterrupt):
            raise
        return _interrupted()
    return code if isinstance(code, int) else 0


def _interrupt(_number: int, frame: FrameType | None) -> None:
    """Raise KeyboardInterrupt; but end at once where Polars is at work: raised while it calls back
    into Python, an interrupt would be a crash of its own to it. Files are written whole or not at
    all, and the ledger keeps nothing by halves, so a command may end at any moment."""
    at = frame
    while at is not None:
        if _POLARS in at.f_code.co_filename:
            if sys.stderr.isatty():
                sys.stderr.write("\x1b[?25h\n")  # a bar of progress may have hidden the cursor
            code = _interrupted()
            sys.stderr.flush()
            os._exit(code)
        at = at.f_back
    raise KeyboardInterrupt


_POLARS = f"{os.sep}polars{os.sep}"


def _interrupted() -> int:
    _end_workers()
    click.echo("jovial-atlas: interrupted; the last complete build is in place.", err=True)
    return 130


def _end_workers() -> None:
    """End processes that were being started when the interrupt came: nobody waits for them yet, and
    at its end this process would wait until they have done all that they were given."""
    if processes := sys.modules.get("multiprocessing.process"):
        for worker in processes.active_children():
            worker.kill()


#: Seconds that who watches over workers has to end.
_PATIENCE = 5.0
_POOLS = "concurrent.futures.process"


def _await_watchers() -> None:
    """Wait for the threads that watch over workers: where one closes what it has open just when
    Python itself ends, Python trips over that, and says so with a traceback."""
    if _POOLS in sys.modules:
        for thread in threading.enumerate():
            if type(thread).__module__ == _POOLS:
                thread.join(_PATIENCE)


def _refused(text: str, code: int) -> int:
    """Say why a command cannot go on; gives its exit code."""
    told = f"jovial-atlas: {visible(text, known_secrets())}"
    if sys.stderr.isatty():
        from shutil import get_terminal_size
        from textwrap import fill

        width = get_terminal_size().columns
        told = "\n".join(
            fill(line, width, subsequent_indent="  ", break_long_words=False,
                 break_on_hyphens=False) or line
            for line in told.splitlines()
        )  # fmt: skip
    click.echo(told, err=True)
    return code
