"""The first tables. Ledgers from before there were steps have some or all of them already."""

from __future__ import annotations

from alembic import op
from sqlalchemy import Column, ForeignKey, Integer, MetaData, String, Table

revision = "0001"
down_revision = None


def upgrade() -> None:
    """Make the tables that are missing."""
    meta = MetaData()
    Table(
        "announcement",
        meta,
        Column("id", Integer, primary_key=True),
        *_texts("engine", "channel", "what"),
        Column("count", Integer, nullable=False),
        *_texts("intended_at"),
        Column("answered_at", String),
        *_texts("status", "detail"),
    )
    Table(
        "item",
        meta,
        Column("announcement", ForeignKey("announcement.id"), nullable=False, index=True),
        *_texts("loc"),
        Column("mark", String),
    )
    Table(
        "heard",
        meta,
        *_keys("engine", "channel", "loc"),
        *_texts("mark", "at"),
        Column("urls", Integer),
    )
    Table(
        "report",
        meta,
        Column("id", Integer, primary_key=True),
        *_texts("engine", "loc", "asked_at"),
        Column("last_read", String),
        *_texts("state"),
        Column("found", Integer),
        Column("indexed", Integer),
        *_texts("reasons"),
    )
    Table(
        "visit",
        meta,
        *_keys("engine", "crawler", "loc"),
        *_texts("at"),
        Column("status", Integer, nullable=False),
        Column("count", Integer, nullable=False),
    )
    Table(
        "reason",
        meta,
        Column("id", Integer, primary_key=True),
        *_texts("engine", "asked_at", "reason"),
        Column("pages", Integer, nullable=False),
    )
    Table(
        "page",
        meta,
        Column("id", Integer, primary_key=True),
        Column("engine", String, nullable=False, index=True),
        *_texts("asked_at", "loc"),
        Column("indexed", Integer),
        *_texts("reason"),
        Column("last_crawl", String),
    )
    Table("secret", meta, *_keys("kind"), *_texts("token", "at"))
    meta.create_all(op.get_bind())  # fmt: skip


def _texts(*names: str) -> list[Column[str]]:
    return [Column(name, String, nullable=False) for name in names]


def _keys(*names: str) -> list[Column[str]]:
    return [Column(name, String, primary_key=True) for name in names]
