"""How much of a stem is not its own: told from its fellows, shown over time, and moved by hand.

Nobody knows what a stem ought to be. What can be known is where another stem of the same record is much louder in the same moment
and band: what a stem holds there is most likely left over of it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from grainpocket.core.document.base import Frozen
from grainpocket.core.sound.audio import Samples
from grainpocket.core.sound.frames import hann, spectra_of
from grainpocket.core.split.spectra import frequencies, sound_of, spectra

SIZE = 4096
LOUDER = 10.0  # times the power: 10 dB
STEP_FRAMES = 4  # of SIZE samples each
SILENT = 1e-9  # power of a frame, per sample, under which nothing is told
# Of a region that is moved by hand: how softly it ends, in octaves and in seconds.
EDGE_OCTAVES, EDGE_S = 0.08, 0.012


class Leak(Frozen):
    """decibels: what leaks against all of the stem, None when nothing does; source: the part that most of it is of; shares: of the
    stem's power that leaks, step by step of step_s seconds."""

    decibels: float | None
    source: str | None
    step_s: float
    shares: tuple[float, ...] = Field(max_length=200_000)


class LeakMeter:
    """Listens to the parts of one record side by side, block by block."""

    def __init__(self, parts: Sequence[str], rate: int) -> None:
        self.parts, self.rate = tuple(parts), rate
        self._held = np.zeros((len(self.parts), 0), np.float32)
        # Per frame: power of each part, what of it leaks, and from where.
        self._power: list[NDArray[np.float32]] = []
        self._leaks: list[NDArray[np.float32]] = []
        self._from = np.zeros((len(self.parts), len(self.parts)))

    def feed(self, blocks: Mapping[str, Samples]) -> None:
        """(n, channels) of every part."""
        mono = np.stack([np.asarray(blocks[part], np.float32).mean(axis=1) for part in self.parts])
        self._held = np.concatenate((self._held, mono), axis=1)
        count = self._held.shape[1] // SIZE
        if count:
            self._frames(self._held[:, : count * SIZE].reshape(len(self.parts), count, SIZE))
            self._held = self._held[:, count * SIZE :].copy()

    def _frames(self, frames: NDArray[np.float32]) -> None:
        power = np.abs(spectra_of(frames, hann(SIZE))) ** 2
        loudest = power.argmax(axis=0)
        top = power.max(axis=0)
        for k in range(len(self.parts)):
            leaks = np.where(top > LOUDER * power[k], power[k], 0)
            self._from[k] += [float(leaks[loudest == j].sum()) if j != k else 0.0 for j in range(len(self.parts))]
            self._leaks.append(leaks.sum(axis=1))
            self._power.append(power[k].sum(axis=1))

    def finish(self) -> dict[str, Leak]:
        """No more will come."""
        if self._held.shape[1]:
            short = SIZE - self._held.shape[1]
            self._frames(np.pad(self._held, ((0, 0), (0, short)))[:, None])
        made, parts = {}, len(self.parts)
        for k, part in enumerate(self.parts):
            power = np.concatenate(self._power[k::parts]) if self._power else np.zeros(1, np.float32)
            leaks = np.concatenate(self._leaks[k::parts]) if self._leaks else np.zeros(1, np.float32)
            floor = SILENT * SIZE * SIZE
            whole = float(power.sum())
            share = float(leaks.sum()) / whole if whole > floor else 0.0
            made[part] = Leak(
                decibels=round(10 * float(np.log10(share)), 1) if share > 1e-7 else None,
                source=self.parts[int(self._from[k].argmax())] if share > 1e-7 else None,
                step_s=STEP_FRAMES * SIZE / self.rate,
                shares=tuple(round(float(x), 3) for x in _by_step(leaks, power, floor)),
            )
        return made


def _by_step(leaks: NDArray[np.float32], power: NDArray[np.float32], floor: float) -> NDArray[np.float64]:
    count = -(-len(power) // STEP_FRAMES) * STEP_FRAMES
    a, b = (np.pad(x.astype(np.float64), (0, count - len(x))).reshape(-1, STEP_FRAMES).sum(axis=1) for x in (leaks, power))
    return np.asarray(np.where(b > floor, a / np.maximum(b, floor), 0.0))


class Region(Frozen):
    """What is to be moved: from one sample to another, between two frequencies in Hz, and how much of it."""

    start: int = Field(ge=0)
    end: int = Field(ge=1)
    low: float = Field(ge=0, le=24000)
    high: float = Field(ge=10, le=24000)
    amount: float = Field(default=1.0, ge=0.0, le=1.0)


def margin(rate: int) -> int:
    """Samples beside a region that what is lifted reaches over: no more than one spectrum and its soft edge."""
    return SIZE + int(EDGE_S * rate)


def lifted(sound: Samples, rate: int, first: int, region: Region) -> Samples:
    """(n, channels): what lies in a region of (n, channels) that begins at sample `first`; nothing outside of it."""
    hz = np.maximum(frequencies(rate, SIZE), 1.0)
    octave = np.log2(hz)
    band = np.clip((octave - np.log2(max(region.low, 1.0))) / EDGE_OCTAVES + 0.5, 0, 1) if region.low > 0 else np.ones(len(hz))
    band = band * np.clip((np.log2(region.high) - octave) / EDGE_OCTAVES + 0.5, 0, 1)
    at = first + np.arange(len(sound))
    edge = max(1.0, EDGE_S * rate)
    time = np.clip((at - region.start) / edge + 0.5, 0, 1) * np.clip((region.end - at) / edge + 0.5, 0, 1)
    gated = sound * time[:, None].astype(np.float32)
    made = sound_of(spectra(gated, SIZE) * (band * region.amount).astype(np.float32), len(sound), SIZE)
    return np.asarray(made, np.float32)
