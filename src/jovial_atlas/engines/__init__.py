"""Announcing to search engines: IndexNow and described HTTP calls, messages apart from sending."""
