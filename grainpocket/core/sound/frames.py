"""Sound in frames that overlap, and their spectra through a window: where every short-time analysis begins."""

from __future__ import annotations

import functools
from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]


@functools.lru_cache(maxsize=32)
def hann(size: int, *, root: bool = False) -> NDArray[np.float32]:
    """(size,) Hann's window as frames that overlap need it: periodic, so that it adds up to a constant at any hop that divides
    half of it. root: its square root, whose square does. Read only."""
    return _read_only(np.asarray(exact_hann(size, root=root), np.float32))


@functools.lru_cache(maxsize=32)
def exact_hann(size: int, *, root: bool = False) -> NDArray[np.float64]:
    """(size,) the same in double precision. Read only."""
    window = 0.5 - 0.5 * np.cos(2 * np.pi * np.arange(size) / size)
    return _read_only(np.sqrt(window) if root else window)


def framed(sound: Array, size: int, hop: int = 1) -> Array:
    """(…, frames, size) of (…, n): every frame of `size` samples that lies in it, `hop` apart; a view, nothing is copied.

    Raises ValueError where n < size."""
    return np.lib.stride_tricks.sliding_window_view(sound, size, axis=-1)[..., ::hop, :]


def spectra_of(frames: Array, window: Array, length: int | None = None, *, workers: int = 1) -> Array:
    """(…, bins) complex spectra of (…, size) frames seen through a window of the same size, as precise as their product.

    length: of the transform, in samples; what is over `size` is zeros."""
    from scipy import fft  # Here, because the web process, which only reads what was heard, then starts much sooner.

    return np.asarray(fft.rfft(frames * window, length, axis=-1, workers=workers))


def _read_only(window: NDArray[Any]) -> NDArray[Any]:
    window.setflags(write=False)
    return window
