"""The round on the sample site: servers on loopback, the site file, one command after another.

The commands are run by whoever calls `demo_round`; here stands only what is run and said.
"""

from __future__ import annotations

import socket
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from importlib.resources import files
from pathlib import Path

from jovial_atlas.demo import site as sample
from jovial_atlas.errors import AtlasError
from jovial_atlas.standin.engine import SimulatedEngine
from jovial_atlas.standin.films import FILMS, films_app
from jovial_atlas.standin.server import Serving, engine_app, listen, site_app
from jovial_atlas.standin.web import LoopbackWeb

HOST = "www.marrowfen.example"
#: Variable and token of the engine that wants one. It guards nothing but a stand-in.
TOKEN_VARIABLE, TOKEN = "LANTERNFISH_TOKEN", "only-a-stand-in"
PORTS = {"site": 8800, "Lanternfish": 8801, "Quillseek": 8802, "Reelstead": 8803}
_PATIENCE = 20.0
MARK = ".marrowfen-demo"


@dataclass(frozen=True, slots=True)
class Step:
    """One thing that happens: `say` is told, then `command` (if any) is run; `expected` exit
    codes are those that do not end the round."""

    say: str
    command: tuple[str, ...] = ()
    expected: tuple[int, ...] = (0,)
    shown: str = ""


@dataclass(frozen=True, slots=True)
class Servers:
    """The site and the two stand-ins, each on a loopback address."""

    site: str
    engines: dict[str, str]
    films: str
    simulated: tuple[SimulatedEngine, ...]


@contextmanager
def servers(folder: Path) -> Iterator[Servers]:
    """Serve the laid-out site and two simulated engines while the block runs.

    The usual ports are taken where they are free, others where not.
    """
    running: list[Serving] = []
    try:
        site = Serving(site_app(folder / "public"), _listen(PORTS["site"])).start()
        running.append(site)
        engines: dict[str, str] = {}
        simulated = []
        for name, crawler, least in (
            ("Lanternfish", "lanternbot", 0),
            ("Quillseek", "quillseek", 25),
        ):
            web = LoopbackWeb({HOST: site.address}, crawler)
            engine = SimulatedEngine(
                name, crawler, web, least_words=least,
                memory=folder / ".jovial-atlas" / f"standin-{name.lower()}.json",
            )  # fmt: skip
            token = TOKEN if name == "Lanternfish" else ""
            serving = Serving(engine_app(engine, token), _listen(PORTS[name])).start()
            running.append(serving)
            engines[name] = serving.address
            simulated.append(engine)
        app = films_app("Reelstead", FILMS, "https://play.reelstead.example")
        films = Serving(app, _listen(PORTS["Reelstead"])).start()
        running.append(films)
        yield Servers(site.address, engines, films.address, tuple(simulated))
    finally:
        for serving in running:
            serving.stop()


def _listen(port: int) -> socket.socket:
    try:
        return listen(port)
    except AtlasError:
        return listen(0)


def prepare(folder: Path, today: datetime) -> int:
    """Lay out the sample site in `folder`; gives back the number of pages.

    Raises AtlasError where the folder holds something that no demo put there.
    """
    if folder.exists() and not folder.is_dir():
        raise AtlasError(f"{folder} is a file. Name a folder for the sample site.")
    if folder.is_dir() and any(folder.iterdir()):
        if not (folder / MARK).exists():
            raise AtlasError(
                f"{folder} is not empty, and the sample site was not laid out there before. "
                "Name another folder: jovial-atlas demo DIR"
            )
        sample.remove(folder)
        for name in ("atlas.toml", "services.toml", "overrides.csv"):
            (folder / name).unlink(missing_ok=True)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        (folder / MARK).write_text("The sample site of jovial-atlas demo stands here.\n")
        return sample.lay_out(folder / "public", today)
    except OSError as error:
        raise AtlasError(f"{folder} cannot be written ({error.strerror}).") from error


