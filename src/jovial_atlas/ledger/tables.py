"""The tables of the ledger as they are now. How older ones become these: `migrations/`.

| table        | one row is                                                            |
|--------------|-----------------------------------------------------------------------|
| announcement | one message to one engine over one channel: intent, then outcome      |
| item         | one address or sitemap in that message, with the mark of its state    |
| heard        | an address or sitemap as the engine last took it                      |
| built        | what one sitemap held from a time on; `gone` once it is written no more|
| report       | what an engine said of one sitemap, at one time                       |
| visit        | what a crawler asked of one address, as one reading of logs told      |
| reason       | how many pages an engine leaves out for a reason, at one time         |
| page         | what an engine said of one address, at one time                       |
| secret       | the part that nobody can guess of an unlisted sitemap's name          |
| reviewed     | what a review of the whole site came to, where it differs from before  |
| round        | a round that nobody watched; those without changes are one row          |
| notice       | something that needs a person, as long as it lasts                    |
| message      | what is to be told to somebody of a notice, and whether it was        |
| tender       | a machine that tends the site, as it was seen last                    |
| event        | pages that changed, and what changed of them                          |
| event_page   | a page that an event changed, or that a lot kept as it was            |
| outside      | an address of another site that links lead to, as it was met last     |

`heard` follows from `announcement` and `item`, and is kept so that nobody has to add them up;
`outside` is written anew when an address is asked for again, `tender` when a machine is seen; a
`notice` ends, and a `message` is sent. All other rows stay as they were
written, but for the outcome of an announcement. Times are texts in the product's form
(`YYYY-MM-DDThh:mm:ssZ`).
"""

from __future__ import annotations

from sqlalchemy import Column, ForeignKey, Index, Integer, MetaData, String, Table

#: The last step of `migrations/versions`.
VERSION = "0006"

TABLES = MetaData()
ANNOUNCEMENT = Table(
    "announcement",
    TABLES,
    Column("id", Integer, primary_key=True),
    Column("engine", String, nullable=False),
    Column("channel", String, nullable=False),
    Column("what", String, nullable=False),
    Column("count", Integer, nullable=False),
    Column("intended_at", String, nullable=False),
    Column("answered_at", String),
    Column("status", String, nullable=False),
    Column("detail", String, nullable=False, default=""),
)
ITEM = Table(
    "item",
    TABLES,
    Column("announcement", ForeignKey("announcement.id"), nullable=False, index=True),
    Column("loc", String, nullable=False),
    Column("mark", String),
)
HEARD = Table(
    "heard",
    TABLES,
    Column("engine", String, primary_key=True),
    Column("channel", String, primary_key=True),
    Column("loc", String, primary_key=True),
    Column("mark", String, nullable=False),
    Column("at", String, nullable=False),
    Column("urls", Integer),
)
BUILT = Table(
    "built",
    TABLES,
    Column("id", Integer, primary_key=True),
    Column("at", String, nullable=False),
    Column("loc", String, nullable=False),
    Column("section", String, nullable=False),
    Column("urls", Integer, nullable=False),
    Column("gone", Integer, nullable=False, default=0),
)
REPORT = Table(
    "report",
    TABLES,
    Column("id", Integer, primary_key=True),
    Column("engine", String, nullable=False),
    Column("loc", String, nullable=False),
    Column("asked_at", String, nullable=False),
    Column("last_read", String),
    Column("state", String, nullable=False),
    Column("found", Integer),
    Column("indexed", Integer),
    Column("reasons", String, nullable=False, default="{}"),
    Column("videos", Integer),
    Index("report_of", "engine", "loc", "asked_at"),
)
VISIT = Table(
    "visit",
    TABLES,
    Column("id", Integer, primary_key=True),
    Column("engine", String, nullable=False),
    Column("crawler", String, nullable=False),
    Column("loc", String, nullable=False),
    Column("first", String, nullable=False),
    Column("last", String, nullable=False),
    Column("status", Integer, nullable=False),
    Column("count", Integer, nullable=False),
    Index("visit_of", "engine", "loc"),
)
REASON = Table(
    "reason",
    TABLES,
    Column("id", Integer, primary_key=True),
    Column("engine", String, nullable=False),
    Column("asked_at", String, nullable=False),
    Column("reason", String, nullable=False),
    Column("pages", Integer, nullable=False),
)
PAGE = Table(
    "page",
    TABLES,
    Column("id", Integer, primary_key=True),
    Column("engine", String, nullable=False, index=True),
    Column("asked_at", String, nullable=False),
    Column("loc", String, nullable=False),
    Column("indexed", Integer),
    Column("reason", String, nullable=False, default=""),
    Column("last_crawl", String),
    Column("canonical", String, nullable=False, server_default=""),
    Index("page_of", "engine", "loc", "id"),
)
SECRET = Table(
    "secret",
    TABLES,
    Column("kind", String, primary_key=True),
    Column("token", String, nullable=False),
    Column("at", String, nullable=False),
)
REVIEWED = Table(
    "reviewed",
    TABLES,
    Column("id", Integer, primary_key=True),
    Column("at", String, nullable=False),
    Column("survey", String, nullable=False),
    Column("score", Integer, nullable=False),
    Column("pages", Integer, nullable=False),
    Column("marks", String, nullable=False),
)
EVENT = Table(
    "event",
    TABLES,
    Column("id", Integer, primary_key=True),
    Column("at", String, nullable=False),
    Column("kind", String, nullable=False),
    Column("what", String, nullable=False),
    Column("why", String, nullable=False),
    Column("pages", Integer, nullable=False),
)
EVENT_PAGE = Table(
    "event_page",
    TABLES,
    Column("event", Integer, primary_key=True),
    Column("loc", String, primary_key=True),
    Column("side", Integer, nullable=False),
)
OUTSIDE = Table(
    "outside",
    TABLES,
    Column("loc", String, primary_key=True),
    Column("state", String, nullable=False),
    Column("status", Integer),
    Column("final", String),
    Column("detail", String, nullable=False),
    Column("at", String, nullable=False),
    Column("since", String, nullable=False),
    Column("times", Integer, nullable=False),
)
ROUND = Table(
    "round",
    TABLES,
    Column("id", Integer, primary_key=True),
    Column("at", String, nullable=False),
    Column("last", String, nullable=False),
    Column("times", Integer, nullable=False),
    Column("machine", String, nullable=False),
    Column("state", String, nullable=False),
    Column("steps", String, nullable=False),
    Column("changes", String, nullable=False),
    Column("announced", Integer, nullable=False),
    Column("told", String, nullable=False),
)
NOTICE = Table(
    "notice",
    TABLES,
    Column("id", Integer, primary_key=True),
    Column("key", String, nullable=False, index=True),
    Column("severity", String, nullable=False),
    Column("sections", String, nullable=False),
    Column("message", String, nullable=False),
    Column("at", String, nullable=False),
    Column("well_at", String),
)
MESSAGE = Table(
    "message",
    TABLES,
    Column("id", Integer, primary_key=True),
    Column("notice", Integer),
    Column("to", String, nullable=False),
    Column("kind", String, nullable=False),
    Column("text", String, nullable=False),
    Column("at", String, nullable=False),
    Column("due", String, nullable=False),
    Column("tries", Integer, nullable=False),
    Column("sent_at", String),
    Column("trouble", String, nullable=False),
    Index("message_due", "sent_at", "due"),
)
TENDER = Table(
    "tender",
    TABLES,
    Column("machine", String, primary_key=True),
    Column("seen", String, nullable=False),
    Column("doing", String, nullable=False),
)
