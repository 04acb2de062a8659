"""What a pad's sound is turned into in one step, to be printed: a reversed reverb, a riser, a stutter, half speed."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from grainpocket.core.document.mixing import Effect
from grainpocket.core.effects.chains import through, way_of
from grainpocket.core.shape.resampling import read_at
from grainpocket.core.sound.audio import Samples

SWELL_BEATS, RISER_BEATS = 4.0, 8.0
RISER_OCTAVES, RISER_DB = 2.0, 30.0
# Beats that each repeat of a stutter lasts, and how many of them.
STUTTER = ((0.5, 2), (0.25, 4), (0.125, 8))
EDGE_S = 0.002
JOIN_S = 0.02


@dataclass(frozen=True, eq=False)
class Transformed:
    """sound: (n, 2) float32; at: samples where something begins in it, the first at 0."""

    sound: Samples
    at: tuple[int, ...]


def reversed_reverb(sound: Samples, rate: int, beat: float) -> Transformed:
    """The room of (n, channels) turned round: it swells up to the sound itself, over four beats. beat: samples."""
    swell = int(SWELL_BEATS * beat)
    room = Effect(id="room", kind="reverb", settings={"decay": min(20.0, max(0.5, SWELL_BEATS * beat / rate))})
    turned = np.concatenate((sound[::-1], np.zeros((swell, 2), np.float32)))
    out = through(way_of((room,), rate, beat), turned)[: len(turned)][::-1].copy()
    # A room that is cut off begins softly all the same.
    out[: int(0.1 * rate)] *= np.linspace(0, 1, int(0.1 * rate), dtype=np.float32)[: len(out), None]
    loudest = float(np.abs(out).max())
    if loudest > 0:
        out *= min(4.0, float(np.abs(sound).max()) / loudest) * np.float32(0.7)
    out[swell:] += sound
    return Transformed(out, (0, swell))


def riser(sound: Samples, rate: int, beat: float) -> Transformed:
    """(n, channels) over and over, two octaves up and from quiet to loud in eight beats."""
    frames = int(RISER_BEATS * beat)
    share = np.arange(frames) / frames
    speeds = 2.0 ** (RISER_OCTAVES * (share - 0.5))
    places = np.concatenate(([0.0], np.cumsum(speeds)[:-1]))
    out = read_at(_over_and_over(sound, int(places[-1]) + rate // 10, rate), places, speeds)
    out *= (10 ** (RISER_DB * (share - 1) / 20)).astype(np.float32)[:, None]
    return Transformed(_edged(out, rate), (0,))


def stutter(sound: Samples, rate: int, beat: float) -> Transformed:
    """The beginning of (n, channels) again and again, ever faster: eighths, sixteenths, thirty-seconds."""
    parts, at, place = [], [], 0
    for long, times in STUTTER:
        frames = round(long * beat)
        part = np.zeros((frames, 2), np.float32)
        there = min(frames, len(sound))
        part[:there] = sound[:there]
        for _ in range(times):
            at.append(place)
            parts.append(_edged(part, rate))
            place += frames
    return Transformed(np.concatenate(parts), tuple(at))


def half_speed(sound: Samples, rate: int, beat: float) -> Transformed:
    """(2 n, channels) of (n, channels): twice as long and an octave down."""
    count = 2 * len(sound)
    return Transformed(_edged(read_at(sound, np.arange(count) / 2.0, np.full(count, 0.5)), rate), (0,))


TRANSFORMS: Mapping[str, Callable[[Samples, int, float], Transformed]] = {
    "reversed reverb": reversed_reverb, "riser": riser, "stutter": stutter, "half speed": half_speed,
}  # fmt: skip


def _over_and_over(sound: Samples, frames: int, rate: int) -> Samples:
    """(frames, 2): the sound again and again, its end over its beginning."""
    join = min(int(JOIN_S * rate), len(sound) // 4)
    step = max(1, len(sound) - join)
    ramp = np.sin(0.5 * np.pi * (np.arange(join) + 0.5) / max(1, join)).astype(np.float32)[:, None]
    once = sound.copy()
    once[:join] *= ramp
    once[len(once) - join :] *= ramp[::-1]
    out = np.zeros((frames + len(sound), 2), np.float32)
    for first in range(0, frames, step):
        out[first : first + len(once)] += once
    return out[:frames]


def _edged(sound: Samples, rate: int) -> Samples:
    out = sound.copy()
    edge = min(int(EDGE_S * rate), len(out) // 2)
    ramp = np.linspace(0, 1, edge, endpoint=False, dtype=np.float32)[:, None]
    out[:edge] *= ramp
    out[len(out) - edge :] *= ramp[::-1]
    return out
