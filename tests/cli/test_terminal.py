"""What terminals get: tables that fit, results page by page, names completed, and the command alone."""

import fcntl
import os
import pty
import re
import struct
import termios

import pytest
from hypothesis import given
from hypothesis import strategies as st
from rich.text import Text

from jovial_atlas.cli.file_links import FileLinks
from jovial_atlas.cli.layout import in_the_middle, lay_out_table, table_columns
from tests.conftest import COMMAND, page, run_command, write_site

NUMBERS = table_columns("Page: address", "Section: left 2", "Count: right", "Why: fold 1")


def in_terminal(*arguments, cwd, width=80, height=40, env=None, keys=b""):
    """What a terminal of this size shows, without its colours."""
    child, terminal = pty.fork()
    if not child:
        fcntl.ioctl(0, termios.TIOCSWINSZ, struct.pack("HHHH", height, width, 0, 0))
        os.chdir(cwd)
        kept = {name: value for name, value in os.environ.items() if name not in ("COLUMNS", "LINES", "NO_COLOR", "TERM_PROGRAM", "VTE_VERSION")}
        os.execvpe(COMMAND, [COMMAND, *arguments], kept | {"TERM": "xterm", "PAGER": "cat"} | (env or {}))
    os.write(terminal, keys)
    pieces = []
    while True:
        try:
            piece = os.read(terminal, 65_536)
        except OSError:
            break
        if not piece:
            break
        pieces.append(piece)
    os.waitpid(child, 0)
    os.close(terminal)
    text = b"".join(pieces).decode()
    assert "Traceback" not in text, text
    return re.sub(r"\x1b\[[0-9;?]*[A-Za-z]", "", text).replace("\r\n", "\n")


@pytest.mark.parametrize(
    ("width", "shown", "left_out"),
    [(120, [0, 1, 2, 3], []), (64, [0, 2, 3], [1]), (40, [0, 2], [1, 3]), (34, [0, 2], [1, 3]), (20, None, None)],
)
def test_columns_leave_in_the_order_that_is_stated_and_numbers_stay(width, shown, left_out):
    layout = lay_out_table(NUMBERS, [60, 17, 6, 40], width)
    if shown is None:
        assert layout is None, "rows are told line by line"
        return
    assert (list(layout.widths), layout.left_out) == (shown, left_out)
    assert layout.widths[2] >= 6
    assert sum(layout.widths.values()) + 2 * (len(shown) - 1) + 2 <= width


@given(st.lists(st.integers(0, 300), min_size=4, max_size=4), st.integers(30, 400))
def test_no_table_is_wider_than_the_terminal_or_than_it_must_be(wide, width):
    layout = lay_out_table(NUMBERS, wide, width)
    if layout:
        total = sum(layout.widths.values()) + 2 * (len(layout.widths) - 1) + 2
        assert total <= width
        assert all(layout.widths[n] <= max(wide[n], len(NUMBERS[n].heading)) for n in layout.widths)
        spare = width - total
        assert not spare or all(layout.widths[n] >= wide[n] for n in layout.widths)


@given(st.text(max_size=60), st.integers(3, 40))
def test_an_address_keeps_its_beginning_and_its_end(text, width):
    short = in_the_middle(text, width)
    assert len(short) == min(len(text), width)
    if len(text) > width:
        first, last = short.split("…", 1) if "…" not in text else (short[:1], short[-1:])
        assert text.startswith(first) and text.endswith(last)


@pytest.fixture(scope="module")
def long_site(tmp_path_factory):
    folder = tmp_path_factory.mktemp("long")
    name = "a-note-on-the-water-levels-of-the-northern-ditches"
    pages = {f"field-notes/2026/{name}-{n}/index.html": page(f"Water levels {n} in the ditches") for n in range(60)}
    write_site(folder, pages, '[[section]]\nname = "field-notes"\nmatch = "/field-notes/**"\n')
    for command in ("survey", "build"):
        assert run_command(command, cwd=folder).code == 0
    return folder


