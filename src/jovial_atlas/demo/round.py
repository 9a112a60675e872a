"""The round on the sample site: servers on loopback, the site file, one command after another, and
a month in which something goes wrong.

The commands are run by whoever calls `demo_round`; here stands only what is run and said.
"""

from __future__ import annotations

import shutil
import socket
import tomllib
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from importlib.resources import files
from pathlib import Path

from jovial_atlas.demo import site as sample
from jovial_atlas.demo.builder import URL
from jovial_atlas.demo.searched import EXPORTED_TABLES, export_searches
from jovial_atlas.errors import AtlasError
from jovial_atlas.standin.clock import Clock
from jovial_atlas.standin.engine import SimulatedEngine
from jovial_atlas.standin.films import FILMS, films_app
from jovial_atlas.standin.mail import MailBox
from jovial_atlas.standin.scenario import Scenario
from jovial_atlas.standin.server import Serving, engine_app, listen
from jovial_atlas.standin.site import ServedSite
from jovial_atlas.standin.web import LoopbackWeb

HOST = "www.marrowfen.example"
#: Variable and token of the engine that wants one. It guards nothing but a stand-in.
TOKEN_VARIABLE, TOKEN = "LANTERNFISH_TOKEN", "only-a-stand-in"
PORTS = {"site": 8800, "Lanternfish": 8801, "Quillseek": 8802, "Reelstead": 8803}
DEMO_MARK = ".marrowfen-demo"
#: What the site's server logs, beside the site file.
LOG = "access.log"
#: The log of another day, for what was asked for in vain.
MISSING_LOG = "missing.log"


@dataclass(frozen=True, slots=True)
class Step:
    """One thing that happens: `say` is told, the stand-ins' clock goes `hours` forward, `event`
    happens to the site, then `command` (if any) is run, and its output shown unless `quiet`;
    `expected` exit codes are those that do not end the round."""

    say: str
    command: tuple[str, ...] = ()
    expected: tuple[int, ...] = (0,)
    hours: float = 0.0
    event: str = ""
    quiet: bool = False


@dataclass(frozen=True, slots=True)
class Servers:
    """The site and the two stand-ins, each on a loopback address, and the clock they share."""

    site: str
    engines: dict[str, str]
    films: str
    simulated: tuple[SimulatedEngine, ...]
    served: ServedSite
    clock: Clock
    mailbox: MailBox

    def forward(self, hours: float) -> None:
        """Put the clock forward; the engines do what they would have done meanwhile."""
        if hours:
            self.clock.forward(hours)
            self.play()

    def play(self) -> None:
        """Do now what is due by now."""
        for engine in self.simulated:
            engine.play()


