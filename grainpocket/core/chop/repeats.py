"""Where a recording plays the same bars again, to the sample."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.spectra.bands import Progress, no_progress
from grainpocket.core.sound.audio import Samples

# Looked for at a quarter of the rate, then placed to the sample.
COARSE_STEP, REFINE = 4, 12
LEAST_LIKE, MOST = 0.8, 256
SAME_DB, ALIKE_DB = -30.0, -6.0
_BLOCK = 1 << 19


@dataclass(frozen=True)
class Repeat:
    """at: sample at which the stretch begins again; residue_db: what is left of it when the first is taken away."""

    at: int
    residue_db: float

    @property
    def same(self) -> bool:
        return self.residue_db <= SAME_DB


def repeats(samples: Samples, start: int, end: int, progress: Progress = no_progress) -> list[Repeat]:
    """Every other place of (n, channels) float32 that is like samples start to end, in order.

    Normalised cross-correlation over the whole, by overlapping Fourier transforms; each peak is then refined to the sample
    that leaves least.
    """
    from scipy import signal  # Here, because the web process then starts much sooner.

    low = _coarse(samples)
    first, last = start // COARSE_STEP, end // COARSE_STEP
    model = low[first:last].astype(np.float64)
    size = len(model)
    if size < 64 or not float((model**2).sum()) > 1e-9:
        return []
    like = _correlation(low, model, progress)
    peaks, _ = signal.find_peaks(like, height=LEAST_LIKE, distance=max(1, size // 2))
    at = [p for p in peaks.tolist() if abs(p - first) > size // 2]
    at = sorted(sorted(at, key=lambda p: -like[p])[:MOST])
    wanted = samples[start:end]
    out: list[Repeat] = []
    for k, place in enumerate(at):
        progress(0.8 + 0.2 * k / len(at))
        found = _placed(samples, wanted, place * COARSE_STEP + start % COARSE_STEP)
        if found is not None and found.residue_db <= ALIKE_DB:
            out.append(found)
    return out


def _coarse(samples: Samples) -> NDArray[np.float32]:
    one = samples.mean(axis=1)
    usable = len(one) // COARSE_STEP * COARSE_STEP
    return np.asarray(one[:usable].reshape(-1, COARSE_STEP).mean(axis=1), np.float32)


def _correlation(low: NDArray[np.float32], model: NDArray[np.float64], progress: Progress) -> NDArray[np.float64]:
    """(n - size + 1,) cosine of the model and each stretch."""
    from scipy import fft

    size, count = len(model), len(low) - len(model) + 1
    block = int(2 ** np.ceil(np.log2(max(_BLOCK, 2 * size))))
    step = block - size + 1
    spectrum = np.conj(fft.rfft(model, block))
    out = np.empty(count)
    for first in range(0, count, step):
        progress(0.8 * first / count)
        piece = low[first : first + block].astype(np.float64)
        found = fft.irfft(fft.rfft(piece, block) * spectrum, block)[:step]
        out[first : first + step] = found[: count - first]
    power = np.concatenate(([0.0], np.cumsum(low.astype(np.float64) ** 2)))
    energy = power[size:] - power[:-size]
    return np.asarray(out / np.sqrt(np.maximum(energy * float((model**2).sum()), 1e-12)))


def _placed(samples: Samples, wanted: Samples, near: int) -> Repeat | None:
    """The sample near a place at which least is left."""
    low, high = max(0, near - REFINE), min(len(samples) - len(wanted), near + REFINE)
    if high < low:
        return None
    around, model = samples[low : high + len(wanted)].mean(axis=1), wanted.mean(axis=1)
    # |x - w|^2 = |x|^2 + |w|^2 - 2 x.w, for every lag at once.
    power = np.concatenate(([0.0], np.cumsum(around.astype(np.float64) ** 2)))
    energy = power[len(model) :] - power[: len(power) - len(model)]
    at = low + int((energy - 2 * np.correlate(around, model, "valid")).argmin())
    left = float(np.sum((samples[at : at + len(wanted)] - wanted).astype(np.float64) ** 2))
    return Repeat(at, round(10 * float(np.log10(left / float(np.sum(wanted.astype(np.float64) ** 2)) + 1e-12)), 1))
