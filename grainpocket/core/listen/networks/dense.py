"""Small networks of plain layers, run with numpy. Weights ship with the program; see training/listen."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from importlib import resources
from typing import Any

import numpy as np
from numpy.typing import NDArray

Table = NDArray[np.float32]


@dataclass(frozen=True)
class Layers:
    """weights, biases: of each layer, rectified between; mean, scale: of the features."""

    weights: tuple[Table, ...]
    biases: tuple[Table, ...]
    mean: Table
    scale: Table

    def __call__(self, x: Table) -> Table:
        """(k, features) to (k, outputs), before any squashing."""
        y = (x - self.mean) / self.scale
        for i, (weight, bias) in enumerate(zip(self.weights, self.biases, strict=True)):
            y = y @ weight + bias
            if i < len(self.weights) - 1:
                y = np.maximum(y, 0)
        return np.asarray(y, np.float32)


def logits(likely: Table) -> Table:
    """Logits of probabilities, the same shape."""
    safe = np.clip(likely, 1e-3, 1 - 1e-3)
    return np.asarray(np.log(safe) - np.log1p(-safe))


def arrays(name: str) -> dict[str, Table]:
    """By name: the arrays (any shape) in a file of core/listen/weights."""
    with resources.files("grainpocket.core.listen.weights").joinpath(name).open("rb") as file, np.load(file) as data:
        return {key: data[key].astype(np.float32) for key in data}


def load(name: str) -> Layers:
    """From a file of core/listen/weights with arrays w0, b0, w1, b1, ..., mean, scale."""
    a = arrays(name)
    count = sum(1 for key in a if key.startswith("w"))
    return Layers(tuple(a[f"w{i}"] for i in range(count)), tuple(a[f"b{i}"] for i in range(count)), a["mean"], a["scale"])


def mean_of(networks: Sequence[Callable[..., Table]], *seen: NDArray[Any]) -> Table:
    """What several networks (k,) say together, the same shape: fitted apart, they are right more often than the best of them
    (Lakshminarayanan, Pritzel & Blundell, "Simple and scalable predictive uncertainty estimation using deep ensembles", NeurIPS
    2017)."""
    return np.asarray(np.mean([network(*seen) for network in networks], axis=0), np.float32)
