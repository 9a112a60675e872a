"""Records of other systems as pages: tables, queries, feeds, lists, interfaces, Markdown."""
