"""Running medians, kept sorted as they go."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

Table = NDArray[np.float32]


def along_time(table: Table, width: int) -> Table:
    """(frames, bins): the median of `width` frames round each, of every bin; at the edges of those there are."""
    out = np.empty_like(table)
    _medians(np.ascontiguousarray(table.T), width, out.T)
    return out


def along_frequency(table: Table, width: int) -> Table:
    """(frames, bins): the median of `width` bins round each, of every frame."""
    out = np.empty_like(table)
    _medians(np.ascontiguousarray(table), width, out)
    return out


@njit(cache=True, nogil=True)
def _medians(rows, width, out):  # type: ignore[no-untyped-def]
    count, length = rows.shape
    half = width // 2
    kept = np.empty(width + 1, np.float32)
    for r in range(count):
        held = 0
        for i in range(min(half, length)):
            held = _put(kept, held, rows[r, i])
        for i in range(length):
            if i + half < length:
                held = _put(kept, held, rows[r, i + half])
            if i - half - 1 >= 0:
                held = _take(kept, held, rows[r, i - half - 1])
            out[r, i] = kept[held // 2] if held % 2 else 0.5 * (kept[held // 2 - 1] + kept[held // 2])


@njit(cache=True, nogil=True)
def _put(kept, held, value):  # type: ignore[no-untyped-def]
    i = held
    while i > 0 and kept[i - 1] > value:
        kept[i] = kept[i - 1]
        i -= 1
    kept[i] = value
    return held + 1


@njit(cache=True, nogil=True)
def _take(kept, held, value):  # type: ignore[no-untyped-def]
    i = 0
    while i < held - 1 and kept[i] != value:
        i += 1
    for k in range(i, held - 1):
        kept[k] = kept[k + 1]
    return held - 1