@pytest.mark.parametrize("width", [60, 80])
def test_tables_fit_narrow_terminals_and_say_what_is_left_out(long_site, width):
    text = in_terminal("pages", cwd=long_site, width=width)
    assert max(map(len, text.splitlines())) <= width
    assert text.count("listed") >= 60 and "…" in text and ("Not shown, since the terminal is narrow: " in text) == (width == 60)
    assert re.search(r"\S…\S*ditches-17/", text), "the end of an address is seen"
    files = in_terminal("build", "--dry-run", cwd=long_site, width=width)
    assert max(map(len, files.splitlines())) <= width and " 60 " in files


def test_nothing_is_cut_in_a_pipe_or_where_all_is_wanted(long_site):
    whole = "/field-notes/2026/a-note-on-the-water-levels-of-the-northern-ditches-17/"
    piped = run_command("pages", cwd=long_site).out
    assert re.search(rf"^ {re.escape(whole)} +field-notes +listed +Water levels 17 in the ditches +20", piped, re.M)
    assert whole in in_terminal("pages", "--wide", cwd=long_site)
    plain = run_command("--plain", "pages", "--limit", "1", cwd=long_site).out
    assert plain.splitlines()[:3] == [
        "Page: /field-notes/2026/a-note-on-the-water-levels-of-the-northern-ditches-0/",
        "Section: field-notes", "Verdict: listed",
    ]  # fmt: skip
    assert plain == run_command("pages", "--limit", "1", cwd=long_site, env={"JOVIAL_ATLAS_PLAIN": "1"}).out


def test_what_is_longer_than_a_screen_is_shown_by_the_pager(long_site):
    paged = {"PAGER": "sed -e s/^/|/"}
    assert "|" in in_terminal("pages", cwd=long_site, env=paged)
    short = in_terminal("pages", "--limit", "2", cwd=long_site, env=paged)
    assert "|" not in short and "58 more not shown" in short


@pytest.mark.parametrize(
    ("typed", "wanted"),
    [
        ("jovial-atlas pages --section f", "field-notes"),
        ("jovial-atlas rules policy empty_listings no", "noindex"),
        ("jovial-atlas explain /field-notes/2026/a-note-on-the-water-levels-of-the-northern-ditches-58", "-58/"),
        ("jovial-atlas check --only robots-b", "robots-"),
        ("jovial-atlas mo", "moves"),
    ],
)
def test_the_tab_key_completes_names_of_the_site(long_site, typed, wanted):
    env = {"_JOVIAL_ATLAS_COMPLETE": "bash_complete", "COMP_WORDS": typed, "COMP_CWORD": str(typed.count(" "))}
    lines = run_command(cwd=long_site, env=env, fresh=True).out.splitlines()
    assert lines and all(line.startswith("plain,") for line in lines) and wanted in lines[0]


def test_completing_says_nothing_where_there_is_nothing_to_offer(tmp_path):
    (tmp_path / "atlas.toml").write_text("not toml")
    typed = "jovial-atlas pages --section f"
    env = {"_JOVIAL_ATLAS_COMPLETE": "bash_complete", "COMP_WORDS": typed, "COMP_CWORD": "3"}
    ran = run_command(cwd=tmp_path, env=env, fresh=True)
    assert (ran.out.strip(), ran.err) == ("", "")


@pytest.mark.parametrize("shell", ["bash", "zsh", "fish"])
def test_completion_is_put_where_the_shell_looks_and_taken_away(tmp_path, shell):
    env = {"HOME": str(tmp_path), "XDG_DATA_HOME": "", "XDG_CONFIG_HOME": "", "SHELL": f"/bin/{shell}"}
    said = run_command("completion", "install", cwd=tmp_path, env=env).out
    place = next(one for one in tmp_path.rglob("*jovial-atlas*") if one.is_file())
    assert str(place) in said and "_JOVIAL_ATLAS_COMPLETE" in place.read_text()
    assert run_command("completion", "show", cwd=tmp_path, env=env).out == place.read_text()
    run_command("completion", "remove", cwd=tmp_path, env=env)
    assert not place.exists()
    unknown = run_command("completion", "install", cwd=tmp_path, env=env | {"SHELL": "/bin/ksh"})
    assert unknown.code == 2 and "bash, zsh, fish" in unknown.err


