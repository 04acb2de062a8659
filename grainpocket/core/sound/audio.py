"""Sound in memory: one frozen value that carries its samples and their rate."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.float32]


class BadAudio(ValueError):
    """Audio that cannot be used; the message says what is wrong and is fit to show to the musician."""


@dataclass(frozen=True)
class Audio:
    """A stretch of sound.

    samples: (n, channels) float32, full scale at +-1.0; rate: samples a second.
    """

    samples: Samples
    rate: int

    def __post_init__(self) -> None:
        if self.samples.ndim != 2 or self.samples.dtype != np.float32:
            raise ValueError(f"samples must be (n, channels) float32, not {self.samples.shape} {self.samples.dtype}")
        if self.rate <= 0:
            raise ValueError(f"rate must be positive, not {self.rate}")

    @property
    def frames(self) -> int:
        return len(self.samples)

    @property
    def seconds(self) -> float:
        return len(self.samples) / self.rate


def mono(samples: Samples) -> Samples:
    """(n, channels) -> (n,): the mean of the channels."""
    if samples.shape[1] == 1:
        return samples[:, 0]
    if samples.shape[1] == 2:  # Ten times as quick as a mean over two columns.
        return np.asarray((samples[:, 0] + samples[:, 1]) * np.float32(0.5), dtype=np.float32)
    return np.asarray(samples.mean(axis=1), dtype=np.float32)


def stereo(samples: Samples) -> Samples:
    """(n, 1 or 2) -> (n, 2); one channel is given to both sides at its own level."""
    if samples.shape[1] == 2:
        return samples
    return np.repeat(samples[:, :1], 2, axis=1)


CANCELLED = 0.01  # of the power of what the sides differ by: with less in the middle, the two sides cancel each other there


def one_channel(blocks: Callable[[], Iterable[Samples]], frames: int) -> Samples:
    """(frames,) float32 to listen to: the mean of the channels, or half of their difference where the mean all but cancels.

    blocks: gives the sound (n, 1 or 2) piece by piece, once more each time it is called."""
    out = np.empty(frames, np.float32)
    at, middle, apart = 0, 0.0, 0.0
    for block in blocks():
        one = mono(block)
        out[at : at + len(block)] = one
        at += len(block)
        if block.shape[1] == 2:
            middle += float(np.vdot(one, one))
            side = (block[:, 0] - block[:, 1]) * np.float32(0.5)
            apart += float(np.vdot(side, side))
    if middle < CANCELLED * apart:
        at = 0
        for block in blocks():
            out[at : at + len(block)] = (block[:, 0] - block[:, 1]) * np.float32(0.5)
            at += len(block)
    return out


def peak_of(samples: Samples) -> float:
    """Size of the largest of (n, channels) samples, 0 for none, without a copy of them all."""
    return max(float(samples.max()), -float(samples.min())) if samples.size else 0.0


def excerpt(samples: Samples, start: int, end: int) -> Samples:
    """samples[start:end] of (n,), with silence where that runs over either end."""
    if start >= 0 and end <= len(samples):
        return samples[start:end]
    out = np.zeros(end - start, np.float32)
    first, last = max(0, start), min(len(samples), end)
    if last > first:
        out[first - start : last - start] = samples[first:last]
    return out


def planar(samples: Samples) -> bytes:
    """Stereo float32 PCM of (n, 2), little-endian, all of the left channel and then all of the right: a browser lays it into its
    buffers as it is."""
    return np.ascontiguousarray(stereo(samples).T, dtype="<f4").tobytes()


def shared(samples: Samples) -> Samples:
    """The same (n, channels) samples, which from now on nobody can write to."""
    samples.flags.writeable = False
    return samples


def gain_of(db: float) -> np.float32:
    """Decibels to a linear amplitude factor."""
    return np.float32(10.0 ** (db / 20.0))


def db_of(amplitude: float) -> float:
    """Linear amplitude to decibels; silence gives -inf."""
    return float(20.0 * np.log10(amplitude)) if amplitude > 0 else float("-inf")
