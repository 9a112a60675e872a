"""Rounds that nobody watched, what needed a person, who was told, and who tends the site."""

from __future__ import annotations

from alembic import op
from sqlalchemy import Column, Integer, String

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    """Four tables more."""
    op.create_table(
        "round",
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
    op.create_table(
        "notice",
        Column("id", Integer, primary_key=True),
        Column("key", String, nullable=False),
        Column("severity", String, nullable=False),
        Column("sections", String, nullable=False),
        Column("message", String, nullable=False),
        Column("at", String, nullable=False),
        Column("well_at", String),
    )
    op.create_table(
        "message",
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
    )
    op.create_table(
        "tender",
        Column("machine", String, primary_key=True),
        Column("seen", String, nullable=False),
        Column("doing", String, nullable=False),
    )
    op.create_index("ix_notice_key", "notice", ["key"])
    op.create_index("message_due", "message", ["sent_at", "due"])
