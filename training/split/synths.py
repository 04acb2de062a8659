"""Instruments of our own sums, so that a part is not always a sampled one: tables, two sines, plucked strings.

Plucks are after Karplus & Strong, "Digital synthesis of plucked-string and drum timbres" (Computer Music Journal, 1983), two
sines after Chowning, "The synthesis of complex audio spectra by means of frequency modulation" (JAES, 1973).
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from scipy import signal

from bench.truth.synth import RATE, Note, Wave

TABLE = 2048
KINDS = ("table", "table", "sines", "pluck")
Mono = NDArray[np.float64]
Voice = Callable[[float, int, float], Mono]


def play(notes: list[Note], frames: int, rng: np.random.Generator, kinds: tuple[str, ...] = KINDS) -> Wave:
    """(frames, 2) of notes, all on one instrument whose settings are drawn by rng."""
    voice = _voice(str(rng.choice(kinds)), rng)
    attack = float(np.exp(rng.uniform(np.log(0.002), np.log(0.08))))
    release = float(np.exp(rng.uniform(np.log(0.02), np.log(0.4))))
    decay = float(rng.choice([np.inf, rng.uniform(0.1, 1.5)]))
    spread = float(rng.uniform(0, 0.7)) if rng.random() < 0.5 else 0.0
    out = np.zeros((frames, 2), np.float32)
    for note in notes:
        first = round(note.at * RATE)
        count = min(frames - first, round((note.length + 3 * release) * RATE))
        if count < 64:
            continue
        t = np.arange(count) / RATE
        level = np.minimum(1, t / attack) * np.exp(-t / decay) * np.where(t < note.length, 1, np.exp(-(t - note.length) / release))
        sound = voice(440 * 2 ** ((note.key - 69) / 12), count, note.velocity / 127) * level * (note.velocity / 127) ** 1.5
        fade = min(64, count)
        sound[-fade:] *= np.linspace(1, 0, fade)
        place = 0.5 + 0.5 * spread * (1 if note.key % 2 else -1)
        out[first : first + count] += np.stack((sound * np.sqrt(1 - place), sound * np.sqrt(place)), axis=1).astype(np.float32)
    return out


def _voice(kind: str, rng: np.random.Generator) -> Voice:
    if kind == "sines":
        ratio, deep, falls = float(rng.choice([0.5, 1, 1, 2, 3, 3.5, 7])), float(rng.uniform(0.3, 5)), float(rng.uniform(0.05, 1.0))

        def sines(hz: float, count: int, hard: float) -> Mono:
            t = np.arange(count) / RATE
            # No more side bands than there is room for under half the rate.
            index = min(deep * (0.4 + hard), max(0.0, (0.4 * RATE / hz - 1) / max(ratio, 1))) * np.exp(-t / falls)
            return np.asarray(np.sin(2 * np.pi * hz * t + index * np.sin(2 * np.pi * ratio * hz * t)))

        return sines
    if kind == "pluck":
        loss, bright = float(rng.uniform(0.985, 0.999)), float(rng.uniform(0.2, 1.0))

        def pluck(hz: float, count: int, hard: float) -> Mono:
            period = max(2, round(RATE / hz - 0.5))
            burst = np.zeros(count)
            burst[:period] = rng.uniform(-1, 1, min(period, count))
            # A string does not swing round anything but its rest.
            burst[:period] -= burst[:period].mean()
            burst = signal.lfilter([bright * (0.3 + 0.7 * hard)], [1, bright * (0.3 + 0.7 * hard) - 1], burst)
            string = signal.lfilter([1.0], [1.0, *np.zeros(period - 1), -0.5 * loss, -0.5 * loss], burst)
            return np.asarray(string / max(1e-6, float(np.abs(string).max())))

        return pluck
    slope, odd, voices = float(rng.uniform(0.6, 2.2)), bool(rng.random() < 0.35), int(rng.choice([1, 1, 2, 3]))
    dull, falls, cents = float(rng.uniform(0.5, 3)), float(rng.uniform(0.05, 1.2)), float(rng.uniform(3, 18))
    tables: dict[int, tuple[Mono, Mono]] = {}

    def table(hz: float, count: int, hard: float) -> Mono:
        most = max(1, min(200, int(0.4 * RATE / hz)))
        if most not in tables:
            tables[most] = _cycle(most, slope, odd), _cycle(most, slope + dull, odd)
        bright, dark = tables[most]
        t = np.arange(count) / RATE
        share = np.exp(-t / falls) * (0.3 + 0.7 * hard)
        out = np.zeros(count)
        for k in range(voices):
            detuned = hz * 2 ** (cents * (k - (voices - 1) / 2) / 1200)
            place = ((detuned * t + k * 0.37) % 1.0 * TABLE).astype(int)
            out += share * bright[place] + (1 - share) * dark[place]
        return out / voices

    return table


def _cycle(harmonics: int, slope: float, odd: bool) -> Mono:
    """One cycle with so many harmonics, each weaker than the last by that power of its number."""
    number = np.arange(1, harmonics + 1)
    level = number**-slope * (np.where(number % 2, 1.0, 0.05) if odd else 1.0)
    spectrum = np.zeros(TABLE // 2 + 1, complex)
    spectrum[1 : harmonics + 1] = -1j * level
    cycle = np.fft.irfft(spectrum, TABLE)
    return np.asarray(cycle / np.abs(cycle).max())
