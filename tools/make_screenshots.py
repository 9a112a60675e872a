"""Remakes docs/screenshots from the sample site: terminal pictures under Xvfb, pages in Chromium.

Needs Debian's xvfb, xterm, imagemagick, fonts-dejavu and chromium.
"""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from datetime import UTC, datetime
from pathlib import Path

from lxml import etree

from jovial_atlas.demo.builder import URL
from jovial_atlas.demo.round import (
    TOKEN,
    TOKEN_VARIABLE,
    Servers,
    Step,
    add_engines,
    add_tending,
    happen,
    month,
    prepare,
    servers,
)

SHOTS = Path(__file__).parent.parent / "docs/screenshots"
COMMAND = Path(sys.executable).with_name("jovial-atlas")
TEMPLATES = Path(__file__).parent.parent / "src/jovial_atlas/demo/templates"
NOW = datetime.now(UTC)
#: Writes what engines export, beside the site file.
EXPORT = (
    "from datetime import UTC, datetime; from pathlib import Path; "
    "from jovial_atlas.demo.searched import export_searches; "
    "export_searches(Path(), datetime.now(UTC))"
)
#: Picture → the command it shows, in the order of the round.
TERMINAL = {
    "init": f"init --yes --url {URL} --html public --name 'Marrowfen Wetland Reserve' "
    "--short-name Marrowfen",
    "survey": "survey",
    "build": "build",
    "check": "check | head -45",
    "explain": "explain /hides/heron-fishing/ | head -46",
    "videos": "videos",
    "review": "review /shop/willow-basket/ | head -46",
    "review-site": "review --site",
    "links": "links; jovial-atlas links propose --most 5 -q",
    "schema": "schema show /events/bat-evening/ | head -48",
    "placed": "inject",
    "submit": "submit",
    "moved": "--help; mv public/cafe public/kitchen; mv public/shop/heron-mug kept; "
    f"cp {TEMPLATES}/moves.csv .; sed s,@DAY@,{NOW:%d/%b/%Y}, {TEMPLATES}/missing.log > "
    f"missing.log; {COMMAND} survey --accept",
    "moves": "moves -q | head -34; jovial-atlas moves missing --log missing.log -q | head -12",
    "back": "--help; mv public/kitchen public/cafe; mv kept public/shop/heron-mug; rm moves.csv; "
    f"{COMMAND} survey --accept",
    "rules": "rules add --match '/species/**' --when 'words < 60' --set listed=no "
    "--reason 'Too thin to help'",
    "searched": f"--help; {sys.executable} -c '{EXPORT}'; "
    f"{COMMAND} hear --engine Lanternfish lanternfish-*.csv",
    "traffic": "traffic | head -48",
    "tended": "--help",
    "tend": "tend; jovial-atlas tend log -q; jovial-atlas tend --health | head -12",
}
#: Run, and not shown.
UNSHOWN = frozenset({"init", "placed", "moved", "back", "searched", "tended", "survey"})
#: Shown as it is on the day of the demo on which something is found out.
STATUS = "status --engine lanternfish"
NEEDED = ("Xvfb", "xterm", "import", "chromium")


def now_of(running: Servers) -> dict[str, str]:
    """What commands find in their environment: the token, and the time that the stand-ins have."""
    now = running.clock.present().isoformat()
    return {TOKEN_VARIABLE: TOKEN, "JOVIAL_ATLAS_NOW": now}


def watch(folder: Path, running: Servers) -> None:
    """Let the month of the demo pass, up to the day on which the owner looks."""
    first = Step("", ("status",), hours=48, quiet=True)
    for step in (first, *month(running)):
        if step.command == ("status",) and not step.quiet:
            return
        happen(step.event, folder, running)
        running.forward(step.hours)
        subprocess.run(
            [COMMAND, *step.command], cwd=folder, check=True, capture_output=True,
            env={**os.environ, **now_of(running)},
        )  # fmt: skip


def in_terminal(line: str) -> str:
    """Commands as a shell runs them; those of which only the beginning is shown have a terminal of
    their own, since tables fit terminals and not pipes."""
    commands = []
    for one in f"jovial-atlas {line}".split("; "):
        command, sign, rest = one.partition(" | ")
        commands.append(f'script -qec "{command}" /dev/null | {rest}' if sign else command)
    return "\n".join(commands)


