"""Runs commands step by step: loaded once under the shim `steps.c`, and copied for each run.

Reads one JSON object a line: {"folder", "argv", "at", "error"}; answers {"code", "steps", "err"},
where a code below zero is the signal that ended the run.
"""

import ctypes
import json
import os
import sys
import tempfile

# What commands load, so that it need not be loaded each time; nothing here starts a thread.
import lxml.etree
import polars
import rich.table
import sqlalchemy

from jovial_atlas.cli import run

assert polars and lxml and sqlalchemy and rich


def main(shim: str) -> None:
    steps = ctypes.CDLL(shim)
    for line in sys.stdin:
        job = json.loads(line)
        with tempfile.TemporaryFile() as err, tempfile.TemporaryFile() as told:
            child = os.fork()
            if not child:
                os.chdir(job["folder"])
                nothing = os.open(os.devnull, os.O_RDWR)
                os.dup2(nothing, 0)
                os.dup2(nothing, 1)
                os.dup2(err.fileno(), 2)
                steps.steps_begin(job["folder"].encode(), job["at"], job["error"])
                code = run(job["argv"])
                sys.stderr.flush()
                taken = steps.steps_taken()
                steps.steps_begin(b"", 0, 0)
                os.write(told.fileno(), str(taken).encode())
                os._exit(code)
            _, status = os.waitpid(child, 0)
            err.seek(0)
            told.seek(0)
            answer = {
                "code": os.waitstatus_to_exitcode(status),
                "steps": int(told.read() or 0),
                "err": err.read().decode("utf-8", "replace"),
            }
        sys.stdout.write(json.dumps(answer) + "\n")
        sys.stdout.flush()


if __name__ == "__main__":
    main(sys.argv[1])
