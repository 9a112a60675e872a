"""What figures over time say: drops that are more than chance, waiting times, series. Pure
functions; SciPy is loaded where a test or an estimate needs it."""
