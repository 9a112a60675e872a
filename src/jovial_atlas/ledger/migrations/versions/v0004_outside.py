"""Addresses of other sites that links lead to: how each was met last, and since when."""

from __future__ import annotations

from alembic import op
from sqlalchemy import Column, Integer, String

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    """A table more."""
    op.create_table(
        "outside",
        Column("loc", String, primary_key=True),
        Column("state", String, nullable=False),
        Column("status", Integer),
        Column("final", String),
        Column("detail", String, nullable=False),
        Column("at", String, nullable=False),
        Column("since", String, nullable=False),
        Column("times", Integer, nullable=False),
    )
