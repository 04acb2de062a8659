"""Spectra round chosen samples of a recording, a few hundred at a time."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.sound.audio import Samples, excerpt
from grainpocket.core.sound.frames import framed, spectra_of

_BLOCK = 256


def hann(size: int) -> NDArray[np.float32]:
    """(size,) the window that `magnitudes` looks through."""
    return np.hanning(size).astype(np.float32)


def magnitudes(samples: Samples, middle: NDArray[np.int64], size: int) -> Iterator[tuple[slice, NDArray[np.float32]]]:
    """(which of `middle`, (k, size // 2 + 1) magnitudes) in order. samples: (n,) float32; middle: rising samples, round which a
    window of `size` lies; outside the recording is silence."""
    window = hann(size)
    for first in range(0, len(middle), _BLOCK):
        places = middle[first : first + _BLOCK] - size // 2
        # Piece by piece: a copy of a whole record is large.
        piece = excerpt(samples, int(places[0]), int(places[-1]) + size)
        some = framed(piece, size)[places - places[0]]
        yield slice(first, first + len(places)), np.abs(spectra_of(some, window))