def test_the_command_alone_says_how_the_site_stands_and_what_to_do(tmp_path):
    begin = run_command(cwd=tmp_path)
    assert begin.code == 0 and "jovial-atlas init" in begin.out and "no site file" in begin.out
    write_site(tmp_path, {"index.html": page("Home", '<a href="/a/">a</a>'), "a/index.html": page("A")})
    steps = []
    for _ in range(4):
        standing = run_command("next", "--format", "json", cwd=tmp_path).json
        command = standing["steps"][0]["command"] if standing["steps"] else "nothing"
        steps.append(command)
        if command not in ("survey", "build", "inject"):
            break
        assert run_command(command, cwd=tmp_path).code == 0
    assert len(steps) == 4 and steps[:3] == ["survey", "build", "inject"], standing
    place = tmp_path / "public/a/index.html"
    place.write_text(place.read_text().replace("Some words", "Other words"))
    assert run_command("next", "--format", "json", cwd=tmp_path).json["steps"][0]["command"] == "survey"
    alone = in_terminal(cwd=tmp_path, width=60)
    assert "1. survey" in alone and len(alone.splitlines()) <= 14
    (tmp_path / "atlas.toml").write_text((tmp_path / "atlas.toml").read_text().replace('"live"', '"draft"'))
    assert "It is a draft" in run_command(cwd=tmp_path).out


def test_what_cannot_run_is_said_in_whole_words(tmp_path):
    text = in_terminal("survey", cwd=tmp_path, width=60)
    assert text.startswith("jovial-atlas: ") and max(map(len, text.splitlines())) <= 60
    assert "Run `jovial-atlas init` in the folder of the site" in " ".join(text.split())


@pytest.mark.parametrize(
    ("env", "linked"),
    [
        ({"TERM_PROGRAM": "WezTerm"}, True),
        ({"VTE_VERSION": "7006"}, True),
        ({"FORCE_HYPERLINK": "1"}, True),
        ({"TERM_PROGRAM": "WezTerm", "FORCE_HYPERLINK": "0"}, False),
        ({"VTE_VERSION": "4205"}, False),
        ({}, False),
    ],
)
def test_files_are_links_where_the_terminal_follows_them(long_site, env, linked):
    name = "/field-notes/2026/a-note-on-the-water-levels-of-the-northern-ditches-1/"
    shown = in_terminal("explain", name, cwd=long_site, width=120, height=200, env=env)
    links = re.findall("\x1b]8;[^;]*;([^\x1b]*)\x1b\\\\([^\x1b]*)\x1b]8;;", shown)
    assert bool(links) == linked
    for address, words in links:
        assert address == (long_site / "public" / words).as_uri()
    piped = run_command("explain", name, cwd=long_site, env=env)
    assert "\x1b]8" not in piped.out


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("a.md:12  what is wrong.", {"a.md:12": "a.md"}),
        ("(see deep/b.html), and gone.html", {"deep/b.html": "deep/b.html"}),
        ("https://www.marrowfen.example/a.md is no file", {}),
        ("x-a.md and a.mdx", {}),
        ("Written to ./a.md.", {"./a.md": "a.md"}),
        ("folder deep, a number 1.5, and * ? \\", {}),
    ],
)
def test_only_words_that_are_files_become_links(tmp_path, monkeypatch, text, found):
    (tmp_path / "site" / "deep").mkdir(parents=True)
    (tmp_path / "site" / "a.md").write_text("")
    (tmp_path / "site" / "deep" / "b.html").write_text("")
    monkeypatch.chdir(tmp_path)
    made = Text(text)
    FileLinks([tmp_path / "site"]).mark(made)
    links = {text[one.start : one.end]: one.style.link for one in made.spans}
    assert links == {word: (tmp_path / "site" / file).as_uri() for word, file in found.items()}
