"""Names of files: those at the root of the output folder, and those of the state folder."""

from jovial_atlas.signs import STYLE as STYLE

INDEX, ROBOTS = "sitemap.xml", "robots.txt"

# The state folder, beside the site file. What several hosts share:
#: the page table; what the survey said of it; dates of pages that went, for when they come again
PAGE_TABLE, SURVEY_RECORD, DEPARTED = "pages.parquet", "survey.json", "departed.parquet"
#: what is known of picture files and of video files, and the stills of videos
KNOWN_PICTURES, KNOWN_VIDEOS, STILLS = "pictures.json", "videos.json", "stills"

# What each host has of its own:
#: which files of the output folder builds wrote
MANIFEST = "manifest.json"
#: the IndexNow key, and the record of announcements
KEY, LEDGER = "indexnow.key", "ledger.sqlite"
#: what is public: a record, the file in which each address stands, what each file lists
BUILD_RECORD, PLACED, LISTED_IN = "published.json", "placed", "published"
#: in which files addresses stood that are no longer listed; pages that may not be indexed
PLACED_GONE, NOINDEXED = "placed-gone.parquet", "noindexed.parquet"
#: how much of each of these files engines have heard
HEARD_FILES = "heard.json"
#: what was decided for each part of a large page table
DECIDED_BLOCKS = "blocks.json"
#: head data, as JSON Lines and as fragments; configuration of servers
HEAD_DATA, HEAD_FRAGMENTS, SERVERS = "head", "heads", "servers"
#: files of others that were moved out of the way
REPLACED = "replaced"
#: how far a check of the live site has come
LIVE_JOURNAL = "live.jsonl"
#: what a review measured on pages
MEASURES = "measures.parquet"
#: what commands changed in settings
HISTORY = "history"
#: how the content was after commands wrote into it
OWN_WRITES = "own-writes"
#: answers of a set-up that was left
SITTING = "sitting.json"
#: what pages said that records carry, by source
RECORD_PAGES = "record-pages"
#: copies of crawled pages
CRAWLED_COPIES = "crawls/pages"
#: a move of the domain: what was listed at the old host, and what engines knew since
DOMAIN_ADDRESSES, DOMAIN_COURSE = "domain-addresses.parquet", "domain-course.jsonl"
#: all that pages lead to
PAGE_LINKS = "links.parquet"
#: what people searched and clicked, by month; what that comes to by page, and of which days
TRAFFIC, TRAFFIC_PAGES, TRAFFIC_SPANS = "traffic", "traffic-pages.parquet", "traffic-spans.json"
#: what was published of each page; the moves of then; which links were put into which page
AS_PUBLISHED, MOVES_SEEN = "as-published.parquet", "moves-seen.json"
PUT_LINKS = "put-links.json"