@contextmanager
def servers(folder: Path, *, unhurried: bool = False) -> Iterator[Servers]:
    """Serve the laid-out site and two simulated engines while the block runs. They do everything at
    once, or `unhurried` with delays and quotas as engines have them.

    The usual ports are taken where they are free, others where not.
    """
    running: list[Serving] = []
    clock = Clock()
    mailbox = MailBox()
    manners = tomllib.loads(
        (files("jovial_atlas.demo") / "templates/month.toml").read_text("utf-8")
    )
    try:
        served = ServedSite(folder / "public", folder / LOG, clock)
        site = Serving(served, _listen(PORTS["site"])).start()
        running.append(site)
        engines: dict[str, str] = {}
        simulated = []
        for name, crawler in (("Lanternfish", "lanternbot"), ("Quillseek", "quillseek")):
            web = LoopbackWeb({HOST: site.address}, crawler)
            scenario = Scenario(**manners[name.lower()])
            if not unhurried:
                scenario = Scenario(least_words=scenario.least_words)
            engine = SimulatedEngine(
                name, crawler, web, scenario, clock=clock,
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
        with mailbox:
            yield Servers(
                site.address, engines, films.address, tuple(simulated), served, clock, mailbox)
    finally:
        with ThreadPoolExecutor() as pool:  # each takes a moment to end
            list(pool.map(Serving.stop, running))


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
        if not (folder / DEMO_MARK).exists():
            raise AtlasError(
                f"{folder} is not empty, and the sample site was not laid out there before. "
                "Name another folder: jovial-atlas demo DIR"
            )
        sample.remove(folder)
        tables = [one for some in EXPORTED_TABLES.values() for one in some]
        for name in ("atlas.toml", "services.toml", "overrides.csv", "moves.csv", LOG, MISSING_LOG,
                     *tables):  # fmt: skip
            (folder / name).unlink(missing_ok=True)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        (folder / DEMO_MARK).write_text("The sample site of jovial-atlas demo stands here.\n")
        return sample.lay_out(folder / "public", today)
    except OSError as error:
        raise AtlasError(f"{folder} cannot be written ({error.strerror}).") from error


def add_engines(folder: Path, running: Servers) -> str:
    """Append rules, engines and a video service to the site file, as an owner would; gives back
    what was added."""
    service = (files("jovial_atlas.demo") / "templates/services.toml").read_text("utf-8")
    (folder / "services.toml").write_text(service.replace("@FILMS@", running.films), "utf-8")
    wanted = (files("jovial_atlas.demo") / "templates/overrides.csv").read_text("utf-8")
    (folder / "overrides.csv").write_text(wanted, "utf-8")
    text = (files("jovial_atlas.demo") / "templates/additions.toml").read_text("utf-8")
    for name, address in running.engines.items():
        text = text.replace(f"@{name.upper()}@", address)
    text = text.replace("@TOKEN@", running.simulated[0].token(URL))
    path = folder / "atlas.toml"
    whole = path.read_text("utf-8")
    for line, more in _INSIDE.items():
        assert line in whole, f"`init` writes no line {line!r}"
        whole = whole.replace(line, f"{line}{more}", 1)
    path.write_text(whole + text, "utf-8")
    return text.strip()


#: What an owner adds inside tables that `init` wrote: line → lines below it.
_INSIDE = {
    'kind = "html"\n':
        "# Fields that only stand in the text of pages, by CSS selector.\n"
        'fields = { starts = "time.starts@datetime", place = ".place", address = ".address", '
        'price = ".price", sku = ".sku", serves = ".serves", prep = ".prep", cook = ".cook", '
        'posted = "time.posted@datetime", employment = ".employment" }\n',
    'kind = "organization" # or "person"\n':
        'logo = "/pictures/heron-mark.png"\ntelephone = "+44 1632 960018"\n'
        'email = "hello@marrowfen.example"\nprofiles = ["https://social.example/marrowfen"]\n'
        'address = { street = "1 Sedge Lane", locality = "Marrowfen", postal_code = "ZZ1 1ZZ", '
        'country = "GB" }\n',
    'stage = "live" # "draft" hides everything and announces nothing\n':
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
        ("init", "--yes", "--url", URL, "--html", "public",
         "--name", "Marrowfen Wetland Reserve", "--short-name", "Marrowfen"),
    )  # fmt: skip
    yield Step("", ("engines",))
    yield Step("2. Survey: what is there, section by section.", ("survey",))
    yield Step("   How a page reads where it is found and shared.", ("preview", "/events/"))
    yield Step("3. Build: sitemaps, robots.txt, key file, head data.", ("build",))
    yield Step("   The same head data, written into the pages themselves.", ("inject",))
    yield Step(
        "4. Check: the sample site carries mistakes on purpose, so findings are expected. Without "
        "--brief each is shown with its places and what to do.",
        ("check", "--brief"),
        expected=(0, 1),
    )
    yield Step(
        "   Beyond right and wrong: the pages that could gain most, and by what.",
        ("review", "--worst", "8"),
    )
    yield Step(
        "5. Explain: why a page is, or is not, in the sitemap.", ("explain", "/tags/mosses/")
    )
    yield Step(
        "6. Announce to two simulated engines on this machine. Lanternfish first looks for the "
        "proof that the site is its owner's, which `inject` has put on the home page.",
        ("submit",),
    )
    yield Step("7. Status, two days later: what they read, found and indexed.", ("status",),
               hours=48)  # fmt: skip


def month(running: Servers) -> Iterator[Step]:
    """A month in the life of the site, in seconds: the clock of the stand-ins goes forward."""
    server = f"http://{running.site}"
    yield Step("8. A month passes. On some days the owner asks how things stand; day 6:",
               ("status",), hours=96, quiet=True)  # fmt: skip
    yield Step("   Day 9: a field note is added, and the round is run for it.", ("survey",),
               hours=72, event="write", quiet=True)  # fmt: skip
    for command in (("build",), ("inject",), ("submit",)):
        yield Step("", command, quiet=True)
    yield Step("   Day 12: something goes wrong, and nobody notices. Day 13:", ("status",),
               hours=72, event="break", quiet=True)  # fmt: skip
    for day, hours in ((18, 144), (23, 120)):
        yield Step(f"   Day {day}:", ("status",), hours=hours, quiet=True)
    yield Step(
        "   Day 30. What did the crawlers do? The server's own log tells.", ("logs", LOG), hours=168
    )
    yield Step("   And what do the engines say?", ("status",))
    yield Step(
        "9. Field notes dropped: that is no chance. Which pages are they, and why?",
        ("status", "--pages", "left-out", "--section", "field-notes", "--engine", "Lanternfish"),
    )
    yield Step(
        "   The pages themselves say nothing of the kind, so the server must. What does it send?",
        ("check", "--live", "--server", server, "--per-second", "200", "--only",
         "live-noindex"),
        expected=(0, 1),
    )  # fmt: skip
    yield Step(
        "10. A header field was left on when the server was moved. It is taken off, and "
        "Lanternfish is asked for two pages at once; a week later:",
        ("submit", "/field-notes/dawn-at-the-reedbed/", "/field-notes/a-year-of-frogs/",
         "--engine", "Lanternfish"),
        event="mend",
    )  # fmt: skip
    yield Step("", ("status", "--figures", "figures"), hours=168)
    yield Step(
        "11. The site is reorganised: the folder of the café is called otherwise, and a page is "
        "taken off. Nobody is sent on by anything that the owner does not take.",
        ("survey", "--accept"), event="reorganise", quiet=True,
    )  # fmt: skip
    yield Step("", ("moves",))
    yield Step("", ("moves", "take", "--sure", "0.9", "--yes"))
    yield Step("", ("build", "--accept"), quiet=True)
    yield Step("   Where an address leads now, in one hop:", ("moves", "follow", "/guided-walks/",
               "/cafe/apple-crumble/"))  # fmt: skip
    yield Step("12. And what did visitors ask for in vain? The server's log of a day:",
               ("moves", "missing", "--log", MISSING_LOG))  # fmt: skip
    yield from _clicks()


def _clicks() -> Iterator[Step]:
    """What people searched and clicked."""
    yield Step(
        "13. What did people search and click? Each engine exports it in its own words.",
        ("hear", "--engine", "Lanternfish", *EXPORTED_TABLES["Lanternfish"]), event="searched",
    )  # fmt: skip
    yield Step("", ("hear", "--engine", "Quillseek", *EXPORTED_TABLES["Quillseek"]))
    yield Step("   The site in one screen:", ("traffic",))
    yield Step("   And before a section is hidden, what is at stake:",
               ("rules", "add", "--match", "/events/**", "--set", "index=false", "--reason",
                "Walks are over for the year"))  # fmt: skip


def week() -> Iterator[Step]:
    """A week that nobody watches, in seconds."""
    yield Step(
        "A week that nobody watches. The owner says who is told, and leaves it to a timer: here "
        "each day is one round.",
        ("tending",),
    )  # fmt: skip
    yield Step("   Monday:", ("tend",), hours=24)
    yield Step("   What is wrong from the beginning is told once:", ("mail",))
    yield Step("   Tuesday: a field note is added.", ("tend",), hours=24, event="write last")
    yield Step("   Wednesday: nothing happens.", ("tend",), hours=24)
    yield Step(
        "   Thursday: the pages are built with a template that was meant for a draft. The round "
        "holds, and what stood before stands.",
        ("tend",), hours=24, event="hide", expected=(1,),
    )  # fmt: skip
    yield Step("   The owner is told by mail:", ("mail",))
    yield Step("   Friday: nobody has looked yet, and nobody is told again.", ("tend",), hours=24,
               expected=(1,))  # fmt: skip
    yield Step("   Saturday: the template is mended.", ("tend",), hours=24, event="show")
    yield Step("   That is told too:", ("mail",))
    yield Step("   Sunday, and the week as a whole:", ("tend",), hours=24, quiet=True)
    yield Step("", ("tend", "log", "--limit", "8"))


def add_tending(folder: Path, running: Servers) -> str:
    """Append to the site file how it is tended; gives back what was added."""
    text = (files("jovial_atlas.demo") / "templates/tending.toml").read_text("utf-8")
    text = text.replace("@SITE@", running.site).replace("@MAIL@", running.mailbox.address)
    path = folder / "atlas.toml"
    path.write_text(path.read_text("utf-8") + text, "utf-8")
    return text.strip()


def reorganise(folder: Path, now: datetime) -> None:
    """Call a folder otherwise and take a page off; lay an old table of moves, with mistakes of its
    own, and the log of a day beside the site file."""
    templates = files("jovial_atlas.demo") / "templates"
    (folder / "public/cafe").rename(folder / "public/kitchen")
    shutil.rmtree(folder / "public/shop/heron-mug", ignore_errors=True)
    path = folder / "atlas.toml"
    text = path.read_text("utf-8").replace('match = "/cafe/**"', 'match = "/kitchen/**"')
    path.write_text(text, "utf-8")
    (folder / "moves.csv").write_text((templates / "moves.csv").read_text("utf-8"), "utf-8")
    log = (templates / "missing.log").read_text("utf-8").replace("@DAY@", f"{now:%d/%b/%Y}")
    (folder / MISSING_LOG).write_text(log, "utf-8")


def happen(event: str, folder: Path, running: Servers) -> None:
    """What happens to the site: a page is written, its server breaks, or is mended."""
    if event == "break":
        running.served.fields["/field-notes/"] = {"X-Robots-Tag": "noindex"}
    elif event == "mend":
        running.served.fields.clear()
    elif event == "reorganise":
        reorganise(folder, running.clock.present())
    elif event in ("hide", "show"):
        sample.hide(folder / "public", hidden=event == "hide")
    elif event == "write last":
        sample.write_last(folder / "public", running.clock.present())
    elif event == "searched":
        export_searches(folder, running.clock.present())
    elif event == "write":
        sample.write_later(folder / "public", running.clock.present())
