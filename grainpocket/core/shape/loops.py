"""A stretch that comes again for as long as it is held: unrolled with crossfades, and where it had best begin and end."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.shape.curves import Row
from grainpocket.core.sound.audio import Samples

LEAST_LOOP = 16  # samples: a single cycle of 2.7 kHz
COMPARED_S, MOST_FOUND = 0.012, 5


def unrolled(sound: Samples, first: int, last: int, fade: int, way: str, frames: int) -> Samples:
    """(frames, channels): up to `last` as it is, then from `first` to `last` again and again. fade: samples over which the end goes
    over into what comes before the beginning, as far as there is some; way: "forth", or "both" for forwards and back."""
    last = min(max(last, first + LEAST_LOOP), len(sound))
    first = max(0, min(first, last - LEAST_LOOP))
    if last - first < 2:
        return np.resize(sound, (frames, sound.shape[1])) if len(sound) else np.zeros((frames, 2), np.float32)
    part = sound[first:last].copy()
    head = sound[:last].copy()
    if way == "both":
        # At its ends the same sample would sound twice.
        part = np.concatenate((part[-2::-1], part[1:]))
    else:
        fade = min(fade, first, last - first)
        if fade > 0:
            into = np.sin(0.5 * np.pi * (np.arange(fade) + 0.5) / fade)[:, None] ** 2
            mixed = sound[last - fade : last] * (1 - into) + sound[first - fade : first] * into
            part[-fade:] = head[-fade:] = mixed
    if len(head) >= frames:
        return np.asarray(head[:frames], np.float32)
    times = -(-(frames - len(head)) // len(part))
    return np.asarray(np.concatenate((head, np.tile(part, (times, 1))))[:frames], np.float32)


@dataclass(frozen=True)
class LoopPoints:
    """first, last: samples; fit: 0..1, how alike what follows its end and its beginning are."""

    first: int
    last: int
    fit: float


def proposals(sound: Samples, rate: int, shortest_s: float = 0.05) -> list[LoopPoints]:
    """The best places for a loop in (n, channels), best first: where the sound about its end is most like the sound about its
    beginning, on rising zero crossings. Longer ones before shorter ones that are no better."""
    mono = np.asarray(sound, np.float64).mean(axis=1)
    window = int(COMPARED_S * rate)
    if len(mono) < 4 * window + int(shortest_s * rate):
        return []
    places = _crossings(mono, window)
    found: list[LoopPoints] = []
    starts = places[(places > 0.15 * len(mono)) & (places < 0.6 * len(mono))]
    for first in starts[:: max(1, len(starts) // 24)].tolist():
        ends = places[places > first + max(shortest_s * rate, 0.2 * len(mono))]
        if not len(ends):
            continue
        likeness = _likeness(mono, first, ends, window)
        best = int(np.argmax(likeness))
        found.append(LoopPoints(first, int(ends[best]), float(round(max(0.0, likeness[best]), 4))))
    found.sort(key=lambda one: (-round(one.fit, 2), one.first - one.last))
    return found[:MOST_FOUND]


def one_cycle(sound: Samples, rate: int, hz: float, near: int) -> LoopPoints | None:
    """A single period of a tone of so many Hz near a sample of (n, channels); None where there is none."""
    mono = np.asarray(sound, np.float64).mean(axis=1)
    period = rate / hz
    places = _crossings(mono, int(period) + 2)
    if not len(places):
        return None
    first = int(places[np.argmin(np.abs(places - near))])
    last = first + round(period)
    return LoopPoints(first, last, 1.0) if last < len(mono) else None


def _crossings(mono: Row, margin: int) -> NDArray[np.int64]:
    """Samples at which the wave comes up through zero, away from the ends."""
    at = np.flatnonzero((mono[:-1] <= 0) & (mono[1:] > 0)) + 1
    return np.asarray(at[(at >= margin) & (at < len(mono) - margin)], np.int64)


def _likeness(mono: Row, first: int, ends: NDArray[np.int64], window: int) -> Row:
    """(k,) correlation of what lies about each end with what lies about the beginning, and how alike their levels are."""
    own = mono[first - window : first + window]
    others = np.lib.stride_tricks.sliding_window_view(mono, 2 * window)[ends - window]
    energy, own_energy = (others**2).sum(axis=1), float((own**2).sum())
    return np.asarray(2 * (others @ own) / np.maximum(energy + own_energy, 1e-12))
