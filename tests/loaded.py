"""Runs the command in copies of a process that has loaded it: each run is a process of its own, with
its own folder, environment and streams, but needs no second to start.

Reads one JSON object a line: {"folder", "argv", "env"}; answers {"code", "out", "err"}, where a code
below zero is the signal that ended the run.
"""

import atexit
import gc
import json
import os
import signal
import subprocess
import sys
import tempfile
from importlib import import_module
from pathlib import Path
from pkgutil import walk_packages

import jovial_atlas.cli
from jovial_atlas.sitefile.read import parse_site_file

_LONGEST = 1_200
_SITE = '[site]\nurl = "https://www.marrowfen.example"\n[[source]]\nkind = "html"\npath = "."\n'


class Loaded:
    """The process; it is started when first asked, and ends with the one that asks."""

    def __init__(self) -> None:
        self._process: subprocess.Popen | None = None

    def run(self, folder: Path, arguments, env) -> dict:
        if self._process is None:
            self._process = subprocess.Popen(
                [sys.executable, "-m", "tests.loaded"], stdin=subprocess.PIPE,
                stdout=subprocess.PIPE, text=True, cwd=Path(__file__).parents[1],
            )  # fmt: skip
            atexit.register(self._process.stdin.close)
        job = {"folder": str(folder), "argv": list(arguments), "env": env}
        print(json.dumps(job), file=self._process.stdin, flush=True)
        return json.loads(self._process.stdout.readline())


def load() -> None:
    """Everything that commands load; nothing of it starts a thread, which a copy would not have."""
    for module in walk_packages(jovial_atlas.__path__, "jovial_atlas."):
        if not module.name.endswith(("__main__", "versions")) and ".migrations" not in module.name:
            import_module(module.name)
    parse_site_file(_SITE, Path("atlas.toml"))


def main() -> None:
    load()
    gc.freeze()
    for line in sys.stdin:
        job = json.loads(line)
        with tempfile.TemporaryFile() as out, tempfile.TemporaryFile() as err:
            child = os.fork()
            if not child:
                signal.alarm(_LONGEST)
                os.chdir(job["folder"])
                os.environ.clear()
                os.environ.update(job["env"])
                for number, stream in ((0, os.open(os.devnull, os.O_RDONLY)), (1, out.fileno()), (2, err.fileno())):
                    os.dup2(stream, number)
                sys.argv[1:] = job["argv"]
                try:
                    code = jovial_atlas.cli.main()
                except SystemExit as end:
                    code = int(end.code or 0)
                except BaseException:  # noqa: BLE001 - as the interpreter would
                    import traceback

                    traceback.print_exc()
                    code = 99
                atexit._run_exitfuncs()
                sys.stdout.flush()
                sys.stderr.flush()
                os._exit(code)
            _, status = os.waitpid(child, 0)
            out.seek(0)
            err.seek(0)
            answer = {
                "code": os.waitstatus_to_exitcode(status),
                "out": out.read().decode("utf-8", "replace"),
                "err": err.read().decode("utf-8", "replace"),
            }
        sys.stdout.write(json.dumps(answer) + "\n")
        sys.stdout.flush()


if __name__ == "__main__":
    main()
