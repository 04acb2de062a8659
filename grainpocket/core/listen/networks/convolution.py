"""Convolutions of small networks, run with numpy: each as one product of matrices (Chellapilla, Puri & Simard, "High
performance convolutional neural networks for document processing", IWFHR 2006)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Table = NDArray[np.float32]
# Rows of time at once: few enough for a processor's own memory.
_BLOCK = 64


def picture(x: Table, weight: Table, bias: Table, strides: tuple[int, int]) -> Table:
    """x: (time, pitch, in); weight: (times, pitches, in, out), odd sides, centred on every strides-th place. What lies outside
    is 0. Returns (time / strides, pitch / strides, out), rectified."""
    high, wide, into, out = weight.shape
    padded = np.pad(x, ((high // 2, high // 2), (wide // 2, wide // 2), (0, 0)))
    # All of a window that stands in one row of time lies side by side, and is copied at one go.
    lines = padded.reshape(len(padded), -1)
    view = np.lib.stride_tricks.sliding_window_view(lines, (high, wide * into), axis=(0, 1))
    view = view[:: strides[0], :: strides[1] * into]
    flat = np.ascontiguousarray(weight.reshape(high * wide * into, out))
    made = np.empty((*view.shape[:2], out), np.float32)
    for first in range(0, len(view), _BLOCK):
        some = view[first : first + _BLOCK]
        np.matmul(some.reshape(-1, len(flat)), flat, out=made[first : first + _BLOCK].reshape(-1, out))
    made += bias
    return np.maximum(made, 0, out=made)


def spread(x: Table, weight: Table, bias: Table, apart: int = 1) -> Table:
    """x: (time, pitch, in); weight: (times, pitches, in, out), odd sides, its times `apart` from one another; bias: (out,) or
    (pitch, out). What lies outside is 0. Returns (time, pitch, out), rectified."""
    times, wide, into, out = weight.shape
    reach = times // 2 * apart
    lines = np.pad(x, ((reach, reach), (wide // 2, wide // 2), (0, 0))).reshape(len(x) + 2 * reach, -1)
    # One product over all places: many small ones would take several times as long.
    near = np.lib.stride_tricks.sliding_window_view(lines, wide * into, axis=1)[:, ::into].reshape(-1, wide * into)
    pitches = x.shape[1]
    made = np.zeros((len(x) * pitches, out), np.float32)
    for k in range(times):
        first = k * apart * pitches
        made += near[first : first + len(made)] @ weight[k].reshape(wide * into, out)
    whole = made.reshape(len(x), pitches, out)
    whole += bias
    return np.maximum(whole, 0, out=whole)


def row(x: Table, weight: Table, bias: Table, apart: int = 1) -> Table:
    """x: (time, in); weight: (times, in, out), odd, its places `apart` from one another. What lies outside is 0. Returns
    (time, out)."""
    times = len(weight)
    reach = times // 2 * apart
    padded = np.pad(x, ((reach, reach), (0, 0)))
    made = np.broadcast_to(bias, (len(x), len(bias))).astype(np.float32)
    for k in range(times):
        made += padded[k * apart : k * apart + len(x)] @ weight[k]
    return made
