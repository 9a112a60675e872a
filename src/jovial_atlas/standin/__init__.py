"""The simulated engine: it really fetches and judges, on loopback only."""
