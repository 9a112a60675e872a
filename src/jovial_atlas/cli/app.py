"""The group of commands, each loaded when it is asked for, so that --help starts at once."""

from __future__ import annotations

from functools import partial
from importlib import import_module

import click

from jovial_atlas import __version__
from jovial_atlas.cli.common import ARGUMENTS, global_options, keep_global

#: Stage of the work → command → (module below this room, one line of help).
STAGES = {
    "Set up": {
        "demo": ("demo", "Lay out the sample site and run the whole round on it."),
        "init": ("init", "Write a site file, asking for what the content does not say."),
        "settings": ("settings", "Carry settings to another site, or set parts anew."),
        "completion": ("completion", "Complete commands and names of the site with the tab key."),
    },
    "Look": {
        "next": ("next", "Say how the site stands, and what to do next."),
        "survey": ("survey", "Read the content and show what is there and what changed."),
        "pages": ("pages", "List pages with their verdicts; edit them in a spreadsheet."),
        "explain": ("explain", "Explain one page: its verdict, and all published for it."),
        "review": ("review", "Hold pages against a list of marks, with reasons."),
        "traffic": ("traffic", "Show what people searched and clicked, and what changed."),
        "links": ("links", "Show what leads where, and what leads nowhere."),
        "videos": ("videos", "List videos, what is known of each, and what is missing."),
        "logs": ("logs", "Read server logs for what crawlers did."),
    },
    "Decide": {
        "rules": ("rules", "List and change the rules, with a look at what turns."),
        "suggest": ("suggest", "Propose titles and descriptions; apply none."),
        "moves": ("moves", "Show what moved or went, and where old addresses lead."),
        "history": ("history", "Show what commands changed in the settings, and why."),
        "undo": ("undo", "Take a change of the settings back."),
    },
    "Publish": {
        "preview": ("preview", "Show how pages read as search results and shared cards."),
        "build": ("build", "Write sitemaps, robots.txt and head data."),
        "inject": ("inject", "Write head data into built HTML pages."),
    },
    "Prove": {
        "check": ("check", "Check the build, or any page, file, folder or address."),
        "robots": ("robots", "Try what a robots.txt does."),
        "schema": ("schema", "Look at structured data, and check it."),
    },
    "Announce": {
        "submit": ("submit", "Announce what changed to the engines."),
        "hear": ("hear", "Take what an engine exported."),
        "status": ("status", "Show what each engine was told, read and indexed."),
    },
    "Keep going": {
        "tend": ("tend", "Run a round that nobody watches, or one every so often."),
        "report": ("report", "Write one HTML page with figures."),
        "ledger": ("ledger", "Show, export or import the record of announcements."),
        "standin": ("standin", "Run a simulated engine."),
    },
}
COMMANDS = {name: told for stage in STAGES.values() for name, told in stage.items()}
#: What is used every day.
EVERYDAY = ("survey", "build", "check", "submit", "status")
#: What the command does alone.
_ALONE = "next"


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
        wide = max(map(len, COMMANDS))
        for stage, commands in STAGES.items():
            with formatter.section(stage):
                formatter.write_dl(
                    [(f"{name:<{wide}} {'*' if name in EVERYDAY else ' '}", text)
                     for name, (_, text) in commands.items()]
                )  # fmt: skip
        formatter.write_paragraph()
        formatter.write_text("* what is used every day, in this order")


@click.group(
    cls=LazyGroup,
    context_settings={"help_option_names": ["-h", "--help"]},
    epilog="`jovial-atlas` alone says how the site stands and what to do next. Try all of it on a "
    "sample site: jovial-atlas demo",
    invoke_without_command=True,
)
@click.version_option(__version__, "--version", prog_name="jovial-atlas")
@partial(global_options, first=True)
@click.pass_context
def app(ctx: click.Context, /, **given: object) -> None:
    """Decide which pages of a web site may be found, write what search engines read,
    check it, announce it, and keep the record."""
    keep_global(ctx, given)
    if ctx.invoked_subcommand is None:
        command = app.get_command(ctx, _ALONE)
        assert command is not None
        with command.make_context(_ALONE, [], parent=ctx) as inner:
            command.invoke(inner)
