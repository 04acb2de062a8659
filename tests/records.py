"""Whole records whose beats are known, each hard in its own way: for the station that has to find their tempo."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tests.signals import DRUMS, RATE

Beats = NDArray[np.float64]


@dataclass(frozen=True)
class Record:
    """sound: (n, 2) float32; beats: seconds of the quarter notes; one: index of the first beat of a bar; bpm: the mean."""

    sound: NDArray[np.float32]
    beats: Beats
    one: int
    bpm: float
    quarters: int = 4


def beats_of(bpm: float, count: int, start: float = 0.0, wander: float = 0.0) -> Beats:
    """Seconds of count beats; wander: how far, as a share, the tempo swings slowly up and down."""
    tempo = 1 + wander * np.sin(np.arange(count) / 17)
    return start + np.concatenate(([0.0], np.cumsum(60 / bpm / tempo)))[:count]


def _note(key: float, seconds: float, attack: float = 0.01) -> NDArray[np.float64]:
    t = np.arange(int(seconds * RATE)) / RATE
    hz = 440 * 2 ** ((key - 69) / 12)
    wave = sum(a * np.sin(2 * np.pi * k * hz * t) for k, a in ((1, 1.0), (2, 0.5), (3, 0.25)))
    return np.asarray(0.15 * wave * np.minimum(1, t / attack) * np.minimum(1, (seconds - t) / 0.05) * np.exp(-t / seconds))


class _Tape:
    def __init__(self, seconds: float) -> None:
        self.out = np.zeros(int(seconds * RATE))

    def add(self, at: float, sound: NDArray[np.float64], gain: float = 1.0) -> None:
        start = round(at * RATE)
        fit = sound[: max(0, len(self.out) - start)]
        self.out[start : start + len(fit)] += gain * fit

    def record(self) -> NDArray[np.float32]:
        wave = 0.8 * self.out / np.abs(self.out).max()
        return np.repeat(wave[:, None], 2, axis=1).astype(np.float32)


def band(beats: Beats, quarters: int = 4, drums_from: int = 0, eighths: bool = True, weak: bool = False, seed: int = 3) -> _Tape:
    """Kick on the one (and three), snare on two and four (or three of three), hats between; bass on the one, chords that
    change with the bar. drums_from: beat at which the drums come in. weak: no drums, soft keys instead."""
    rng = np.random.default_rng(seed)
    tape = _Tape(float(beats[-1] + (beats[-1] - beats[-2])))
    roots = (45, 41, 48, 43)
    for i, at in enumerate(beats):
        length = float(beats[i + 1] - at) if i + 1 < len(beats) else float(beats[-1] - beats[-2])
        place, bar = i % quarters, i // quarters
        root = roots[bar % 4]
        if place == 0:
            tape.add(at, _note(root, length * 1.8, 0.004), 1.2)
            for k in (12, 16 if bar % 4 else 15, 19):
                tape.add(at, _note(root + k, length * quarters, 0.03 if not weak else 0.05), 0.35)
        elif weak:
            tape.add(at, _note(root + 24 + (0, 7, 4, 12)[place], length * 0.9, 0.035), 0.5)
        if i < drums_from or weak:
            continue
        if place in (0, 2) and not (quarters == 3 and place == 2):
            tape.add(at, DRUMS["kick"](rng), 0.8 if place == 0 else 0.6)
        if (place % 2 == 1 and quarters == 4) or (quarters == 3 and place > 0):
            tape.add(at, DRUMS["snare"](rng), 0.6)
        tape.add(at, DRUMS["hat"](rng), 0.25)
        if eighths:
            tape.add(at + length / 2, DRUMS["hat"](rng), 0.18)
    return tape


def straight(bpm: float = 112.0, bars: int = 16) -> Record:
    beats = beats_of(bpm, bars * 4, 0.25)
    return Record(band(beats).record(), beats, 0, bpm)


def no_drums_at_first(bpm: float = 96.0) -> Record:
    beats = beats_of(bpm, 80, 0.4)
    return Record(band(beats, drums_from=32).record(), beats, 0, bpm)


def bar_one_late(bpm: float = 104.0, pickup: int = 3) -> Record:
    """Some seconds of nothing, a few beats of hat alone, then the band."""
    beats = beats_of(bpm, 64, 3.7)
    tape = band(beats)
    rng = np.random.default_rng(5)
    before = beats[0] - 60 / bpm * np.arange(pickup, 0, -1)
    for at in before:
        tape.add(float(at), DRUMS["hat"](rng), 0.3)
    return Record(tape.record(), np.concatenate((before, beats)), pickup, bpm)


def weak(bpm: float = 84.0) -> Record:
    beats = beats_of(bpm, 64, 0.3)
    return Record(band(beats, weak=True).record(), beats, 0, bpm)


def drifting(bpm: float = 100.0) -> Record:
    beats = beats_of(bpm, 96, 0.3, wander=0.03)
    return Record(band(beats).record(), beats, 0, 60 * (len(beats) - 1) / float(beats[-1] - beats[0]))


def waltz(bpm: float = 132.0) -> Record:
    beats = beats_of(bpm, 72, 0.5)
    return Record(band(beats, quarters=3).record(), beats, 0, bpm, 3)


def fast(bpm: float = 172.0) -> Record:
    """Kick on the one, snare on the three: half the tempo is what many would hear."""
    rng = np.random.default_rng(8)
    beats = beats_of(bpm, 128, 0.2)
    tape = _Tape(float(beats[-1] + 60 / bpm))
    for i, at in enumerate(beats):
        step = 60 / bpm
        if i % 4 == 0:
            tape.add(at, DRUMS["kick"](rng), 0.8)
        if i % 4 == 2:
            tape.add(at, DRUMS["snare"](rng), 0.7)
        if i % 8 == 5:
            tape.add(at + step / 2, DRUMS["kick"](rng), 0.7)
        tape.add(at, DRUMS["hat"](rng), 0.25)
        tape.add(at + step / 2, DRUMS["hat"](rng), 0.2)
    return Record(tape.record(), beats, 0, bpm)
