"""Numbers of addresses, looked up by the digests of many at once."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_BITS = 64
#: Drawers for each digest, about: in most of those that are used there is one alone.
_SPREAD = 2


class DigestNumbers:
    """Finds the number of a digest of 64 bits. Digests are spread evenly: the first bits of one
    name the drawer that it lies in. Of one that is in `digests` twice, the later number counts."""

    def __init__(self, digests: NDArray[np.uint64], numbers: NDArray[np.uint32]) -> None:
        self._digests = digests
        # With one behind all others, for what is not found.
        self._numbers = np.append(numbers.astype(np.int32), np.int32(-1))
        bits = max(1, len(digests).bit_length() + _SPREAD)
        self._shift = np.uint64(_BITS - bits)
        drawers = (digests >> self._shift).astype(np.int64)
        #: The last of each drawer; and of each digest the one before it in its drawer.
        self._last = np.full(1 << bits, -1, np.int32)
        self._before = np.full(len(digests), -1, np.int32)
        places = np.arange(len(digests), dtype=np.int32)
        self._last[drawers] = places  # of several the last one stays
        shares = self._last[drawers] != places
        shares[self._last[drawers[shares]]] = True
        sharing = np.flatnonzero(shares)
        order = sharing[np.argsort(drawers[sharing], kind="stable")]
        same = np.flatnonzero(drawers[order][1:] == drawers[order][:-1])
        self._before[order[same + 1]] = order[same]

    def of(self, asked: NDArray[np.uint64]) -> NDArray[np.int32]:
        """The number of each digest, -1 where it has none."""
        if not len(self._digests):
            return np.full(len(asked), -1, np.int32)
        found = self._last.take((asked >> self._shift).view(np.int64))
        # The one before the first is the last of all: it cannot be the one that was asked for, or
        # its drawer would have it.
        wrong = np.flatnonzero(self._digests.take(found, mode="wrap") != asked)
        while len(wrong):
            other = found[wrong]
            there = other >= 0
            found[wrong[~there]] = -1
            wrong = wrong[there]
            other = self._before.take(other[there])
            found[wrong] = other
            wrong = wrong[(other < 0) | (self._digests.take(other, mode="wrap") != asked[wrong])]
        return self._numbers.take(found, mode="wrap")
