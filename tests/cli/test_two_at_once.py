"""Two commands at once: each comes to what it would have come to alone, one after the other."""

import os
import signal
import subprocess
import sys
import time

import pytest

from tests.conftest import COMMAND, page, run_command, write_site

ROUNDS = 50 if os.environ.get("ATLAS_SOAK") else 2
HOLD = (
    "import sys, time; from pathlib import Path; from jovial_atlas.files import Locks\n"
    "with Locks(Path(sys.argv[1])).writing():\n print('held', flush=True); time.sleep(float(sys.argv[2]))"
)  # fmt: skip


def start(folder, *arguments):
    return subprocess.Popen(
        [COMMAND, *arguments], cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        stdin=subprocess.DEVNULL,
    )  # fmt: skip


def finished(process):
    out, err = process.communicate(timeout=1_200)
    assert "Traceback" not in err, err
    return process.returncode, out, err


@pytest.fixture
def site(tmp_path):
    write_site(tmp_path, {f"n/{n}.html": page(f"P {n}", f"<p>Words {n}.") for n in range(30)},
               '[overrides]\nfile = "overrides.csv"\n[sitemap]\nmax_urls = 5\n')  # fmt: skip
    for command in ("survey", "build"):
        assert run_command(command, cwd=tmp_path).code == 0
    return tmp_path


@pytest.mark.slow
@pytest.mark.parametrize(
    "commands",
    [
        ("survey --full", "build"),
        ("survey --full", "survey --full"),
        ("build", "build"),
        ("inject", "survey --full", "build"),
        ("check", "build", "pages --format json"),
    ],
)
def test_commands_at_the_same_time_wait_for_each_other(site, commands):
    for number in range(ROUNDS):
        (site / f"public/n/{number}.html").write_text(page("New", f"<p>Round {number}."))
        (site / f"public/more{number}.html").write_text(page(f"More {number}"))
        running = [start(site, *one.split()) for one in commands]
        for process, name in zip(running, commands, strict=True):
            code, _, err = finished(process)
            assert code in ((0, 1) if name == "check" else (0,)), (name, err)
            assert "was not written by this tool" not in err, name
        for command in ("survey", "build"):
            assert run_command(command, cwd=site).code == 0
        states = {f["state"] for f in run_command("build", "--format", "json", cwd=site).json["files"]}
        assert states == {"same"}
        assert not list(site.rglob(".atlas-*"))


@pytest.mark.slow
def test_no_rule_is_lost_however_many_are_added_at_once(site):
    for number in range(ROUNDS):
        paths = [f"/r{number}-{one}/" for one in range(3)]
        running = [start(site, "rules", "add", "--match", path, "--set", "listed=no", "--yes") for path in paths]
        assert [finished(one)[0] for one in running] == [0, 0, 0]
        text = (site / "atlas.toml").read_text()
        assert [path for path in paths if path not in text] == []


def test_a_waiting_command_says_for_whom_and_a_dead_one_holds_nothing(site):
    def hold(seconds):
        holder = subprocess.Popen(
            [sys.executable, "-c", HOLD, str(site / ".jovial-atlas"), str(seconds)],
            stdout=subprocess.PIPE, text=True,
        )  # fmt: skip
        assert holder.stdout.readline() == "held\n"
        return holder

    holder = hold(2)
    code, _, err = finished(start(site, "survey"))
    assert (code, "Waiting for" in err, str(holder.pid) in err) == (0, True, True), err
    holder.wait()
    holder = hold(100)
    began = time.monotonic()
    holder.send_signal(signal.SIGKILL)
    holder.wait()
    code, _, err = finished(start(site, "survey"))
    assert (code, "Waiting" in err) == (0, False)
    assert time.monotonic() - began < 60


def test_nobody_waits_for_a_command_that_asks_a_server(site, hostile):
    engine = f'[[engine]]\nname = "L"\nchannels = [{{ kind = "indexnow", endpoint = "{hostile.url}/" }}]\n'
    with (site / "atlas.toml").open("a") as file:
        file.write(engine)
    assert run_command("build", cwd=site).code == 0
    hostile.manner = "trickle"
    hostile.asked.clear()
    sending = start(site, "submit", "--timeout", "30")
    while not hostile.asked:
        assert sending.poll() is None, finished(sending)
        time.sleep(0.05)
    for command in ("survey --full", "build", "pages"):
        ran = run_command(*command.split(), cwd=site)
        assert (ran.code, "Waiting" in ran.err) == (0, False), ran
    assert sending.poll() is None, "it is asking still"
    sending.kill()
    sending.communicate()


def test_a_file_that_somebody_edits_meanwhile_is_not_written_over(site):
    from jovial_atlas.errors import OutputError
    from jovial_atlas.files import write_over

    place = site / "atlas.toml"
    before = place.read_bytes()
    place.write_bytes(before + b"# by hand\n")
    with pytest.raises(OutputError, match="changed by another program"):
        write_over(place, before, b"new")
    assert place.read_bytes().endswith(b"# by hand\n")


@pytest.mark.slow
def test_a_killed_command_leaves_a_whole_set_that_the_next_run_completes(site):
    """Real kill -9 in whatever moment."""
    for number in range(ROUNDS * 4):
        (site / f"public/n/{number}.html").write_text(page("New", f"<p>Kill {number}."))
        for command in ("survey", "build"):
            process = start(site, command)
            time.sleep(0.1 + 0.15 * (number % 7))
            process.kill()
            process.communicate()
        for command in ("survey", "build"):
            ran = run_command(command, cwd=site)
            assert ran.code == 0, ran
        assert not list(site.rglob(".atlas-*"))
    states = {f["state"] for f in run_command("build", "--format", "json", cwd=site).json["files"]}
    assert states == {"same"}


def test_logs_read_at_once_count_each_request_once(site):
    (site / "atlas.toml").open("a").write(
        '\n[[engine]]\nname = "Quillseek"\ncrawlers = ["quillseek"]\nchannels = [{ kind = "hand" }]\n'
    )
    for name, hour in (("a", 10), ("b", 12)):
        lines = [
            f'192.0.2.{n % 200} - - [20/Nov/2026:{hour}:{n // 60 % 60:02}:{n % 60:02} +0000] '
            f'"GET /n/{n % 30}.html HTTP/1.1" 200 512 "-" "Mozilla/5.0 Gecko Firefox/140.0"\n'
            for n in range(3_000)
        ]  # fmt: skip
        (site / f"{name}.log").write_text("".join(lines))
    running = [start(site, "logs", f"{name}.log", "--format", "json") for name in "aabb"]
    for process in running:
        code, _, err = finished(process)
        assert code == 0, err
    pages = run_command("pages", "--where", "visits > 0", "--format", "json", cwd=site).json
    # 200 readers of each hour see three pages each (200 and 30 have a period of 600).
    assert sum(one["visits"] for one in pages) == 2 * 600
