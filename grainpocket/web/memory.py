"""Memory that nobody holds any more, given back to the system."""

from __future__ import annotations

import ctypes
import threading

EVERY_S = 30.0


def give_back() -> bool:
    """Let go of what the C library keeps of freed blocks, in the middle of its heaps too; whether it let go of any.

    By itself it gives back only what lies free at the end of a heap, and between what caches threw out at one time something
    that lives on always lies. glibc's malloc_trim (malloc_trim(3)); with other libraries nothing happens."""
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)
    return bool(trim(0)) if trim is not None else False


def keep_giving_back() -> None:
    """Every half minute from now on, beside all else: it takes some milliseconds."""
    never = threading.Event()

    def work() -> None:
        while not never.wait(EVERY_S):
            give_back()

    threading.Thread(target=work, name="give-back", daemon=True).start()
