"""Engines that are networks: any ONNX file that keeps the contract, run over a window in overlapping segments."""

from __future__ import annotations

import functools
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

import numpy as np
import soxr
from numpy.typing import NDArray

from grainpocket.core.sound.audio import Samples
from grainpocket.core.split.base import Quality
from grainpocket.core.split.contract import Description, run, session_of
from grainpocket.core.split.spectra import sound_of, spectra

# By quality: the share of a segment that the next one goes over again.
OVERLAP: Mapping[str, float] = {"draft": 0.1, "normal": 0.25, "best": 0.5}
Block = NDArray[np.float32]


@functools.lru_cache(maxsize=2)
def _kept(path: Path, stamp: float) -> Any:
    return session_of(path)


class Network:
    """path: its file; described: what the file says of itself, so that it is opened only when it is used."""

    context_s, light = 1.0, False

    def __init__(self, name: str, path: Path, described: Description, speeds: tuple[float, float, float] = (4.0, 3.0, 2.0)) -> None:
        self.name, self.label, self.parts = name, described.label, described.parts
        self.path, self.described = path, described
        self.qualities = tuple(
            Quality(quality, label, speed)
            for quality, label, speed in zip(OVERLAP, ("Draft", "Normal", "Best"), speeds, strict=True)
        )

    def session(self) -> Any:
        return _kept(self.path, self.path.stat().st_mtime)

    def window(self, sound: Samples, rate: int, quality: str) -> Mapping[str, Samples]:
        """Raises Misfit when the network stops."""
        heard = sound if rate == self.described.rate else np.asarray(soxr.resample(sound, rate, self.described.rate), np.float32)
        if self.described.takes == "waveform":
            made = self._waves(heard, quality)
        else:
            root = self.described.window == "root-hann"
            spectrum = spectra(heard, self.described.size, root)
            masks = self.told(spectrum, quality)
            made = np.stack([sound_of(spectrum * masks[k], len(heard), self.described.size, root) for k in range(len(masks))])
        if rate != self.described.rate:
            back = [np.asarray(soxr.resample(part, self.described.rate, rate), np.float32)[: len(sound)] for part in made]
            made = np.stack([np.pad(part, ((0, len(sound) - len(part)), (0, 0))) for part in back])
        return {part: made[k] for k, part in enumerate(self.parts[:-1])}

    def told(self, spectrum: np.ndarray, quality: str) -> Block:
        """What is laid on a spectrum: (parts but the rest, 2, frames, bins) of (2, frames, bins)."""
        return self.masks(spectrum, quality)

    def _waves(self, sound: Samples, quality: str) -> Block:
        """(parts but the rest, n, 2)."""
        out = np.zeros((len(self.parts) - 1, len(sound), 2), np.float32)
        for first, last, fade, made in self._segments(np.ascontiguousarray(sound.T)[None], 2, len(sound), OVERLAP[quality]):
            out[:, first:last] += made[0, :-1].transpose(0, 2, 1) * fade[:, None]
        return out

    def masks(self, spectrum: np.ndarray, quality: str) -> Block:
        """(parts but the rest, 2, frames, bins) of (2, frames, bins)."""
        frames = spectrum.shape[1]
        turned = np.ascontiguousarray(spectrum.transpose(0, 2, 1))
        values = turned.view(np.float32).reshape(1, *turned.shape, 2)
        out = np.zeros((len(self.parts) - 1, 2, frames, spectrum.shape[2]), np.float32)
        for first, last, fade, made in self._segments(values, 3, frames, OVERLAP[quality]):
            out[:, :, first:last] += made[0, :-1].transpose(0, 1, 3, 2) * fade[:, None]
        return out

    def _segments(self, values: Block, axis: int, length: int, overlap: float) -> Iterator[tuple[int, int, Block, Block]]:
        """(first, last, how much it counts, what the network makes of it), segment by segment; what they count adds up to one."""
        said, session = self.described, self.session()
        size = said.segment if said.fixed else min(said.whole(said.segment), said.whole(length))
        step = max(1, round(size * (1 - overlap)))
        starts = list(range(0, max(1, length - (size - step)), step))
        for number, first in enumerate(starts):
            last = min(length, first + size)
            some = values[(slice(None),) * axis + (slice(first, last),)]
            short = size - (last - first)
            if short:
                some = np.pad(some, [(0, short if k == axis else 0) for k in range(some.ndim)])
            made = run(session, some)
            count, fade = last - first, np.ones(last - first, np.float32)
            if number:
                shared = starts[number - 1] + size - first
                fade[:shared] *= _ramp(shared)[:count]
            if number + 1 < len(starts):
                shared = first + size - starts[number + 1]
                fade[count - shared :] *= 1 - _ramp(shared)
            yield first, last, fade, made[..., :count]


def _ramp(count: int) -> Block:
    return np.asarray(np.sin(0.5 * np.pi * (np.arange(count) + 0.5) / count) ** 2, np.float32)
