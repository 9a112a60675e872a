"""Commands whose help ends with examples and says what exit codes mean."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import click


class _Explained(click.Command):
    """A command whose help ends with examples, and says what its exit codes mean."""

    examples: tuple[str, ...] = ()
    #: What exit code 1 means.
    fails = ""

    def format_epilog(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Examples"):
            for example in self.examples:
                formatter.write(f"{'':>{formatter.current_indent}}jovial-atlas {example}\n")
        if not isinstance(self, click.Group):
            failed = f"1 {self.fails}; " if self.fails else ""
            with formatter.section("Exit codes"):
                formatter.write_text(f"0 fine; {failed}2 it could not run; 130 interrupted")


class ExplainedCommand(_Explained):
    """A command that explains itself."""


class ExplainedGroup(_Explained, click.Group):
    """A group of commands that explains itself."""


def command_group(
    name: str, *, examples: tuple[str, ...], cls: type[ExplainedGroup] = ExplainedGroup
) -> Callable[[Callable[..., Any]], ExplainedGroup]:
    """A group of commands whose help has the examples."""

    def decorate(function: Callable[..., Any]) -> ExplainedGroup:
        made = click.group(name, cls)(function)
        made.examples = examples
        return made

    return decorate


class OverviewFirst(ExplainedGroup):
    """A group of commands that alone is one of them, `first`."""

    first = "overview"

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        first = args[0] if args else ""
        if not {"--help", "-h"} & set(args) and (not first or first.startswith("-")):
            args = [self.first, *args]
        return super().parse_args(ctx, args)
