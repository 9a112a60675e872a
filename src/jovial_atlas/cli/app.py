"""The group of commands, each loaded when it is asked for, so that --help starts at once."""

from __future__ import annotations

from importlib import import_module

import click

from jovial_atlas import __version__
from jovial_atlas.cli.common import ARGUMENTS, global_options, keep_global

#: Command → (module below this room, one line of help), in the order of the work.
COMMANDS = {
    "demo": ("demo", "Lay out the sample site and run the whole round on it."),
    "init": ("init", "Write a site file from a folder of built HTML."),
    "survey": ("survey", "Read the content and show what is there and what changed."),
    "pages": ("pages", "List pages with their verdicts."),
    "suggest": ("suggest", "Propose titles and descriptions; apply none."),
    "rules": ("rules", "List and change the rules, with a look at what turns."),
    "explain": ("explain", "Explain one page: its verdict, and all that is published for it."),
    "review": ("review", "Hold pages against a list of marks, with reasons."),
    "links": ("links", "Show what leads where, and what leads nowhere."),
    "history": ("history", "Show what commands changed in the settings, and why."),
    "undo": ("undo", "Take a change of the settings back."),
    "settings": ("settings", "Carry settings to another site, or set parts anew."),
    "moves": ("moves", "Show what moved or went, and where old addresses lead."),
    "preview": ("preview", "Show how pages read as search results and shared cards."),
    "videos": ("videos", "List videos, what is known of each, and what is missing."),
    "build": ("build", "Write sitemaps, robots.txt and head data."),
    "check": ("check", "Check the build, or any file, folder or address."),
    "schema": ("schema", "Look at structured data, and check it."),
    "robots": ("robots", "Try what a robots.txt does."),
    "inject": ("inject", "Write head data into built HTML pages."),
    "submit": ("submit", "Announce what changed to the engines."),
    "logs": ("logs", "Read server logs for what crawlers did."),
    "hear": ("hear", "Take what an engine exported."),
    "status": ("status", "Show what each engine was told, read and indexed."),
    "ledger": ("ledger", "Show, export or import the record of announcements."),
    "report": ("report", "Write one HTML page with figures."),
    "standin": ("standin", "Run a simulated engine."),
}


class LazyGroup(click.Group):
    """Lists its commands without importing them."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        ctx.meta[ARGUMENTS] = list(args)
        return super().parse_args(ctx, args)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in COMMANDS:
            return None
        module = import_module(f"jovial_atlas.cli.{COMMANDS[cmd_name][0]}")
        command = module.command
        assert isinstance(command, click.Command)
        return command

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in COMMANDS and not args[0].startswith("-"):
            from jovial_atlas.faults import nearest

            best = nearest(args[0], COMMANDS, 50)
            meant = f" Did you mean {best!r}?" if best else ""
            ctx.fail(f"There is no command {args[0]!r}.{meant}")
        return super().resolve_command(ctx, args)

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        with formatter.section("Commands, in the order of the work"):
            formatter.write_dl([(name, text) for name, (_, text) in COMMANDS.items()])


@click.group(
    cls=LazyGroup,
    context_settings={"help_option_names": ["-h", "--help"]},
    epilog="Try it: jovial-atlas demo",
)
@click.version_option(__version__, "--version", prog_name="jovial-atlas")
@global_options
@click.pass_context
def app(ctx: click.Context, /, **given: object) -> None:
    """Decide which pages of a web site may be found, write what search engines read,
    check it, announce it, and keep the record."""
    keep_global(ctx, given)
