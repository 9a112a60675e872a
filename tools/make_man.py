"""Writes man pages from the help of the commands, into docs/man; the wheel installs them.

`--check` writes nothing and fails where a page is out of date.
"""

from __future__ import annotations

import sys
from importlib import import_module
from pathlib import Path

import click

from jovial_atlas.cli.app import COMMANDS, EVERYDAY, STAGES, app

FOLDER = Path(__file__).parent.parent / "docs/man"
PROGRAM = "jovial-atlas"


def _text(text: str) -> str:
    """Text as roff has it: a sign at the beginning of a line, and backslashes, mean themselves."""
    text = text.replace("\\", "\\e").replace("-", "\\-").replace("`", "'")
    return "\n".join(f"\\&{line}" if line[:1] in ".'" else line for line in text.splitlines())


def _help(text: str | None) -> str:
    paragraphs = [" ".join(one.split()) for one in (text or "").split("\n\n")]
    return "\n.PP\n".join(_text(one) for one in paragraphs if one)


def _options(command: click.Command, context: click.Context) -> list[str]:
    lines = []
    for one in command.get_params(context):
        record = one.get_help_record(context) if isinstance(one, click.Option) else None
        if record:
            lines += [".TP", f"\\fB{_text(record[0])}\\fR", _text(" ".join(record[1].split()))]
    return lines


def _one(command: click.Command, path: str, heading: str) -> list[str]:
    context = click.Context(command, info_name=path, help_option_names=["-h", "--help"])
    usage = " ".join(command.collect_usage_pieces(context))
    lines = [f".{heading} {_text(path.upper() if heading == 'SH' else path)}"] if heading else []
    lines += [".PP", f"\\fB{_text(path)}\\fR {_text(usage)}", ".PP", _help(command.help)]
    lines += [".PP", "\\fIOptions\\fR", *_options(command, context)]
    if examples := getattr(command, "examples", ()):
        lines += [".PP", "\\fIExamples\\fR", ".nf"]
        lines += [f"    {_text(f'{PROGRAM} {one}')}" for one in examples]
        lines += [".fi"]
    if fails := getattr(command, "fails", ""):
        lines += [".PP", f"It ends with 1 where: {_text(fails)}."]
    return lines


def _top(name: str, line: str) -> list[str]:
    return [f'.TH "{name.upper()}" "1" "" "Jovial Atlas"', ".SH NAME",
            f"{_text(name)} \\- {_text(line)}", ".SH DESCRIPTION"]  # fmt: skip


def _end(others: list[str]) -> list[str]:
    return [
        ".SH EXIT STATUS", "0 fine; 1 findings, or something that was refused or failed; "
        "2 it could not run; 130 interrupted.",
        ".SH ENVIRONMENT", "JOVIAL_ATLAS_SITE, JOVIAL_ATLAS_QUIET, JOVIAL_ATLAS_VERBOSE, "
        "JOVIAL_ATLAS_WIDE, JOVIAL_ATLAS_PLAIN, JOVIAL_ATLAS_NO_COLOR: as the options of these "
        "names. JOVIAL_ATLAS_BY: who gives commands, for the history. NO_COLOR: no colours. "
        "PAGER: what shows results that are longer than a screen.",
        ".SH SEE ALSO", ", ".join(f"\\fB{_text(one)}\\fR(1)" for one in others), "",
    ]  # fmt: skip


def pages() -> dict[str, str]:
    """Every man page, by the name of its file."""
    made = {}
    names = [f"{PROGRAM}-{one}" for one in COMMANDS]
    whole = _top(PROGRAM, "decide which pages of a web site may be found")
    whole += _one(app, PROGRAM, "")
    for stage, commands in STAGES.items():
        whole += [f".SH {stage.upper()}"]
        for name, (_, line) in commands.items():
            daily = " Used every day." if name in EVERYDAY else ""
            whole += [".TP", f"\\fB{_text(f'{PROGRAM}-{name}')}\\fR(1)", _text(line) + daily]
    made[f"{PROGRAM}.1"] = "\n".join([*whole, *_end(names)])
    for name, (module, line) in COMMANDS.items():
        command = import_module(f"jovial_atlas.cli.{module}").command
        page = [*_top(f"{PROGRAM}-{name}", line), *_one(command, f"{PROGRAM} {name}", "")]
        if isinstance(command, click.Group):
            for inner, one in command.commands.items():
                page += _one(one, f"{PROGRAM} {name} {inner}", "SS")
        made[f"{PROGRAM}-{name}.1"] = "\n".join([*page, *_end([PROGRAM])])
    return made


def main() -> None:
    """Write the pages, or check them."""
    wanted = pages()
    there = {place.name for place in FOLDER.glob("*.1")}
    stale = [n for n, text in wanted.items()
             if n not in there or (FOLDER / n).read_text("utf-8") != text]  # fmt: skip
    stale += sorted(there - wanted.keys())
    if "--check" in sys.argv:
        if stale:
            raise SystemExit(f"Out of date: {', '.join(stale)}. Run `make docs`.")
        return
    FOLDER.mkdir(parents=True, exist_ok=True)
    for name in stale:
        if name in wanted:
            (FOLDER / name).write_text(wanted[name], "utf-8")
        else:
            (FOLDER / name).unlink()


if __name__ == "__main__":
    main()
