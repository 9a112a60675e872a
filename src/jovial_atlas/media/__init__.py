"""Videos and pictures themselves: probing files, taking stills, players of hosting services.

Knows nothing of site files, pages or sitemaps.
"""
