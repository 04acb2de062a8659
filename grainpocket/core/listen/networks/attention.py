"""A small network that looks at all onsets of a recording together, run with numpy.

Whether a hat hides a ghost note shows beside the other hats of the same record. So each onset is compared with all others:
an encoder of self-attention (Vaswani et al., "Attention is all you need", NeurIPS 2017; normalised before each step: Xiong
et al., ICML 2020). Half of the heads also see how far apart in time two onsets are (rotary positions: Su et al., "RoFormer",
2021, with seconds for positions). Weights ship with the program; see training/listen.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.networks.dense import arrays

HEADS, TIMED = 4, 2
# Radians a second that the timed heads turn by, slowest and fastest: from some bars to a thirty-second.
SLOWEST, FASTEST = 0.8, 50.0
# Onsets seen at once, and how many of them lend context only when a recording has more.
WINDOW, MARGIN = 384, 64
_EPS = 1e-5
# Closer and farther than this is all the same.
_GAPS_S = (0.02, 2.0)
Table = NDArray[np.float32]


@dataclass(frozen=True)
class Attention:
    """arrays: weights by name, as `training/listen/encoder.py` writes them; blocks: how many there are."""

    arrays: dict[str, Table]
    blocks: int

    def __call__(self, x: Table, seconds: NDArray[np.float64]) -> Table:
        """(k, features) of onsets at rising `seconds` to (k, outputs), before any squashing."""
        if not len(x):
            return np.zeros((0, len(self.arrays["out.bias"])), np.float32)
        step = WINDOW - 2 * MARGIN
        if len(x) <= WINDOW:
            return self._whole(x, seconds)
        parts: list[Table] = []
        for first in range(0, len(x), step):
            low, high = max(0, first - MARGIN), min(len(x), first + step + MARGIN)
            parts.append(self._whole(x[low:high], seconds[low:high])[first - low : first - low + step])
        return np.concatenate(parts)

    def _whole(self, x: Table, seconds: NDArray[np.float64]) -> Table:
        a = self.arrays
        h = np.maximum(self._linear("in", (x - a["mean"]) / a["scale"]), 0)
        h = self._linear("lift", h)
        turn = turns(seconds - (seconds[0] if len(seconds) else 0.0), h.shape[1] // HEADS)
        for i in range(self.blocks):
            h = h + self._attend(i, self._normal(f"{i}.first", h), turn)
            h = h + self._linear(f"{i}.down", np.maximum(self._linear(f"{i}.up", self._normal(f"{i}.second", h)), 0))
        return self._linear("out", self._normal("last", h))

    def _attend(self, block: int, h: Table, turn: tuple[Table, Table]) -> Table:
        count, width = h.shape
        three = self._linear(f"{block}.qkv", h).reshape(count, 3, HEADS, width // HEADS).transpose(1, 2, 0, 3)
        query, key, value = three[0].copy(), three[1].copy(), three[2]
        for one in (query, key):
            one[:TIMED] = turned(one[:TIMED], turn)
        score = query @ key.transpose(0, 2, 1) / np.float32(np.sqrt(width // HEADS))
        score = np.exp(score - score.max(axis=-1, keepdims=True))
        seen = (score / score.sum(axis=-1, keepdims=True)) @ value
        return self._linear(f"{block}.mix", seen.transpose(1, 0, 2).reshape(count, width))

    def _linear(self, name: str, x: Table) -> Table:
        return np.asarray(x @ self.arrays[f"{name}.weight"] + self.arrays[f"{name}.bias"], np.float32)

    def _normal(self, name: str, x: Table) -> Table:
        centred = x - x.mean(axis=-1, keepdims=True)
        size = np.sqrt((centred**2).mean(axis=-1, keepdims=True) + np.float32(_EPS))
        return np.asarray(centred / size * self.arrays[f"{name}.weight"] + self.arrays[f"{name}.bias"], np.float32)


def inter_onset_intervals(seconds: NDArray[np.float64]) -> Table:
    """(k, 2): how long it is from each of rising seconds to the one before and to the one after, as logarithms."""
    between = np.log(np.clip(np.diff(seconds), *_GAPS_S))
    far = np.full(min(1, len(seconds)), np.log(_GAPS_S[1]))
    return np.column_stack((np.append(far, between), np.append(between, far))).astype(np.float32)


def turns(seconds: NDArray[np.float64], size: int) -> tuple[Table, Table]:
    """(cosines, sines), each (k, size // 2), of the timed heads' turning."""
    angle = seconds[:, None] * np.geomspace(SLOWEST, FASTEST, size // 2)
    return np.cos(angle).astype(np.float32), np.sin(angle).astype(np.float32)


def turned(x: Table, turn: tuple[Table, Table]) -> Table:
    """x (heads, k, size) with its two halves turned against each other."""
    cosine, sine = turn
    half = x.shape[-1] // 2
    a, b = x[..., :half], x[..., half:]
    return np.concatenate((a * cosine - b * sine, a * sine + b * cosine), axis=-1)


def load(name: str) -> Attention:
    """From a file of this folder."""
    kept = arrays(name)
    return Attention(kept, sum(1 for key in kept if key.endswith(".qkv.weight")))
