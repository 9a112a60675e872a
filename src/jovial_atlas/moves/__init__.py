"""Addresses that moved or went: what each says, where it leads in one hop, how moves are found,
read from the configuration of servers, and written for them.

Knows nothing of the site file or the ledger. An address here is normalised (`addresses.normalise`),
and paths are percent-encoded.
"""