def add_engines(folder: Path, running: Servers) -> str:
    """Append rules, engines and a video service to the site file, as an owner would; gives back
    what was added."""
    service = (files("jovial_atlas.demo") / "templates/services.toml").read_text("utf-8")
    (folder / "services.toml").write_text(service.replace("@FILMS@", running.films), "utf-8")
    text = (files("jovial_atlas.demo") / "templates/additions.toml").read_text("utf-8")
    for name, address in running.engines.items():
        text = text.replace(f"@{name.upper()}@", address)
    place = folder / "atlas.toml"
    whole = place.read_text("utf-8")
    for line, more in _INSIDE.items():
        whole = whole.replace(line, f"{line}{more}", 1)
    place.write_text(whole + text, "utf-8")
    return text.strip()


#: What an owner adds inside tables that `init` wrote: line → lines below it.
_INSIDE = {
    'kind = "html"\n':
        "# Fields that only stand in the text of pages, by CSS selector.\n"
        'fields = { starts = "time.starts@datetime", place = ".place", address = ".address", '
        'price = ".price", sku = ".sku", serves = ".serves", prep = ".prep", cook = ".cook", '
        'posted = "time.posted@datetime", employment = ".employment" }\n',
    'kind = "organization"  # or "person"\n':
        'logo = "/pictures/heron-mark.png"\ntelephone = "+44 1632 960018"\n'
        'email = "hello@marrowfen.example"\nprofiles = ["https://social.example/marrowfen"]\n'
        'address = { street = "1 Sedge Lane", locality = "Marrowfen", postal_code = "ZZ1 1ZZ", '
        'country = "GB" }\n',
    'stage = "live"  # "draft" hides everything and announces nothing\n':
        'timezone = "Europe/London"\nsearch = "/search/?q={search_term_string}"\n',
    'name = "cafe"\n': 'schema = "Recipe"\n',
    'name = "events"\n': 'schema = "Event"\n',
    'name = "shop"\n': 'schema = "Product"\n',
    'name = "volunteer"\n': 'schema = "JobPosting"\n',
}  # fmt: skip


def steps() -> Iterator[Step]:
    """The round: set up, then survey, build, check, submit, status."""
    yield Step(
        "1. Set up: one command reads the built pages and writes a site file. "
        "The robots.txt that was there is taken over into it.",
        ("init", "--yes", "--url", sample.URL, "--html", "public",
         "--name", "Marrowfen Wetland Reserve", "--short-name", "Marrowfen"),
    )  # fmt: skip
    yield Step("", ("engines",))
    yield Step("2. Survey: what is there, section by section.", ("survey",))
    yield Step("   The films among it, with what was found out about each.", ("videos",))
    yield Step("   How a page reads where it is found and shared.", ("preview", "/events/"))
    yield Step("3. Build: sitemaps, robots.txt, key file, head data.", ("build",))
    yield Step("   The same head data, written into the pages themselves.", ("inject",))
    yield Step("   What they say as structured data, by type.", ("schema", "table"))
    yield Step(
        "4. Check: the sample site carries mistakes on purpose, so findings are expected.",
        ("check",),
        expected=(0, 1),
    )
    yield Step(
        "5. Explain: why a page is, or is not, in the sitemap.", ("explain", "/tags/mosses/")
    )
    yield Step("6. Announce to two simulated engines on this machine.", ("submit",))
    yield Step("7. Status: what they read, found and would index.", ("status",))


def wait_for_engines(
    servers: Servers, pause: Callable[[float], None] = time.sleep, patience: float = _PATIENCE
) -> None:
    """Wait until the stand-ins have read what they were told of, or patience ends."""
    deadline = time.monotonic() + patience
    while time.monotonic() < deadline:
        reports = [r for engine in servers.simulated for r in engine.reports(sample.URL)]
        if reports and all(report["state"] != "pending" for report in reports):
            return
        pause(0.1)
