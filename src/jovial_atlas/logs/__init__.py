"""Server logs: what crawlers asked for, and whether they are who they say. Knows nothing of
sites."""
