"""The site file `atlas.toml`: its model, and reading it with all errors at once."""

from jovial_atlas.sitefile.deciding import Rule, Section
from jovial_atlas.sitefile.engines import (
    CallChannel,
    Engine,
    HandChannel,
    IndexNowChannel,
    PackageChannel,
    RobotsChannel,
    WebSubChannel,
)
from jovial_atlas.sitefile.model import Site, SiteModel
from jovial_atlas.sitefile.publisher import Publisher
from jovial_atlas.sitefile.read import SiteFile, read_site_file
from jovial_atlas.sitefile.sources import (
    CrawlSource,
    FeedSource,
    HtmlSource,
    JsonSource,
    ListSource,
    MarkdownSource,
    PackageSource,
    Source,
    SqlSource,
    TableSource,
)

__all__ = [
    "CallChannel",
    "CrawlSource",
    "Engine",
    "FeedSource",
    "HandChannel",
    "HtmlSource",
    "IndexNowChannel",
    "JsonSource",
    "ListSource",
    "MarkdownSource",
    "PackageChannel",
    "PackageSource",
    "Publisher",
    "RobotsChannel",
    "Rule",
    "Section",
    "Site",
    "SiteFile",
    "SiteModel",
    "Source",
    "SqlSource",
    "TableSource",
    "WebSubChannel",
    "read_site_file",
]
