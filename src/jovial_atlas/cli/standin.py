"""`standin`: a simulated engine on loopback."""

from __future__ import annotations

import os
import time
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from jovial_atlas.cli.common import Work, atlas_command, bundled

if TYPE_CHECKING:
    from jovial_atlas.cli.output import Output
    from jovial_atlas.standin.clock import Clock
    from jovial_atlas.standin.scenario import Scenario
    from jovial_atlas.standin.server import Serving


@atlas_command(
    "standin",
    state="apart",
    examples=(
        "standin --name Lanternfish --port 8801 --host www.marrowfen.example=127.0.0.1:8800",
        "standin --port 8802",
    ),
)
@click.option(
    "--kind",
    type=click.Choice(["engine", "videos"]),
    default="engine",
    show_default=True,
    help="A search engine, or a hosting service of videos that answers oEmbed.",
)
@click.option("--name", default="Lanternfish", show_default=True, help="Name of the engine.")
@click.option("--crawler", default="lanternbot", show_default=True, help="Its product token.")
@click.option("--port", type=click.IntRange(0, 65535), default=8801, show_default=True,
              help="Port on loopback; 0 takes a free one.")  # fmt: skip
@click.option("--host", "hosts", multiple=True, metavar="HOST=127.0.0.1:PORT",
              help="Where on this machine a host is served.")  # fmt: skip
@click.option("--serve", "served", multiple=True, metavar="HOST=FOLDER",
              help="Serve a folder as this host, on a free port.")  # fmt: skip
@click.option("--least-words", type=click.IntRange(0), default=0, show_default=True,
              help="Pages with fewer words are not indexed.")  # fmt: skip
@click.option("--scenario", "scenario_file", metavar="FILE",
              type=click.Path(path_type=Path, dir_okay=False, exists=True),
              help="How it behaves: delays, quotas, rules and trouble, as TOML.")  # fmt: skip
@click.option("--log", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE",
              help="Access log of what --serve serves.")  # fmt: skip
@click.option("--token-env", default="", help="Variable with the bearer token that calls need.")
@click.option("--memory", type=click.Path(path_type=Path, dir_okay=False),
              help="File in which it remembers what it was told.")  # fmt: skip
@click.option(
    "--trouble", type=click.IntRange(400, 599), help="Answer every call with this status."
)
@click.option(
    "--retry-after", type=click.IntRange(0), default=0, help="Retry-After with --trouble."
)
@click.option("--hang", type=click.FloatRange(0), default=0.0, help="Seconds before every answer.")
@bundled("trouble", ("trouble", "retry_after", "hang"))
@bundled("serving", ("hosts", "served", "log"))
def command(
    work: Work,
    kind: str,
    name: str,
    crawler: str,
    port: int,
    serving: dict[str, Any],
    least_words: int,
    scenario_file: Path | None,
    token_env: str,
    memory: Path | None,
    trouble: dict[str, Any],
) -> int:
    """Run a simulated engine, or video service, for trying and testing. An engine takes
    announcements, really fetches robots.txt, sitemaps and pages, and reports what it would
    index; it fetches from this machine only. Its page is /report; a POST to /clock?hours=24 puts
    its clock forward. Ctrl-C ends it."""
    from jovial_atlas.errors import AtlasError
    from jovial_atlas.standin.clock import Clock
    from jovial_atlas.standin.engine import SimulatedEngine
    from jovial_atlas.standin.films import FILMS, films_app
    from jovial_atlas.standin.server import Serving, engine_app, listen
    from jovial_atlas.standin.web import LoopbackWeb

    out, clock = work.output, Clock()
    scenario = _scenario(scenario_file, least_words, trouble)
    token = os.environ.get(token_env, "") if token_env else ""
    if token_env and not token:
        raise AtlasError(f"The environment variable {token_env} holds no token.")
    places, servings = _serve(out, serving, clock)
    if kind == "videos":
        app = films_app(name, FILMS, "https://play.reelstead.example")
    else:
        web = LoopbackWeb(places, crawler)
        engine = SimulatedEngine(name, crawler, web, scenario, memory=memory, clock=clock)
        app = engine_app(engine, token)
    listening = Serving(app, listen(port)).start()
    out.say(f"{name} (simulated) listens on http://{listening.address}/  Ctrl-C ends it.")
    try:
        while True:
            time.sleep(0.5)
    except KeyboardInterrupt:
        out.note(f"{name} ends.")
    finally:
        for one in (*servings, listening):
            one.stop()
    return 0


def _scenario(path: Path | None, least_words: int, trouble: dict[str, Any]) -> Scenario:
    """How the engine behaves, by its file and by options."""
    from jovial_atlas.sitefile.parts import changed
    from jovial_atlas.standin.scenario import Scenario, Trouble, read_scenario

    scenario = read_scenario(path) if path else Scenario()
    changes: dict[str, Any] = {"least_words": least_words} if least_words else {}
    status, hang = trouble["trouble"], trouble["hang"]
    if status or hang:
        fault = Trouble(status=status or 0, retry_after=trouble["retry_after"], hang=hang)
        changes["trouble"] = (*scenario.trouble, fault)
    return changed(scenario, **changes)


def _serve(
    out: Output, given: dict[str, Any], clock: Clock
) -> tuple[dict[str, str], list[Serving]]:
    """Where each host is served, and what serves the folders among them."""
    from jovial_atlas.errors import AtlasError
    from jovial_atlas.standin.server import Serving, listen
    from jovial_atlas.standin.site import ServedSite

    places = dict(_pair(text) for text in given["hosts"])
    servings = []
    for host, folder in (_pair(text) for text in given["served"]):
        if not Path(folder).is_dir():
            raise AtlasError(f"--serve: there is no folder {folder}.")
        serving = Serving(ServedSite(Path(folder), given["log"], clock), listen(0)).start()
        servings.append(serving)
        places[host] = serving.address
        out.say(f"{folder} is served as {host} on http://{serving.address}/")
    return places, servings


def _pair(text: str) -> tuple[str, str]:
    host, sign, path = text.partition("=")
    if not (host and sign and path):
        raise click.UsageError(f"{text!r} is not of the form HOST=PLACE.")
    return host, path
