"""Test signals whose truth is known: synthesised drums, loops and voices."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import signal

RATE = 44100


def kick(rng: np.random.Generator, rate: int = RATE) -> NDArray[np.float64]:
    t = np.arange(int(rate * 0.22)) / rate
    sweep = 50 + 110 * np.exp(-t * 45)
    body = np.sin(2 * np.pi * np.cumsum(sweep) / rate) * np.exp(-t * 16)
    click = rng.standard_normal(len(t)) * np.exp(-t * 900) * 0.35
    # Neither end may step: a step is an onset of its own.
    return np.asarray((body + click) * np.minimum(1, (np.arange(len(t)) + 1) / 12) * np.minimum(1, (t[-1] - t) / 0.05))


def snare(rng: np.random.Generator, rate: int = RATE) -> NDArray[np.float64]:
    t = np.arange(int(rate * 0.2)) / rate
    noise = signal.lfilter([1, -0.6], [1], rng.standard_normal(len(t))) * np.exp(-t * 28)
    return np.asarray(0.5 * noise + 0.5 * np.sin(2 * np.pi * 190 * t) * np.exp(-t * 35) * np.minimum(1, (t[-1] - t) / 0.05))


def hat(rng: np.random.Generator, rate: int = RATE) -> NDArray[np.float64]:
    t = np.arange(int(rate * 0.06)) / rate
    return np.asarray(0.5 * signal.lfilter([1, -1.6, 0.7], [1], rng.standard_normal(len(t))) * np.exp(-t * 90))


DRUMS = {"kick": kick, "snare": snare, "hat": hat}


@dataclass(frozen=True)
class Loop:
    """samples: (n, 2) float32; at: true hit positions in samples; names: drum of each; bpm: exact tempo of its length."""

    samples: NDArray[np.float32]
    at: NDArray[np.int64]
    names: tuple[str, ...]
    bpm: float
    bars: int


def drum_loop(bpm: float = 97.3, bars: int = 2, seed: int = 1, swing: float = 0.57, rate: int = RATE) -> Loop:
    """A swung loop of kick, snare and hats with uneven loudness; hits of one instant are one."""
    rng = np.random.default_rng(seed)
    total = round(bars * 240 / bpm * rate)
    step = total / (bars * 16)
    out = np.zeros((total, 2))
    at: list[int] = []
    names: list[str] = []
    for bar in range(bars):
        for s in range(16):
            name = "kick" if s in (0, 7, 10) else "snare" if s in (4, 12) else "hat" if s % 2 == 0 or s == 15 else None
            if name is None:
                continue
            place = round((bar * 16 + s + ((swing - 0.5) * 2 if s % 2 else 0)) * step)
            sound = DRUMS[name](rng, rate) * rng.uniform(0.5, 0.8)
            fit = sound[: total - place]
            out[place : place + len(fit)] += fit[:, None] * np.array([1.0, 0.9])
            at.append(place)
            names.append(name)
    out *= 0.8 / np.abs(out).max()
    return Loop(out.astype(np.float32), np.array(at), tuple(names), bars * 240 * rate / total, bars)


class ArrayReader:
    """A Reader over arrays in memory."""

    def __init__(self, **sounds: NDArray[np.float32]) -> None:
        self.sounds = sounds

    def frames(self, audio: str) -> int:
        return len(self.sounds[audio])

    def read(self, audio: str, start: int, end: int) -> NDArray[np.float32]:
        sound = self.sounds[audio]
        out = np.zeros((end - start, sound.shape[1]), np.float32)
        a, b = max(0, start), min(len(sound), end)
        if b > a:
            out[a - start : b - start] = sound[a:b]
        return out
