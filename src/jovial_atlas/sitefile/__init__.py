"""The site file `atlas.toml`: its model, and reading it with all errors at once."""

from jovial_atlas.sitefile.model import (
    CallChannel,
    Engine,
    HtmlSource,
    IndexNowChannel,
    Publisher,
    Rule,
    Section,
    Site,
    SiteModel,
)
from jovial_atlas.sitefile.read import SiteFile, find_site_file, read_site_file

__all__ = [
    "CallChannel",
    "Engine",
    "HtmlSource",
    "IndexNowChannel",
    "Publisher",
    "Rule",
    "Section",
    "Site",
    "SiteFile",
    "SiteModel",
    "find_site_file",
    "read_site_file",
]
