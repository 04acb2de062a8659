"""Short-time spectra that come back to the very samples: Hann's window or its root, three quarters of overlap."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.sound.audio import Samples
from grainpocket.core.sound.frames import framed, hann, spectra_of

SIZE = 4096
WORKERS = 2
PER = 4  # frames that cover each sample
HOP = SIZE // PER
Spectrum = NDArray[np.complex64]
Mask = NDArray[np.float32]


def spectra(sound: Samples, size: int = SIZE, root: bool = True) -> Spectrum:
    """(channels, frames, bins) of (n, channels). root: seen through the root of Hann's window."""
    hop = size // PER
    count = frames_of(len(sound), size)
    padded = np.zeros((sound.shape[1], (count - 1) * hop + size), np.float32)
    padded[:, size - hop : size - hop + len(sound)] = sound.T
    return spectra_of(framed(padded, size, hop), hann(size, root=root), workers=WORKERS)


def frames_of(length: int, size: int = SIZE) -> int:
    """Frames that cover so many samples, each of them four times."""
    hop = size // PER
    return max(1, -(-(length + size - hop) // hop))


def frame_at(sample: int, size: int = SIZE) -> int:
    """The frame in whose middle a sample lies, or the first after it."""
    hop = size // PER
    return max(0, (sample + size - hop - size // 2) // hop)


def sound_of(spectrum: Spectrum, length: int, size: int = SIZE, root: bool = True) -> Samples:
    """(length, channels): the inverse of `spectra` with the same window; where masks add up to one, what they let through adds up
    to the input."""
    from scipy import fft  # Here, because the web process only names engines, and then starts sooner.

    hop = size // PER
    channels, count, _ = spectrum.shape
    pieces = fft.irfft(spectrum, size, axis=2, workers=WORKERS).astype(np.float32, copy=False) * hann(size, root=root)
    out = np.zeros((channels, (count - 1) * hop + size), np.float32)
    # Every fourth frame lies beside the last: four passes without a loop over frames.
    for phase in range(PER):
        flat = pieces[:, phase::PER].reshape(channels, -1)
        out[:, phase * hop : phase * hop + flat.shape[1]] += flat
    # What the window, squared, adds up to where four of them overlap.
    total = np.float32(PER / 2 if root else PER * 3 / 8)
    return np.ascontiguousarray(out[:, size - hop : size - hop + length].T / total)


def frequencies(rate: int, size: int = SIZE) -> NDArray[np.float32]:
    """(bins,) Hz."""
    return (np.arange(size // 2 + 1) * rate / size).astype(np.float32)
