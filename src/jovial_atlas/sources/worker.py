"""How a process that reads pages gets ready: it makes tree after tree, and little else."""

from __future__ import annotations

import ctypes
import gc

#: New objects after which garbage is looked for: parsing a page makes hardly any.
_GARBAGE = 500_000
#: Parameters of mallopt(3) and their values: memory of one tree is kept for the next, not given
#: back and asked for anew.
_KEPT = {-1: 1 << 28, -3: 1 << 25}  # M_TRIM_THRESHOLD, M_MMAP_THRESHOLD


def prepare() -> None:
    """Get this process ready. Without glibc its memory is managed as it comes."""
    gc.set_threshold(_GARBAGE)
    try:
        mallopt = ctypes.CDLL(None).mallopt
    except (OSError, AttributeError, TypeError):
        return
    for parameter, value in _KEPT.items():
        mallopt(parameter, value)
