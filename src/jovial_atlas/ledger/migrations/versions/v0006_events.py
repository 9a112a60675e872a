"""Changes of pages, and the pages that each changed."""

from __future__ import annotations

from alembic import op
from sqlalchemy import Column, Integer, String

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    """Two tables more."""
    op.create_table(
        "event",
        Column("id", Integer, primary_key=True),
        Column("at", String, nullable=False),
        Column("kind", String, nullable=False),
        Column("what", String, nullable=False),
        Column("why", String, nullable=False),
        Column("pages", Integer, nullable=False),
    )
    op.create_table(
        "event_page",
        Column("event", Integer, primary_key=True),
        Column("loc", String, primary_key=True),
        Column("side", Integer, nullable=False),
    )
