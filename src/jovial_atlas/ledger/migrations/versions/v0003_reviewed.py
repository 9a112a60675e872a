"""What reviews of the whole site came to, so that a score can be held against earlier ones."""

from __future__ import annotations

from alembic import op
from sqlalchemy import Column, Integer, String

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    """A table more."""
    op.create_table(
        "reviewed",
        Column("id", Integer, primary_key=True),
        Column("at", String, nullable=False),
        Column("survey", String, nullable=False),
        Column("score", Integer, nullable=False),
        Column("pages", Integer, nullable=False),
        Column("marks", String, nullable=False),
    )
