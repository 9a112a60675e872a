"""The house keeps its own rules: help, reference, registry, lazy starts."""

import ast
import doctest
import re
import shlex
import subprocess
import sys
from importlib import import_module
from pathlib import Path
from typing import get_args

import click
import pytest
from msgspec import structs

from jovial_atlas.cli.app import COMMANDS
from jovial_atlas.cli.findings import SEVERITIES as OPTION_SEVERITIES
from jovial_atlas.engines import channels
from jovial_atlas.findings.entry import Severity
from jovial_atlas.findings.finding import SEVERITIES
from jovial_atlas.findings.marks import MARKS
from jovial_atlas.findings.registry import CHECKS
from jovial_atlas.pages import EXTRA, page, row
from jovial_atlas.sitefile import PackageChannel, Source, read_site_file
from jovial_atlas.sitefile.engines import CALLS, Channel
from jovial_atlas.sources.kinds import SOURCE_KINDS
from tests.conftest import run_command

ROOT = Path(__file__).parent.parent
SOURCES = sorted((ROOT / "src/jovial_atlas").rglob("*.py"))


def commands():
    for name, (module, _) in COMMANDS.items():
        command = import_module(f"jovial_atlas.cli.{module}").command
        yield name, command
        if isinstance(command, click.Group):
            yield from ((f"{name} {inner}", one) for inner, one in command.commands.items())


@pytest.mark.parametrize(("name", "command"), list(commands()))
def test_every_command_explains_itself_with_an_example(name, command):
    assert command.help
    assert len(set(command.examples)) == 2
    for example in command.examples:
        # What it shows is a command that there is, with options that it has.
        words = shlex.split(example)
        assert words[: name.count(" ") + 1] == name.split(), example
        context = click.Context(command, info_name=name)
        given = command.make_parser(context).parse_args(words[name.count(" ") + 1 :])
        if isinstance(command, click.Group) and given[1]:
            assert given[1][0] in command.commands, example
    for option in command.params:
        assert isinstance(option, click.Argument) or option.help, option.name


def test_the_one_line_of_help_and_the_reference_are_up_to_date(tmp_path):
    for tool in ("tools/make_reference.py", "tools/make_man.py"):
        done = subprocess.run(
            [sys.executable, tool, "--check"], cwd=ROOT, capture_output=True, text=True, check=False
        )
        assert done.returncode == 0, done.stdout + done.stderr


def test_every_code_that_is_emitted_is_in_the_registry_and_the_other_way():
    text = "\n".join(path.read_text() for path in SOURCES if not path.name.startswith("registry"))
    prefixes = {code.partition("-")[0] for code in CHECKS}
    one_of = "|".join(sorted(prefixes))
    quoted = set(re.findall(rf'"((?:{one_of})(?:-[a-z0-9]+)+)"', text))
    built = {
        f"{name}-{kind}"
        for name in ("title", "description")
        for kind in ("missing", "duplicate", "long", "short")
    }
    other_names = {"sitemap-video", "json-ld", "crawl-delay", "data-src", "data-url", "video-link",
                   "video-url"}  # fmt: skip
    assert quoted | built >= set(CHECKS)
    assert quoted - set(CHECKS) - set(MARKS) - other_names == set()
    assert set(MARKS).isdisjoint(CHECKS), "a code means one thing"
    judged = set(re.findall(r'"([a-z]+(?:-[a-z]+)+)"', "\n".join(
        text for name, text in MODULES.items() if name.startswith("review/judging"))))  # fmt: skip
    assert set(MARKS) <= judged | {"opening"}
    assert all(
        check.severity in SEVERITIES and check.fix.endswith(".") for check in CHECKS.values()
    )


