"""Checking sitemap files against the fastest there is to read them: `xmllint --stream`."""

from __future__ import annotations

import subprocess
import tempfile
from collections.abc import Callable
from pathlib import Path

from benchmarks.build import command, lay_out

_ADDRESSES = 500_000


def run(pair: Callable[..., float]) -> None:
    """Every rule on half a million addresses in ten plain files."""
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place)
        lay_out(folder, _ADDRESSES)
        with (folder / "atlas.toml").open("a") as file:
            file.write('\n[sitemap]\ncompress = "never"\n')
        command(folder, "survey", "--quiet")
        command(folder, "build", "--quiet")
        files = sorted((folder / "public").glob("sitemap-species-*.xml"))
        assert len(files) == 10
        elsewhere = folder / "elsewhere"
        (folder / "public").rename(elsewhere)

        def ours() -> float:
            return command(elsewhere, "check", str(elsewhere))

        def xmllint() -> None:
            names = [elsewhere / file.name for file in files]
            subprocess.run(["xmllint", "--noout", "--stream", *names], check=True)

        pair(f"check of {_ADDRESSES:,} addresses", ours, xmllint, wanted="at most 4", runs=3)
