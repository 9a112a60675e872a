"""Rounds that nobody watches: from the content to what engines know, and who is told."""
