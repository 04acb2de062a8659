"""How two recordings of the same music lie against each other: a stem against its mix, a cleaned copy against the record.

Cross-correlation with its spectrum partly whitened (Knapp & Carter, "The generalized correlation method for estimation of
time delay", IEEE ASSP 24, 1976), first at an eighth of the rate over every offset, then to the sample.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from grainpocket.core.sound.audio import Samples, excerpt

COARSE, WHITEN, REACH, STRETCH_S = 8, 0.6, 24, 20.0
# Less alike than this, and they have nothing to do with each other.
RELATED, LEAST_S = 0.12, 0.5


@dataclass(frozen=True)
class Alignment:
    """offset: sample of the first recording at which the second begins, may be negative; likeness: correlation over what
    they share, 0..1, which for a stem is its share of the mix."""

    offset: int
    likeness: float

    @property
    def related(self) -> bool:
        return self.likeness >= RELATED


def align(whole: Samples, part: Samples, rate: int) -> Alignment | None:
    """Of (n,) and (m,) float32 mono; None when either is silent or too short."""
    if min(len(whole), len(part)) < LEAST_S * rate or not whole.any() or not part.any():
        return None
    import soxr

    a = np.asarray(soxr.resample(whole, COARSE, 1, "MQ"), np.float32)
    b = np.asarray(soxr.resample(part, COARSE, 1, "MQ"), np.float32)
    coarse = _best_lag(a, b) * COARSE
    # The loudest stretch of the part says where it is to the sample.
    size = min(len(part), int(STRETCH_S * rate))
    start = _loudest(part, size)
    piece = part[start : start + size]
    place = coarse + start
    window = excerpt(whole, place - REACH, place + size + REACH)
    scores = np.array([float(np.dot(window[k : k + size], piece)) for k in range(2 * REACH + 1)])
    offset = coarse + int(np.argmax(scores)) - REACH
    return Alignment(offset, round(_likeness(whole, part, offset), 3))


def _best_lag(a: Samples, b: Samples) -> int:
    from scipy import fft

    size = fft.next_fast_len(len(a) + len(b), real=True)
    cross = fft.rfft(a, size) * np.conj(fft.rfft(b, size))
    cross /= np.maximum(np.abs(cross), 1e-12) ** WHITEN
    like = fft.irfft(cross, size)
    lag = int(np.argmax(like))
    return lag if lag < len(a) else lag - size


def _loudest(samples: Samples, size: int) -> int:
    total = np.concatenate(([0.0], np.cumsum(samples.astype(np.float64) ** 2)))
    return int(np.argmax(total[size:] - total[:-size])) if len(samples) > size else 0


def _likeness(whole: Samples, part: Samples, offset: int) -> float:
    a, b = max(0, offset), min(len(whole), offset + len(part))
    if b <= a:
        return 0.0
    one, other = whole[a:b].astype(np.float64), part[a - offset : b - offset].astype(np.float64)
    size = float(np.sqrt(np.dot(one, one) * np.dot(other, other)))
    return max(0.0, float(np.dot(one, other)) / size) if size > 1e-12 else 0.0
