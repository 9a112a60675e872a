"""The first thing to know of a site: whether it hides all of itself."""

from __future__ import annotations

from jovial_atlas.checks.pages import HIDDEN_SHARE
from jovial_atlas.faults import plural
from jovial_atlas.files import FileSet
from jovial_atlas.robots import Matcher, parse_robots
from jovial_atlas.rounds.build.listing import Listed
from jovial_atlas.rounds.build.places import ROBOTS
from jovial_atlas.rules import robots_of
from jovial_atlas.sitefile import SiteFile


def hides_itself(site: SiteFile, listing: Listed, noindexed: int, output: FileSet) -> str:
    """What hides the whole site, in one sentence and what to do; "" where nothing does."""
    if site.model.site.stage == "draft":
        return (
            "The site is a draft: robots.txt hides all of it and no sitemap is written. "
            'Set stage = "live" in [site] when it is ready.'
        )
    pages = listing.count + sum(listing.not_listed.values())
    if pages and noindexed >= HIDDEN_SHARE * pages:
        return (
            f"The site hides itself: {noindexed:,} of {plural(pages, 'page')} may not be "
            "indexed. Take the noindex out of the page templates or the rules, then survey again."
        )
    robots = robots_of(site.model)
    if output.is_foreign(ROBOTS):
        robots = parse_robots((site.output / ROBOTS).read_bytes())
    matcher = Matcher(robots, "*")
    if matcher.rules and not matcher.ask("/").allowed and not _some_allowed(matcher):
        return (
            "The site hides itself: robots.txt bars every crawler from every page. "
            "Take the rule out of [robots], or out of the robots.txt that stands there."
        )
    return ""


def _some_allowed(matcher: Matcher) -> bool:
    return any(rule.allow for rule in matcher.rules)
