"""Chord progressions in all 24 keys, played plainly by sampled instruments: what key and chords are measured on.

Beside them stand the songs of `grooves`, whose arrangers put far more into a chord than its name says.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from bench.truth.breaks import play
from bench.truth.grooves import KEYS, progression
from bench.truth.kits import Kit, perform
from bench.truth.synth import RATE, Note, Wave, fit, midi, render

TONES = {
    "": (0, 4, 7), "m": (0, 3, 7), "7": (0, 4, 7, 10), "m7": (0, 3, 7, 10), "M7": (0, 4, 7, 11), "sus4": (0, 5, 7),
    "sus2": (0, 2, 7),
}  # fmt: skip
COMPING = (0, 4, 5, 16, 19, 24, 25, 27, 48, 50, 61, 88)
BASSES = (32, 33, 34, 35, 38, 39)
# Beats of the bar at which the chord is struck, and for how long.
RHYTHMS = (((0, 3.9),), ((0, 1.9), (2, 1.9)), ((0, 0.9), (1, 0.9), (2, 0.9), (3, 0.9)), ((0, 1.4), (1.5, 0.9), (2.5, 1.4)))


@dataclass(frozen=True)
class Progression:
    """chords: (start, end, label) in seconds; key such as "Eb minor"."""

    sound: Wave
    chords: list[tuple[float, float, str]]
    key: str
    bpm: float


def make_progression(key: tuple[int, bool], kits: list[Kit], rng: np.random.Generator, bars: int = 16) -> Progression:
    """key: (tonic 0..11, minor)."""
    name, labels = "", [""]
    wanted = f"{KEYS[key[0]]} {'minor' if key[1] else 'major'}"
    while name != wanted:
        name, labels = progression(rng, bars)
    bpm = float(np.round(rng.uniform(70, 150), 1))
    beat = 60 / bpm
    spans: list[tuple[float, float, str]] = []
    notes: list[Note] = []
    rhythm, late = RHYTHMS[rng.integers(len(RHYTHMS))], rng.normal(0, 0.006, 4000)
    for bar, label in enumerate(labels):
        root = next(k for k in sorted(KEYS, key=len, reverse=True) if label.startswith(k))
        tones = TONES[label[len(root) :]]
        low, start = 36 + KEYS.index(root), bar * 4 * beat
        spans.append((start, start + 4 * beat, label))
        for at, length in rhythm:
            for k, tone in enumerate(tones):
                place = 52 + (low + tone - 52) % 12 + (12 if k == 1 and rng.random() < 0.3 else 0)
                notes.append(
                    Note(max(0.0, start + at * beat + late[len(notes)]), 0, place, int(rng.integers(60, 95)), length * beat)
                )
        for at in (0, 2):
            fifth = 7 if at and rng.random() < 0.4 else 0
            notes.append(
                Note(max(0.0, start + at * beat + late[len(notes)]), 1, low - (12 if low > 42 else 0) + fifth, 90, 1.8 * beat)
            )
    sound = render(midi(notes, {0: int(rng.choice(COMPING)), 1: int(rng.choice(BASSES))}), "fluid", reverb=True)
    frames = round(bars * 4 * beat * RATE)
    music = fit(sound, frames)
    kit = kits[rng.integers(len(kits))]
    hits = [h for h in play(kit, "4/4", bpm, bars, 0.5, rng) if h[0] < frames / RATE - 0.01]
    drums = perform(kit, hits, frames, rng)
    gain = np.float32(rng.uniform(0.3, 1.0) * np.abs(music).max() / max(1e-6, float(np.abs(drums).max())))
    mix = music + drums * gain if rng.random() < 0.7 else music
    return Progression(np.asarray(0.8 * mix / np.abs(mix).max(), np.float32), spans, wanted, bpm)
