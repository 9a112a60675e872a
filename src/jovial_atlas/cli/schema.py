"""`schema`: structured data, looked at and checked."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from jovial_atlas.cli.common import FORMATS, TABLE_FORMATS, Work, atlas_command
from jovial_atlas.cli.explained import command_group
from jovial_atlas.cli.findings import SEVERITIES, fail_on_option, show_findings
from jovial_atlas.cli.names import PAGE_NAME
from jovial_atlas.values import asdict

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.rounds.proving.structured_data import ShownData


@command_group("schema", examples=("schema show /events/owl-walk/", "schema table"))
def command() -> None:
    """Look at the structured data of pages and check it: against the vocabulary of schema.org, what
    rich results ask for, and what the pages themselves show."""


@atlas_command(
    "show",
    state="reads",
    formats=FORMATS,
    examples=("schema show / --to home.png", "schema show /events/owl-walk/ --format json"),
)
@click.argument("url", type=PAGE_NAME)
@click.option("--to", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE",
              help="Draw the graph, as a picture (.png or .svg).")  # fmt: skip
def show(work: Work, url: str, to: Path | None) -> int:
    """Show the graph of the page at URL (its address, or its path from '/' on) as a tree, with
    where each value comes from and what is wrong with it."""
    from jovial_atlas.rounds.proving.graph_picture import draw
    from jovial_atlas.rounds.proving.structured_data import show as look
    from jovial_atlas.rounds.state.last_survey import last_survey

    site, out = work.site(), work.output
    shown = look(url, last_survey(site, work.now()))
    if to:
        draw(shown, to)
        out.note(f"The graph of {shown.loc} is drawn on {to}.")
        return 0
    if out.format == "json":
        graph = shown.graph
        out.json(
            {
                "loc": shown.loc,
                "graph": graph.nodes,
                "left_out": graph.left_out,
                "issues": [asdict(one) for one in graph.issues],
                "from": graph.origins,
                "beside": [{"syntax": syntax, "node": node} for syntax, node in shown.beside],
            }
        )
    else:
        _tree(out, shown)
    return 0


def _tree(out: Output, shown: ShownData) -> None:
    graph = shown.graph
    out.say(shown.loc, style="bold")
    issues: dict[tuple[int, str], list[str]] = {}
    for one in graph.issues:
        if one.code != "data-recommended":
            issues.setdefault((one.node, one.path), []).append(one.message)
    # What all pages share comes last.
    for number, node in sorted(
        enumerate(graph.all_nodes), key=lambda numbered: graph.is_shared(numbered[1])
    ):
        gone = number >= len(graph.nodes)
        origins = graph.origins.get(str(node.get("@id", "")), {})
        head = f"{_kind(node)}{'  not published' if gone else ''}"
        out.say()
        out.say(head, style="bold yellow" if gone else "bold cyan")
        if "@id" in node:
            out.indented("@id", str(node["@id"]), text_style="dim")
        for message in issues.get((number, ""), []):
            out.indented("", message, text_style="yellow")
        lines = [(key, value) for key, value in node.items() if not key.startswith("@")]
        _branch(out, lines, "", "", origins, issues, number)
        lacking = [issue.lacking for issue in graph.issues
                   if issue.node == number and issue.code == "data-recommended"]  # fmt: skip
        if lacking and "WebPage" not in _kind(node):
            out.indented("recommended too:", ", ".join(lacking))
    for syntax, node in shown.beside:
        out.say()
        out.say(f"{_kind(node)}, in the page as {syntax}", style="bold")
        lines = [(key, value) for key, value in node.items() if not key.startswith("@")]
        _branch(out, lines, "", "", {}, {}, -1)


def _kind(node: dict[str, Any]) -> str:
    given = node.get("@type", "node")
    return " and ".join(given) if isinstance(given, list) else str(given)


def _branch(
    out: Output,
    lines: list[tuple[str, Any]],
    before: str,
    path: str,
    origins: dict[str, str],
    issues: dict[tuple[int, str], list[str]],
    number: int,
) -> None:
    for file, (key, value) in enumerate(lines):
        last = file == len(lines) - 1
        sign, below = ("└─ ", "   ") if last else ("├─ ", "│  ")
        at = f"{path}{key}" if key.startswith("[") else f"{path}.{key}" if path else key
        node_issues = issues.get((number, at), [])
        origin = f"  ({origins[at]})" if origins.get(at) else ""
        if isinstance(value, list):
            inner = [(f"[{n}]", one) for n, one in enumerate(value)]
            if all(isinstance(one, str) for one in value) and not any(
                (number, f"{at}{name}") in issues for name, _ in inner
            ):
                out.branch(f"{before}{sign}", key, ", ".join(value), origin)
            else:
                out.branch(f"{before}{sign}", key, "", origin)
                _branch(out, inner, f"{before}{below}", at, origins, issues, number)
        elif isinstance(value, dict) and set(value) != {"@id"}:
            out.branch(f"{before}{sign}", key, _kind(value), origin)
            inner = [(name, one) for name, one in value.items() if not name.startswith("@")]
            _branch(out, inner, f"{before}{below}", at, origins, issues, number)
        else:
            said = f"→ {value['@id']}" if isinstance(value, dict) else str(value)
            out.branch(f"{before}{sign}", key, said, origin)
        for message in node_issues:
            out.branch(f"{before}{below}", "", message, "", warn=True)


@atlas_command(
    "check",
    fails="findings at or above --fail-on",
    state="reads",
    formats=FORMATS,
    examples=("schema check page.html", "schema check https://www.marrowfen.example/"),
)
@click.argument("targets", type=PAGE_NAME, nargs=-1, metavar="[TARGET]…")
@fail_on_option
@click.option("--all", "show_all", is_flag=True, help="Show every finding, not the first of each.")
def check(work: Work, targets: tuple[str, ...], fail_on: str, show_all: bool) -> int:
    """Check the structured data of the site's pages; or of any page, JSON-LD file, folder or
    address, whoever made it: JSON-LD, microdata and RDFa."""
    from jovial_atlas.findings.finding import at_or_above, counts, findings_of
    from jovial_atlas.rounds.proving.structured_data import check_target, data_faults
    from jovial_atlas.rounds.state.last_survey import last_survey
    from jovial_atlas.web import new_client

    out = work.output
    looked_at: list[str] = []
    faults = []
    if targets:
        site = work.site_if_any()
        with new_client(20) as client:
            for target in targets:
                read = check_target(target, client, site)
                faults += read.faults
                looked_at += read.looked_at
    else:
        site = work.site()
        survey = last_survey(site, work.now())
        faults += [one for one in survey.faults if one.code in ("json-ld-broken", "data-context")]
        faults += data_faults(survey, site)
        looked_at.append(site.model.site.url)
    findings = findings_of(faults)
    findings.sort(key=lambda finding: SEVERITIES.index(finding.severity))
    if out.format == "json":
        out.json({"findings": [asdict(one) for one in findings], "counts": counts(findings)})
    else:
        show_findings(out, findings, looked_at, show_all)
    return 1 if at_or_above(findings, fail_on) else 0


@atlas_command(
    "table",
    state="reads",
    formats=TABLE_FORMATS,
    examples=("schema table", "schema table --format csv"),
)
def table(work: Work) -> int:
    """Show the types of the site's pages: how many, how many complete, and what is missing most."""
    from jovial_atlas.faults import plural
    from jovial_atlas.rounds.proving.structured_data import by_type
    from jovial_atlas.rounds.state.last_survey import last_survey

    site, out = work.site(), work.output
    types = by_type(last_survey(site, work.now()), site)
    names = ("type", "pages", "complete", "not_published", "missing")
    rows: list[dict[str, Any]] = [
        {"type": one.kind, "pages": one.pages, "complete": one.complete,
         "not_published": one.left_out, "missing": dict(one.missing.most_common())}
        for one in types
    ]  # fmt: skip
    if out.format == "json":
        out.json({"types": rows})
        return 0
    flat = [[r["type"], r["pages"], r["complete"], r["not_published"], _missing(r["missing"])]
            for r in rows]  # fmt: skip
    if out.format == "csv":
        out.csv(names, flat)
        return 0
    out.table(
        ["Type", "Nodes: right", "Complete: right", "Not published: right 1",
         "Missing most: fold"],
        flat,
    )  # fmt: skip
    out.say(f"{plural(len(rows), 'type')} on {site.model.site.url}.")
    return 0


