"""What Alembic runs: the steps, on the connection that the store hands in."""

from __future__ import annotations

from alembic import context

context.configure(connection=context.config.attributes["connection"])
context.run_migrations()
