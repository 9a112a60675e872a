"""Where content comes from: one module a kind of source, each yields batches of pages."""