def _missing(found: dict[str, int], most: int = 5) -> str:
    return ", ".join(f"{name} ({count:,})" for name, count in list(found.items())[:most])


@atlas_command("organisation", state="reads", formats=TABLE_FORMATS,
               examples=("schema organisation", "schema organisation --format json"))  # fmt: skip
def organisation(work: Work) -> int:
    """Show in which ways name, address, telephone and profiles of the organisation are written: in
    the site file, and in data and text of every page."""
    from jovial_atlas.rounds.proving.organisation import truth
    from jovial_atlas.rounds.state.last_survey import last_survey

    site, out = work.site(), work.output
    spellings = truth(last_survey(site, work.now()))
    names = ("field", "said", "official", "count", "where")
    if out.format == "json":
        out.json({"spellings": [asdict(one) for one in spellings]})
    elif out.format == "csv":
        out.csv(names, [[one.field, one.said, one.official, one.count, " ".join(one.where)]
                        for one in spellings])  # fmt: skip
    elif spellings:
        out.table(
            ["What", "Written: fold", "Places: right", "First of them: fold 1"],
            [
                [one.field, f"{one.said}{'  (site file)' if one.official else ''}", one.count,
                 ", ".join(one.where)]
                for one in spellings
            ],
        )  # fmt: skip
        out.say("Write each as the site file does; `jovial-atlas schema sheet` prints it.")
    else:
        out.say("Every fact is written in one way.")
    return 0


@atlas_command(
    "sheet",
    state="reads",
    formats=FORMATS,
    examples=("schema sheet", "schema sheet --format json"),
)
def sheet(work: Work) -> int:
    """Print name, address, telephone, opening hours and profiles exactly as to paste elsewhere."""
    from jovial_atlas.rounds.proving.organisation import sheet as made

    out = work.output
    sheet_lines = made(work.site())
    if out.format == "json":
        out.json({"sheet": [{"name": name, "lines": [{"field": field, "text": text}
                  for field, text in lines]} for name, lines in sheet_lines]})  # fmt: skip
        return 0
    for name, lines in sheet_lines:
        out.say(name, style="bold")
        width = max((len(field) for field, _ in lines), default=0)
        for field, text in lines:
            out.indented(f"{field:{width}}", text)
        out.say()
    return 0


for one in (show, check, table, organisation, sheet):
    command.add_command(one)
