"""Steps from older ledgers to today's, run by Alembic when a ledger is opened."""
