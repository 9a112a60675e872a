"""Two workers of a Dask cluster on this machine against two forked workers, on small pages."""

from __future__ import annotations

import shutil
import socket
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

from benchmarks.build import command

_PAGES = 20_000
_PAGE = (
    "<!doctype html><html lang=en><head><title>Species {0} of the marsh</title>"
    "<meta name=description content='What is known of species {0}'></head>"
    "<body><nav><a href=/>Home</a></nav><main><h1>Species {0}</h1>{1}</main></body></html>"
)
_PART = "<p>Paragraph {1} of species {0} says <a href=/{1}/{0}>something</a> about it.</p>"


def run(pair: Callable[..., float]) -> None:
    """Whole processes, in turn; the cluster is started before."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        for number in range(_PAGES):
            page = folder / f"public/{number // 500}/{number}.html"
            page.parent.mkdir(parents=True, exist_ok=True)
            parts = "".join(_PART.format(number, part) for part in range(15))
            page.write_text(_PAGE.format(number, parts))
        (folder / "atlas.toml").write_text(
            '[site]\nurl = "https://www.marrowfen.example"\n\n'
            '[[source]]\nkind = "html"\npath = "public"\n'
        )
        address, running = _started(folder)
        try:
            pair(
                f"survey of {_PAGES:,} small pages on a cluster",
                lambda: command(folder, "survey", "--full", "--quiet", "--cluster", address),
                lambda: command(folder, "survey", "--full", "--quiet", "--workers", "2"),
                wanted="at most 1.2", runs=3,
                ready=lambda: shutil.rmtree(folder / ".jovial-atlas", ignore_errors=True),
            )  # fmt: skip
        finally:
            for one in running:
                one.terminate()
                one.wait()


def _started(folder: Path) -> tuple[str, list[subprocess.Popen[bytes]]]:
    """A scheduler and two workers."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    address = f"tcp://127.0.0.1:{port}"
    dask = [sys.executable, "-m", "dask"]
    commands = [[*dask, "scheduler", "--host", "127.0.0.1", "--port", str(port), "--no-dashboard"]]
    commands += [[*dask, "worker", address, "--nthreads", "1", "--no-dashboard"]] * 2
    quiet = subprocess.DEVNULL
    running = []
    for one in commands:
        running.append(subprocess.Popen(one, cwd=folder, stdout=quiet, stderr=quiet))
        time.sleep(3)
    return address, running
