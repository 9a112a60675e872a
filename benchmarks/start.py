"""`jovial-atlas --help` against a bare Click program."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Callable

_BARE = """
import click

@click.group()
def main():
    "A bare program."

@main.command()
def one():
    "One command."

main()
"""


def run(pair: Callable[..., float]) -> None:
    """Whole processes, in turn."""

    def ours() -> None:
        subprocess.run(
            [sys.executable, "-m", "jovial_atlas", "--help"], check=True, capture_output=True
        )

    def bare() -> None:
        subprocess.run([sys.executable, "-c", _BARE, "--help"], check=True, capture_output=True)

    pair("--help, whole process", ours, bare, wanted="at most 2", runs=15)
