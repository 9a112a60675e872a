"""A server's log counted for two crawlers, against taking every line of it apart."""

from __future__ import annotations

import os
import re
import resource
import tempfile
from collections.abc import Callable
from pathlib import Path

from jovial_atlas.logs.tally import count

_LINES = 5_000_000 if os.environ.get("BENCH_FULL") else 2_000_000
_BOTS = ("lanternbot", "quillseek")
_PLAIN = re.compile(
    rb'^(\S+) \S+ \S+ \[([^\]]+)\] "(\S+) (\S+)[^"]*" (\d+) (\S+) "[^"]*" "([^"]*)"', re.M
)


def run(pair: Callable[..., float]) -> None:
    """One line in ten is a crawler's, which is more than most servers see."""
    people = "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/130.0"
    with tempfile.TemporaryDirectory() as name:
        place = Path(name) / "access.log"
        with place.open("wb") as stream:
            for start in range(0, _LINES, 100_000):
                stream.write("".join(
                    f'192.0.2.{n % 250} - - [23/Nov/2026:10:{n // 60 % 60:02}:{n % 60:02} +0000] '
                    f'"GET /species/entry-{n % 40_000}/ HTTP/1.1" 200 5120 "-" '
                    f'"{"Lanternbot/2.1 (+http://lantern.example)" if n % 10 == 0 else people}"\n'
                    for n in range(start, start + 100_000)
                ).encode())  # fmt: skip
        size = place.stat().st_size

        def ours() -> None:
            with place.open("rb") as stream:
                assert count([stream], _BOTS).lines == _LINES

        def plain() -> None:
            """What a script does: every line taken apart."""
            seen: dict[bytes, bytes] = {}
            with place.open("rb") as stream:
                for line in stream:
                    match = _PLAIN.match(line)
                    if match and b"bot" in match[7].lower():
                        seen[match[4]] = match[2]

        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        ratio = pair(f"{_LINES:,} log lines, {size / 1e9:.1f} GB", ours, plain, wanted="-", runs=3)
        grown = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before
        print(f"  ratio {ratio:.2f}; memory grew by {grown / 1024:,.0f} MiB")