@pytest.mark.parametrize(
    ("what", "loaded"),
    [
        ("from jovial_atlas.cli import run; run(['--help'])", []),
        ("from jovial_atlas.sources.html_page import page; "
         "from jovial_atlas.sources.workers import worker; worker.prepare()", []),
        ("from jovial_atlas.rounds.reading import unchanged", []),
        ("from jovial_atlas.rounds.reading import begun", []),
        ("from jovial_atlas.rounds.reading import survey", ["polars"]),
        ("from jovial_atlas.rounds.proving import check", ["polars", "lxml"]),
        ("from jovial_atlas.rounds.publishing.build import run", ["polars", "lxml"]),
        ("from jovial_atlas.engines import channels", []),
    ],
)
def test_what_starts_often_loads_nothing_heavy(what, loaded):
    code = (
        f"import sys; {what}; "
        "print([m for m in ('polars', 'rich', 'httpx', 'sqlalchemy', 'lxml') "
        "if m in sys.modules], file=sys.stderr)"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stderr.strip() == str(loaded)


def test_version_and_help_answer(tmp_path):
    assert re.match(
        r"jovial-atlas, version \d+\.\d+\.\d+", run_command("--version", cwd=tmp_path).out
    )
    ran = run_command("--help", cwd=tmp_path)
    assert [name for name in COMMANDS if f"\n  {name}" not in ran.out] == []


def test_the_site_file_of_the_guide_is_a_good_one(tmp_path):
    guide = (ROOT / "docs/guide.md").read_text()
    blocks = re.findall(r"```toml\n(.*?)```", guide, re.S)
    whole = next(block for block in blocks if "[site]" in block)
    (tmp_path / "atlas.toml").write_text(whole)
    read_site_file(tmp_path / "atlas.toml")


def test_no_module_below_the_command_line_prints_or_reads_the_environment():
    for path in SOURCES:
        if "/cli/" in path.as_posix():
            continue
        text = path.read_text()
        assert not re.search(r"^\s*print\(|os\.environ|sys\.exit\(|getenv\(", text, re.M), path


#: Functions that may be longer than fifty lines, with the reason.
LONG = {"upgrade": "a table of the first schema, which never changes"}
#: Modules below the command line whose functions import what starts slowly, or what a command may
#: not need; where it is for anything else, the import belongs to the top.
LATE = {
    "addresses", "checks/texts", "checks/videos", "dates", "dates_in_text", "engines/asking", "engines/channels/indexnow", "engines/exports", "faults",
    "files/packed", "foreign", "languages", "linking/graph", "linking/likeness", "head/lengths", "head/texts", "installed", "ledger/store", "markup/inject", "media/pictures", "moves/finding", "pages/page",
    "report/drawing", "report/graph", "report/links", "report/trends", "rounds/proving/check", "rounds/publishing/build/companions",
    "rounds/publishing/build/run", "rounds/publishing/patterns", "rounds/publishing/preview",
    "rounds/reading/feeds", "rounds/reading/layout", "rounds/reading/survey", "rounds/reading/video_files", "rounds/state/last_survey", "rounds/telling/events", "rounds/telling/logs", "sitefile/deciding", "sitefile/model", "sitefile/move_table",
    "sitefile/publisher", "sitemaps/packing", "sources/html_page/fulltext", "sources/kinds",
    "sources/records/arrow_rows", "sources/records/feed", "sources/records/sql", "sources/workers/cluster", "structured/agree", "structured/vocabulary", "trends/changes", "trends/curve", "trends/drops",
    "trends/waiting", "web/__init__", "words", "workbooks/reading", "workbooks/writing",
}  # fmt: skip
MODULES = {
    place.relative_to(ROOT / "src/jovial_atlas").with_suffix("").as_posix(): place.read_text()
    for place in sorted((ROOT / "src/jovial_atlas").rglob("*.py"))
}
FUNCTIONS = [
    (name, node)
    for name, text in MODULES.items()
    for node in ast.walk(ast.parse(text))
    if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef)
]


def test_functions_and_modules_are_short():
    long = [
        f"{name}.{node.name}"
        for name, node in FUNCTIONS
        if node.end_lineno - node.lineno >= 50 and node.name not in LONG
    ]
    assert long == []
    assert [name for name, text in MODULES.items() if text.count("\n") > 400] == []
    wide = [name for name, node in FUNCTIONS if len(node.args.args + node.args.kwonlyargs) > 13]
    assert wide == [], "a command has at most twelve options, beside what it works with"


