"""The review of pages: what is measured on each, and what is thought of it, with reasons.

Knows pages and their texts; nothing of the site file, the state folder or of how it is shown.
"""
