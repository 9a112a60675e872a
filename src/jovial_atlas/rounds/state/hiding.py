"""What is said of a site before anything else: that it hides itself, or that its address is
none for the public."""

from __future__ import annotations

from datetime import datetime

from jovial_atlas.errors import AtlasError
from jovial_atlas.faults import Fault
from jovial_atlas.files import FileSet
from jovial_atlas.robots import RobotsFile, parse_robots
from jovial_atlas.rounds.state.last_survey import LastSurvey, last_survey
from jovial_atlas.rounds.state.names import MANIFEST, ROBOTS
from jovial_atlas.rules import robots_of
from jovial_atlas.rules.hiding import ShownCounts, first_word, shown_by, whole_site
from jovial_atlas.sitefile import SiteFile


def public_robots(site: SiteFile) -> RobotsFile:
    """The robots.txt that crawlers read now: the one that stands there, else the one that a build
    would write. Raises AtlasError where it cannot be read."""
    path = site.output / ROBOTS
    try:
        return parse_robots(path.read_bytes())
    except FileNotFoundError:
        return robots_of(site.model)
    except OSError as error:
        raise AtlasError(f"{path} cannot be read ({error.strerror}).") from error


def coming_robots(site: SiteFile, output: FileSet | None = None) -> RobotsFile:
    """The robots.txt that crawlers read after a build: one of others stays as it is."""
    files = output or FileSet(site.output, site.state / MANIFEST)
    if files.is_foreign(ROBOTS):
        return parse_robots((site.output / ROBOTS).read_bytes())
    return robots_of(site.model)


def hiding_faults(
    survey: LastSurvey, robots: RobotsFile, shown: ShownCounts | None = None
) -> list[Fault]:
    """All that hides one host of a site, by its last survey; `shown` where that is counted."""
    site = survey.site
    counts = shown or shown_by(survey.lazy, site)
    return list(whole_site(site, counts, robots, survey.pages))


def hides_first(site: SiteFile, now: datetime) -> str:
    """As `said_first`, of the first host that hides itself; "" also where there is no survey."""
    try:
        survey = last_survey(site, now)
    except AtlasError:
        return ""
    return next((said for host in site.hosts if (said := said_first(survey.of_host(host)))), "")


def said_first(
    survey: LastSurvey, robots: RobotsFile | None = None, shown: ShownCounts | None = None
) -> str:
    """The gravest of it in a line, with what to do; "" where there is nothing to say first."""
    return first_word(iter(hiding_faults(survey, robots or public_robots(survey.site), shown)))
