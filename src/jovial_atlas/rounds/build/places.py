"""Names of files: those at the root of the output folder, and those of the state folder."""

from jovial_atlas.signs import STYLE

__all__ = [
    "ADOPTED",
    "BLOCKS",
    "FRAGMENTS",
    "GONE",
    "HEAD",
    "HIDDEN",
    "INDEX",
    "KEY",
    "LEDGER",
    "MANIFEST",
    "PLACED",
    "RECORD",
    "ROBOTS",
    "SERVERS",
    "STYLE",
    "TABLES",
]  # fmt: skip

INDEX, ROBOTS = "sitemap.xml", "robots.txt"

#: In the state folder: the IndexNow key, what is public (a record, the file of
#: each address, and a table a sitemap file), head data, and files that were moved out of the way.
KEY = "indexnow.key"
RECORD, PLACED, TABLES = "published.json", "placed", "published"
HEAD, ADOPTED, SERVERS = "head", "replaced", "servers"
FRAGMENTS = "heads"
LEDGER = "ledger.sqlite"
#: Files that builds wrote.
MANIFEST = "manifest.json"
HIDDEN = "noindexed.parquet"
#: In which files addresses stood that are no longer listed, for when they come again.
GONE = "placed-gone.parquet"
#: What was decided for each part of a large page table.
BLOCKS = "blocks.json"
