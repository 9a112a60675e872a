"""robots.txt by RFC 9309, and the directives of `<meta name="robots">` and `X-Robots-Tag`.

A room that knows nothing of the rest: bytes and strings in, values and bytes out.
"""

from jovial_atlas.robots.directives import Directives, read_directives
from jovial_atlas.robots.match import Matcher, Permission, normal_octets, pattern_regex
from jovial_atlas.robots.parse import Group, RobotsFile, RobotsRecord, RobotsRule, parse_robots
from jovial_atlas.robots.write import write_robots

__all__ = [
    "Directives",
    "Group",
    "Matcher",
    "Permission",
    "RobotsFile",
    "RobotsRecord",
    "RobotsRule",
    "normal_octets",
    "parse_robots",
    "pattern_regex",
    "read_directives",
    "write_robots",
]
