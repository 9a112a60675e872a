"""A corpus with known truth: pages written once, rendered by site generators, and read back."""
