"""What each candidate onset is: real or not, and which drums, notes or voices begin with it.

Small multilayer perceptrons look at the spectrum from 200 ms before a candidate to 180 ms after it. They were trained on
drum kits, grooves and voices that we rendered ourselves (see training/listen), each on other ones; their weights ship with the
program, and running them is a few matrix products.
"""

from __future__ import annotations

import functools

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.networks.dense import Layers, load, mean_of
from grainpocket.core.listen.spectra.bands import COARSE, Bands, Levels

OUTPUTS = ("onset", "kick", "snare", "hat", "perc", "tonal", "vocal")
ROLES = OUTPUTS[1:]
# Frames of 5 ms about the candidate, first to last (left out); each group is one look.
_LOOKS = (
    (-40, -24), (-24, -14), (-14, -9), (-9, -6), (-6, -5), (-5, -4), (-4, -3), (-3, -2), (-2, -1), (-1, 0), (0, 1), (1, 2), (2, 3),
    (3, 4), (4, 6), (6, 9), (9, 13), (13, 20), (20, 36),
)  # fmt: skip
_EDGES = np.array([first for first, _ in _LOOKS] + [_LOOKS[-1][1]])
FEATURES = len(_LOOKS) * COARSE + 2
_FLOOR_DB, _BLOCK = -80.0, 1024
NETWORKS = ("classifier1.npz", "classifier2.npz", "classifier3.npz")
Probabilities = NDArray[np.float32]


def features(bands: Bands, frames: NDArray[np.int64], heights: NDArray[np.float64]) -> Levels:
    """(k, FEATURES): decibels over the floor of every look and band, scaled to about 0..1; then the peak's own height and
    the loudest level of all, so that the rest can be judged relative to it."""
    if not len(frames):
        return np.zeros((0, FEATURES), np.float32)
    before, after = -_LOOKS[0][0], _LOOKS[-1][1]
    # Only the stretch that these candidates lie in: a long recording is not to be copied whole.
    first_frame = int(frames.min())
    near = bands.coarse[max(0, first_frame - before) : int(frames.max()) + after + 1]
    level = np.maximum(20 * np.log10(near + 1e-9), _FLOOR_DB) / -_FLOOR_DB + 1
    padded = np.pad(level, ((max(0, before - first_frame), after), (0, 0)))
    frames = frames - first_frame
    out = np.empty((len(frames), FEATURES), np.float32)
    # The looks follow on each other without a gap.
    total = np.zeros((len(padded) + 1, COARSE))
    np.cumsum(padded, axis=0, out=total[1:])
    sums = np.diff(total[frames[:, None] + before + _EDGES], axis=1)
    out[:, :-2] = (sums / np.diff(_EDGES)[:, None]).reshape(len(frames), -1)
    out[:, -2] = np.minimum(heights, 6.0) / 3
    out[:, -1] = out[:, :-2].max(axis=1)
    return out


def looks(bands: Bands, frames: NDArray[np.int64]) -> Levels:
    """(k, features): `features` of rising frames (k,) whose flux is not asked for, a few at a time: a long recording is not to
    be copied whole."""
    out = np.empty((len(frames), FEATURES), np.float32)
    for first in range(0, len(frames), _BLOCK):
        part = frames[first : first + _BLOCK]
        out[first : first + len(part)] = features(bands, part, np.zeros(len(part)))
    return out


def alone(likely: Probabilities, roles: Probabilities, role: int, most: int, least: float) -> NDArray[np.int64]:
    """Indices of the onsets that are surely this column of roles (k, n) and no other of them: surest first, `most` at the most,
    each surer than `least`. likely: (k,), that it is real."""
    pure = likely * roles[:, role] * (1 - np.delete(roles, role, axis=1).max(axis=1))
    best = np.argsort(-pure, kind="stable")[:most]
    return np.asarray(best[pure[best] > least])


@functools.cache
def networks() -> tuple[Layers, ...]:
    """The networks of the first look, which are averaged."""
    return tuple(load(name) for name in NETWORKS)


def classify(bands: Bands, frames: NDArray[np.int64], heights: NDArray[np.float64]) -> Probabilities:
    """(k, len(OUTPUTS)) for candidates at `frames`, whose flux stands `heights` over its surroundings."""
    out = np.empty((len(frames), len(OUTPUTS)), np.float32)
    for first in range(0, len(frames), _BLOCK):
        part = slice(first, first + _BLOCK)
        score = mean_of(networks(), features(bands, frames[part], heights[part]))
        out[part] = 1 / (1 + np.exp(-np.clip(score, -30, 30)))
    return out
