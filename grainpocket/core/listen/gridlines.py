"""Beats and samples of a source's grid, each from the other; through the drift of a performance, if the grid follows one."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.pocket import Grid

_Row = NDArray[np.float64]


def place_of(grid: Grid, rate: int, beats: _Row) -> _Row:
    """Samples of beats counted from bar one; beyond the beats that are known the nearest tempo goes on."""
    if len(grid.beats) < 2:
        return np.asarray(grid.bar_one + beats * (60.0 * rate / grid.bpm))
    known = np.array(grid.beats, np.float64)
    last = len(known) - 1
    out = np.interp(beats, np.arange(len(known)), known)
    out = np.where(beats < 0, known[0] + beats * (known[1] - known[0]), out)
    return np.asarray(np.where(beats > last, known[-1] + (beats - last) * (known[-1] - known[-2]), out))


def beat_of(grid: Grid, rate: int, places: _Row) -> _Row:
    """The inverse of `place_of`."""
    if len(grid.beats) < 2:
        return np.asarray((places - grid.bar_one) * (grid.bpm / 60.0 / rate))
    known = np.array(grid.beats, np.float64)
    last = len(known) - 1
    out = np.interp(places, known, np.arange(len(known)))
    out = np.where(places < known[0], (places - known[0]) / (known[1] - known[0]), out)
    return np.asarray(np.where(places > known[-1], last + (places - known[-1]) / (known[-1] - known[-2]), out))


def lines(grid: Grid, frames: int, rate: int, step: float) -> NDArray[np.int64]:
    """Samples of every line inside a source, `step` beats apart, counted from bar one in both directions."""
    first, last = beat_of(grid, rate, np.array([0.0, float(frames)])) / step
    number = np.arange(np.ceil(first - 1e-6), np.floor(last + 1e-6) + 1)
    at = np.round(place_of(grid, rate, number * step)).astype(np.int64)
    return np.asarray(at[(at >= 0) & (at < frames)])
