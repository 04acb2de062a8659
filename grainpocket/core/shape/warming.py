"""Every kernel of a voice run once over next to nothing: what is loaded or compiled for it, no musician waits for."""

from __future__ import annotations

import numpy as np

from grainpocket.core.shape.correction import corrected
from grainpocket.core.shape.drive import driven
from grainpocket.core.shape.filters import KINDS, filtered
from grainpocket.core.shape.resampling import read_at


def warm(rate: int) -> None:
    """Compile all that voices are rendered with, at a rate in Hz, so that the first one need not wait for it."""
    sound = np.zeros((rate // 4, 2), np.float32)
    sound[:, :] = 0.1 * np.sin(np.arange(len(sound)) * 2 * np.pi * 220 / rate)[:, None]
    few = sound[:64]
    for kind in KINDS:
        filtered(few, kind, "24", np.full(len(few), 1000.0), 0.0, rate)
    driven(few, np.full(len(few), 6.0))
    read_at(few, np.arange(64.0), np.ones(64))
    corrected(sound, rate, range(12), 1.0, 0.05)