def test_imports_stand_at_the_top_but_for_what_starts_slowly():
    late = {
        name
        for name, node in FUNCTIONS
        for inner in ast.walk(node)
        if isinstance(inner, ast.Import | ast.ImportFrom)
    }
    below = {name for name in late if not name.startswith(("cli/", "demo/"))}
    assert below == LATE


def test_every_kind_of_source_and_channel_of_the_site_file_is_known_to_its_room():
    assert set(get_args(Source)) == SOURCE_KINDS
    assert {*channels.CHANNEL_KINDS, PackageChannel} == set(get_args(Channel))
    names = [name for kind in channels.CHANNEL_KINDS.values() for name in kind.names]
    assert len(names) == len(set(names)), "the ledger tells channels apart by these"
    sending = {name for name in CALLS if not name.startswith("read-")}
    assert sending <= set(names), "each call that announces is kept under a name of its own"


def test_the_examples_of_the_library_are_true():
    failed, tried = doctest.testfile(str(ROOT / "docs/library.md"), module_relative=False)
    assert (failed, tried > 20) == (0, True)


def test_rows_of_sources_have_the_fields_of_the_page_table():
    fields = {field.encode_name for field in structs.fields(page.SurveyedPage)}
    assert set(row.PageRow.__annotations__) == {*fields, EXTRA}
    for part in (page.Image, page.Video, page.Media, page.Alternate, page.CrawlerWords, page.Merged):
        there = getattr(row, f"{part.__name__}Row").__annotations__
        assert list(there) == [field.encode_name for field in structs.fields(part)]


def test_a_public_name_means_one_thing():
    places: dict[str, set[str]] = {}
    for name, text in MODULES.items():
        if "migrations" in name:
            continue
        for node in ast.parse(text).body:
            targets = getattr(node, "targets", [])
            targets = [node.target] if isinstance(node, ast.AnnAssign) else targets
            found = [node.name] if isinstance(node, ast.ClassDef) else [
                target.id for target in targets if isinstance(target, ast.Name)
            ]  # fmt: skip
            for one in found:
                if not one.startswith("_"):
                    places.setdefault(one, set()).add(name)
    twice = {name: where for name, where in places.items() if len(where) > 1}
    # The command line knows the words without loading what looks for them.
    assert twice == {"SEVERITIES": {"cli/findings", "findings/finding"}}
    assert tuple(Severity) == SEVERITIES == OPTION_SEVERITIES


def _public(body):
    for node in body:
        if not getattr(node, "name", "_").startswith("_"):
            yield from _public(node.body) if isinstance(node, ast.ClassDef) else [node]


def test_public_functions_say_what_they_raise():
    silent = [
        f"{name}: {node.name}"
        for name, text in MODULES.items()
        if not name.startswith("cli/") and "migrations" not in name
        for node in _public(ast.parse(text).body)
        if any(isinstance(one, ast.Raise) and one.exc is not None for one in ast.walk(node))
        and "aise" not in (ast.get_docstring(node) or "")
    ]
    assert silent == [], "a caller reads the docstring, not the body"


def _imports(node, names):
    """The modules that a module imports, in functions too, but for those that only types need."""
    for child in ast.iter_child_nodes(node):
        if isinstance(child, ast.If) and "TYPE_CHECKING" in ast.unparse(child.test):
            continue
        if isinstance(child, ast.ImportFrom) and child.module:
            for alias in child.names:
                whole = f"{child.module}.{alias.name}"
                yield whole if whole in names else child.module
        yield from _imports(child, names)


def test_no_module_imports_itself_in_the_end():
    dotted = {
        f"jovial_atlas/{name}".removesuffix("/__init__").replace("/", "."): text
        for name, text in MODULES.items()
    }
    graph = {
        name: {one for one in _imports(ast.parse(text), dotted) if one in dotted and one != name}
        for name, text in dotted.items()
    }
    # Who imports nothing that is left can be in no circle.
    while free := [name for name, needs in graph.items() if not needs & graph.keys()]:
        for name in free:
            del graph[name]
    assert not graph, "a part of these imports itself by way of the others"
