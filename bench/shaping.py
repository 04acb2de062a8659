"""How fast voices are shaped, and how stretching keeps attacks: `python -m bench.shaping`.

Voices of one second, medians of turns taken one after the other; stretching beside the phase vocoder of a general library (librosa,
bench/requirements.txt) on rendered breaks: how far each attack is from its scaled place, and how much of its peak is left.
"""

from __future__ import annotations

import functools
import statistics
import time
from collections.abc import Callable
from typing import Any

import librosa
import numpy as np

from grainpocket.core.document.mixing import Effect
from grainpocket.core.document.sound import Sound
from grainpocket.core.shape.stretching import stretched
from grainpocket.core.shape.voice import VoiceSpec, render

RATE, ROUNDS = 44100, 15


class Noise:
    """A second and a half of noise bursts."""

    def __init__(self) -> None:
        rng = np.random.default_rng(1)
        self.sound = np.asarray(0.2 * rng.standard_normal((2 * RATE, 2)), np.float32)

    def frames(self, audio: str) -> int:
        return len(self.sound)

    def read(self, audio: str, start: int, end: int) -> np.ndarray:
        return np.pad(self.sound[max(0, start) : end], ((max(0, -start), max(0, end - len(self.sound))), (0, 0)))


CASES: dict[str, dict[str, Any]] = {
    "plain": {},
    "repitched": {"pitch": 3.0},
    "envelope, filter, drive and EQ": {
        "attack": 5.0, "decay": 300.0, "sustain": -12.0, "filter": "low", "cutoff": 900.0, "filter_amount": 24.0, "drive": 6.0,
        "chain": (Effect(id="e1", kind="eq", settings={"peak1_db": 4.0}),),
    },
    "stretched": {"time": "keep", "pitch": 3.0},
    "pitch that moves": {"lfo1_pitch": 0.3},
    "formants": {"formant": 3.0},
}  # fmt: skip


def took_ms(run: Callable[[], object]) -> float:
    run()
    times = []
    for _ in range(ROUNDS):
        start = time.perf_counter()
        run()
        times.append(1000 * (time.perf_counter() - start))
    return statistics.median(times)


def strokes(seed: int) -> tuple[np.ndarray, list[int]]:
    """(a bar of drum strokes, where they begin)."""
    rng = np.random.default_rng(seed)
    out, at = np.zeros((2 * RATE, 2), np.float32), []
    for beat in range(16):
        place = int(beat * RATE / 8 + rng.integers(0, 300)) + 400
        t = np.arange(6000) / RATE
        body = np.sin(2 * np.pi * rng.choice([60.0, 180.0, 320.0]) * t) * np.exp(-t * 30)
        noise = rng.standard_normal(6000) * np.exp(-t * rng.choice([20.0, 60.0, 120.0]))
        stroke = ((0.5 * body + 0.3 * noise) * rng.uniform(0.4, 0.9))[:, None].astype(np.float32)
        end = min(len(out), place + 6000)
        out[place:end] += stroke[: end - place]
        at.append(place)
    return out, at


def attacks(sound: np.ndarray, made: np.ndarray, at: list[int], speed: float) -> tuple[float, float]:
    """(median ms off the scaled place, median share of the peak)."""
    off, kept = [], []
    for place in at:
        peak = float(np.abs(sound[place : place + 400]).max())
        middle = round(place / speed)
        near = np.abs(made[max(0, middle - 1500) : middle + 1500]).max(axis=1)
        if not len(near):
            continue
        first = int(np.argmax(near > 0.5 * near.max())) + max(0, middle - 1500)
        own = int(np.argmax(np.abs(sound[place : place + 400]).max(axis=1) > 0.5 * peak))
        off.append(abs(first - middle - own) / RATE * 1000)
        kept.append(float(near[max(0, 1500 - 50) :].max()) / peak)
    return statistics.median(off), statistics.median(kept)


def main() -> None:
    reader = Noise()
    for name, settings in CASES.items():
        spec = VoiceSpec("noise", 4000, 4000 + RATE, Sound(**settings), tempo=120.0)
        print(f"{name:32} {took_ms(functools.partial(render, spec, reader, RATE)):7.1f} ms")
    print("speed   attack protected: ms off, peak   tone only       general library")
    for speed in (0.75, 0.9, 1.2, 1.5):
        rows: list[list[tuple[float, float]]] = [[], [], []]
        for seed in range(6):
            sound, at = strokes(seed)
            frames = round(len(sound) / speed)
            rows[0].append(attacks(sound, stretched(sound, RATE, frames, 0.0, at, "attack"), at, speed))
            rows[1].append(attacks(sound, stretched(sound, RATE, frames, 0.0, at, "tone"), at, speed))
            other = np.stack([librosa.effects.time_stretch(side, rate=speed) for side in sound.T], axis=1)
            rows[2].append(attacks(sound, other, at, speed))
        told = ["   ".join(f"{statistics.mean(v):5.2f}" for v in zip(*some, strict=True)) for some in rows]
        print(f"{speed:4.2f}    {told[0]:30}   {told[1]:14}  {told[2]}")


if __name__ == "__main__":
    main()
