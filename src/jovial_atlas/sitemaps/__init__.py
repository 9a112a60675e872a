"""The sitemap protocol: limits and vocabulary, writing, reading, checking.

A room that knows nothing of the rest. `protocol` holds each rule once; writer, reader
and checker read that table.
"""
