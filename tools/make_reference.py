"""Writes docs/reference/ from the code: commands, site-file keys, findings, page table.

`--check` writes nothing and fails where a page is out of date.
"""

from __future__ import annotations

import inspect
import sys
from importlib import import_module
from pathlib import Path

import click

from jovial_atlas.cli.app import COMMANDS, app
from jovial_atlas.findings.finding import SEVERITIES
from jovial_atlas.findings.marks import MARKS, MarkGroup
from jovial_atlas.findings.registry import CHECKS
from jovial_atlas.pages.schema import COLUMNS
from jovial_atlas.rules import VERDICT_COLUMNS
from jovial_atlas.sitefile.model import SiteModel
from jovial_atlas.sitefile.parts import Key, Part, keys_of, parts_in

FOLDER = Path(__file__).parent.parent / "docs/reference"
MADE = "<!-- Made from the code by `make docs`; change the code, not this page. -->\n"


def commands_page() -> str:
    """Every command with its help as the terminal shows it."""
    parts = ["# Commands\n", MADE, _help(app, "jovial-atlas")]
    for name, (module, line) in COMMANDS.items():
        command = import_module(f"jovial_atlas.cli.{module}").command
        parts.append(f"## {name}\n\n{line}\n\n{_help(command, f'jovial-atlas {name}')}")
        if isinstance(command, click.Group):
            for inner, one in command.commands.items():
                parts.append(f"### {name} {inner}\n\n{_help(one, f'jovial-atlas {name} {inner}')}")
    return "\n".join(parts)


def _help(command: click.Command, path: str) -> str:
    context = click.Context(command, info_name=path, terminal_width=96, max_content_width=96,
                            help_option_names=["-h", "--help"])  # fmt: skip
    return f"```text\n{command.get_help(context)}\n```\n"


def site_file_page() -> str:
    """Every key of the site file, table by table."""
    parts = [
        "# The site file\n",
        MADE,
        "`atlas.toml` holds all that the owner decides, and no secret. `[site]` and one "
        "`[[source]]` are enough; every other key has a default.\n",
        *_tables("", SiteModel),
    ]
    return "\n".join(parts)


def _tables(path: str, model: type[Part]) -> list[str]:
    rows, deeper = [], []
    # What must be given comes first.
    for key, field in sorted(keys_of(model).items(), key=lambda one: not one[1].required):
        inner = list(parts_in(field.type))
        if inner:
            repeated = "tuple" in str(field.type)
            for one in inner:
                deeper += _tables(f"{path}.{key}{'[]' if repeated else ''}".lstrip("."), one)
        if not inner or path:
            rows.append(f"| `{key}` | {_default(field)} | {field.meaning} |")
    parts = []
    if path:
        about = inspect.cleandoc(model.__doc__ or "").splitlines()[0]
        head = "| key | default | meaning |\n|---|---|---|\n"
        parts.append(f"## `{path}`\n\n{about}\n\n{head}" + "\n".join(rows) + "\n")
    return parts + deeper


def _default(field: Key) -> str:
    if field.required:
        return "**required**"
    if isinstance(field.default, (tuple, dict)):
        return "none"
    if field.default in ("", None):
        return "none"
    return f"`{field.default!r}`".replace("'", '"')


def findings_page() -> str:
    """Every finding code, worst first."""
    parts = [
        "# Findings\n",
        MADE,
        "What `jovial-atlas check` may say: code, what is the matter, why it counts, what to do.\n",
    ]
    for severity in SEVERITIES:
        parts.append(f"## {severity}\n")
        parts += [
            f"### `{check.code}`\n\n{check.what}. {check.why}\n\n*Do:* {check.fix}\n"
            for check in CHECKS.values()
            if check.severity == severity
        ]
    return "\n".join(parts)


def marks_page() -> str:
    """Every mark of a review, by group."""
    parts = [
        "# Marks\n",
        MADE,
        "What `jovial-atlas review` measures on a page. `least` and `most` are limits that "
        "`[review]` in the site file may set, as it may weights. [Reviewing](../review.md) says "
        "how a score is made of them.\n",
    ]
    for group in MarkGroup:
        parts.append(f"## {group[0].upper()}{group[1:]}\n")
        for mark in MARKS.values():
            if mark.group == group:
                limits = "".join(f", {name} {value:g}" for name, value in mark.limits.items())
                advice = "; advice, never `short`" if mark.advice else ""
                parts.append(
                    f"### `{mark.code}`\n\n{mark.what} (weight {mark.weight:g}{limits}{advice}). "
                    f"{mark.why}\n\n*Do:* {mark.fix}\n"
                )
    return "\n".join(parts)


def table_page() -> str:
    """Columns of the page table, for conditions in rules and in `pages --where`."""
    rows = [f"| `{c.name}` | {c.type} | {c.meaning} |" for c in COLUMNS]
    decided = [f"| `{name}` | {meaning} |" for name, meaning in VERDICT_COLUMNS.items()]
    return "\n".join(
        [
            "# The page table\n",
            MADE,
            "Kept as Parquet in `.jovial-atlas/pages.parquet`: one row an address. Rules (`when`) "
            "and `pages --where` speak of these columns in SQL.\n",
            "| column | type | meaning |\n|---|---|---|",
            *rows,
            "\n## Verdicts\n",
            "Not kept but decided anew from the site file whenever they are asked for; "
            "`pages --where` knows them too, rules know `section`.\n",
            "| column | meaning |\n|---|---|",
            *decided,
            "",
        ]
    )


PAGES = {
    "commands.md": commands_page,
    "site-file.md": site_file_page,
    "findings.md": findings_page,
    "marks.md": marks_page,
    "page-table.md": table_page,
}


def main() -> None:
    """Write the pages, or check them."""
    stale = []
    for name, make in PAGES.items():
        place, text = FOLDER / name, make()
        if "--check" in sys.argv:
            if not place.exists() or place.read_text("utf-8") != text:
                stale.append(name)
        else:
            place.write_text(text, "utf-8")
    if stale:
        raise SystemExit(f"Out of date: {', '.join(stale)}. Run `make docs`.")


if __name__ == "__main__":
    main()
