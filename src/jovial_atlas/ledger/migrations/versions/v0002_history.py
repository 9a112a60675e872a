"""Visits as history rather than the last one alone, what was built when, and more that engines say:
without these, nothing tells how long a page waited, or what changed since when."""

from __future__ import annotations

from alembic import op
from sqlalchemy import Column, Integer, String, text

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    """Keep every visit that is known, as first and last at once."""
    op.rename_table("visit", "visit_before")
    op.create_table(
        "visit",
        Column("id", Integer, primary_key=True),
        *(Column(n, String, nullable=False) for n in ("engine", "crawler", "loc", "first", "last")),
        Column("status", Integer, nullable=False),
        Column("count", Integer, nullable=False),
    )
    op.execute(
        text(
            "insert into visit (engine, crawler, loc, first, last, status, count) "
            "select engine, crawler, loc, at, at, status, count from visit_before"
        )
    )
    op.drop_table("visit_before")
    op.create_index("visit_of", "visit", ["engine", "loc"])
    op.create_table(
        "built",
        Column("id", Integer, primary_key=True),
        *(Column(name, String, nullable=False) for name in ("at", "loc", "section")),
        Column("urls", Integer, nullable=False),
        Column("gone", Integer, nullable=False),
    )
    op.add_column("report", Column("videos", Integer))
    op.add_column("page", Column("canonical", String, nullable=False, server_default=""))
    op.create_index("report_of", "report", ["engine", "loc", "asked_at"])
    op.create_index("page_of", "page", ["engine", "loc", "id"])
