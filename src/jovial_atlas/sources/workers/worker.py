"""How a process that reads pages gets ready: it makes tree after tree, and little else; and it ends
with the process that started it."""

from __future__ import annotations

import ctypes
import gc
import os
import signal
import threading
import time
from multiprocessing import parent_process

#: New objects after which garbage is looked for: parsing a page makes hardly any.
_GARBAGE = 500_000
#: Parameters of mallopt(3) and their values: memory of one tree is kept for the next, not given
#: back and asked for anew.
_KEPT = {-1: 1 << 28, -3: 1 << 25}  # M_TRIM_THRESHOLD, M_MMAP_THRESHOLD
#: The operation of prctl(2) that names a signal for when the parent is gone.
_WHEN_ORPHANED = 1  # PR_SET_PDEATHSIG


#: How often it is looked whether the parent is still there, in seconds.
_AGAIN = 1.0


def _end_with(parent: int) -> None:
    """End this process when its parent is gone: where the system does not see to it itself, or its
    signal came before it was asked for."""
    while os.getppid() == parent:
        time.sleep(_AGAIN)
    os._exit(1)


def prepare() -> None:
    """Get this process ready. Where the system is not Linux with glibc, its memory is managed as
    it comes, and it may outlive a parent that is killed by a second."""
    # What the parent had loaded, where this process is a copy of it, stays.
    gc.freeze()
    # An interrupt from the keyboard reaches all processes; what to do is for the parent to say.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    parent = parent_process()
    if parent is not None:
        threading.Thread(target=_end_with, args=(parent.pid,), daemon=True).start()
    try:
        ctypes.CDLL(None).prctl(_WHEN_ORPHANED, signal.SIGTERM)
    except (OSError, AttributeError, TypeError):
        pass
    else:
        if parent is not None and os.getppid() != parent.pid:
            signal.raise_signal(signal.SIGTERM)  # it was killed before that held
    spare_memory()


def spare_memory() -> None:
    """Have this process keep memory of one tree for the next, and look for garbage rarely."""
    gc.set_threshold(_GARBAGE)
    try:
        library = ctypes.CDLL(None)
        for parameter, value in _KEPT.items():
            library.mallopt(parameter, value)
    except (OSError, AttributeError, TypeError):
        return
