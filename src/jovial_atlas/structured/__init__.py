"""Structured data by the vocabulary schema.org, as plain JSON-LD nodes.

A room that knows nothing of the rest: values in, nodes out. A node is only made when
what its type requires is there, so nothing invalid is published.
"""