def terminal(name: str, line: str, folder: Path, running: Servers) -> None:
    """A picture of one command in a terminal of 1280×800."""
    given = " ".join(f"{key}={value}" for key, value in now_of(running).items())
    script = folder / f".{name}.sh"
    script.write_text(
        f"cd {folder}\nexport FORCE_COLOR=1 {given}\n"
        f"export PATH={COMMAND.parent}:$PATH\nclear\n"
        f"printf '$ jovial-atlas %s\\n' \"{line}\"\n"
        f"export PAGER=cat\n{in_terminal(line)}\n"
        f"touch {folder}/.{name}.done\nsleep 30\n"
    )
    picture = SHOTS / f"{name}.png"
    inner = (
        "xterm -fa 'DejaVu Sans Mono' -fs 10 -geometry 158x50+0+0 -bg '#14201f' -fg '#e6e1d3' "
        f"-b 4 +sb -e bash {script} & "
        f"for _ in $(seq 300); do [ -e {folder}/.{name}.done ] && break; sleep 0.1; done; "
        "sleep 0.6; "
        f"import -window root {picture}; kill %1"
    )
    subprocess.run(
        ["xvfb-run", "-a", "-s", "-screen 0 1280x800x24", "bash", "-c", inner],
        check=True, timeout=90, capture_output=True,
        env={**os.environ, "TERM": "xterm-256color"},
    )  # fmt: skip
    (folder / f".{name}.done").unlink(missing_ok=True)
    script.unlink()


def styled(sitemap: Path, site: str) -> Path:
    """A sitemap as its style sheet shows it, with pictures from where the site is served. Made
    here, since browsers put a warning of their own over pages that use XSLT."""
    sheet = etree.XSLT(etree.parse(sitemap.with_name("sitemap-view.xsl")))
    text = str(sheet(etree.parse(sitemap))).replace(f'src="{URL}', f'src="http://{site}')
    place = sitemap.with_suffix(".shown.html")
    place.write_text(text, "utf-8")
    return place


def web_page(name: str, address: str) -> None:
    """A picture of a page in headless Chromium."""
    with tempfile.TemporaryDirectory() as profile:
        subprocess.run(
            ["chromium", "--headless", "--no-sandbox", "--disable-gpu", "--no-first-run",
             "--disable-background-networking", "--disable-component-update", "--disable-sync",
             f"--user-data-dir={profile}", "--window-size=1280,800", "--hide-scrollbars",
             "--virtual-time-budget=5000",
             f"--screenshot={SHOTS / name}.png", address],
            check=True, timeout=90, capture_output=True,
        )  # fmt: skip


def main() -> None:
    """Make all pictures, or those named as arguments."""
    missing = [program for program in NEEDED if not shutil.which(program)]
    if missing:
        raise SystemExit(f"Missing: {', '.join(missing)}. See the first lines of this file.")
    wanted = set(sys.argv[1:])
    SHOTS.mkdir(parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory() as place:
        folder = Path(place) / "marrowfen"
        prepare(folder, datetime.now(UTC))
        with servers(folder, unhurried=True) as running:
            for name, line in TERMINAL.items():
                if name in UNSHOWN:
                    subprocess.run(
                        f"{COMMAND} {line}", cwd=folder, shell=True, check=False,
                        capture_output=True,
                    )  # fmt: skip
                elif not wanted or name in wanted:
                    terminal(name, line, folder, running)
                else:
                    subprocess.run(
                        f"{COMMAND} {line}", cwd=folder, shell=True, check=False,
                        capture_output=True, env={**os.environ, TOKEN_VARIABLE: TOKEN},
                    )  # fmt: skip
                if name == "init":
                    add_engines(folder, running)
                elif name == "tended":
                    add_tending(folder, running)
                    happen("write last", folder, running)
            if not wanted or "graph" in wanted:
                subprocess.run(
                    [COMMAND, "schema", "show", "/places/visitor-barn/", "--to",
                     SHOTS / "graph.png"], cwd=folder, check=True,
                )  # fmt: skip
            if not wanted or "sitemap" in wanted:
                shown = styled(folder / "public/sitemap-field-notes-1.xml", running.site)
                web_page("sitemap", shown.as_uri())
            if not wanted or "preview" in wanted:
                subprocess.run(
                    [COMMAND, "preview", "/field-notes/otters-back-at-the-sluice/", "--to",
                     SHOTS / "preview.png"], cwd=folder, check=True,
                )  # fmt: skip
            if not wanted or wanted & {"status", "trends", "report"}:
                watch(folder, running)
                env = {**os.environ, **now_of(running)}
                terminal("status", STATUS, folder, running)
                subprocess.run(
                    [COMMAND, "status", "--figures", "figures"], cwd=folder, check=True,
                    capture_output=True, env=env,
                )  # fmt: skip
                shutil.copy(folder / "figures/lanternfish-sections.png", SHOTS / "trends.png")
                subprocess.run([COMMAND, "report"], cwd=folder, check=True, env=env)
                web_page("report", (folder / "report.html").as_uri())
            time.sleep(0.1)


if __name__ == "__main__":
    main()
