"""The adapter between our analysis and a scorer of onsets and tempo: plain functions on mono float32 and seconds."""

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.hearing import hear, threshold
from grainpocket.core.sound.audio import Samples

SENSITIVITY = 0.5


def onsets(y: Samples, sr: int) -> NDArray[np.float64]:
    return hear(y, sr).onsets.above(threshold(SENSITIVITY)) / sr


def loop(y: Samples, sr: int) -> float:
    tempi = hear(y, sr).tempi
    return next((t.bpm for t in tempi if t.bars), tempi[0].bpm if tempi else 0.0)


def tempo(y: Samples, sr: int) -> tuple[float, NDArray[np.float64]]:
    tempi = hear(y, sr).tempi
    if not tempi:
        return 0.0, np.zeros(0)
    first = onsets(y, sr)[0]
    return tempi[0].bpm, np.arange(first, len(y) / sr, 60 / tempi[0].bpm)
