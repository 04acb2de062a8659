"""Drum breaks with a drummer's timing: swing, drag, ghost notes, flams, fills, percussion; clean, with bleed, or dirty."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from bench.truth import colour
from bench.truth.kits import Kit, Sampler, Varied, perform
from bench.truth.synth import RATE, Note, Wave, fit, midi, render

Hit = tuple[float, int, int]
FLAVOURS = ("clean", "bleed", "dirty")
_KICKS = ((0, 7, 10), (0, 2, 10, 11), (0, 6, 8, 14), (0, 10), (0, 3, 10), (0, 4, 8, 12), (0, 8, 11), (0, 5, 10, 13))
_TIMES = {"4/4": (16, 4, (4, 12)), "3/4": (12, 4, (4, 8)), "6/8": (12, 4, (6,))}


@dataclass(frozen=True)
class Break:
    """hits: (seconds, General MIDI note, velocity), rising; bars: how many; beats, downbeats: seconds."""

    sound: Wave
    hits: list[Hit]
    bpm: float
    bars: int
    metre: str
    swing: float
    flavour: str


def make_break(
    kits: list[Kit],
    rng: np.random.Generator,
    flavour: str,
    backing: str = "fluid",
    plain: bool = False,
    varied: bool = False,
    sampled: bool = False,
) -> Break:
    """plain: 4/4 and two or four bars; varied: tuned and recorded as nobody else would; sampled: the same take each time."""
    kit = kits[rng.integers(len(kits))]
    kit = Sampler(kit, rng) if sampled else kit
    kit = Varied(kit, rng) if varied else kit
    metre = "4/4" if plain else str(rng.choice(["4/4", "3/4", "6/8"], p=[0.8, 0.1, 0.1]))
    bpm = float(np.round(rng.uniform(60, 185), 2))
    bars = int(rng.choice([2, 4])) if plain else int(rng.choice([1, 2, 4, 8], p=[0.1, 0.4, 0.4, 0.1]))
    swing = float(rng.choice([0.5, 0.5, 0.54, 0.58, 0.62, 0.66]))
    hits = play(kit, metre, bpm, bars, swing, rng)
    quarters = 3 if metre in ("3/4", "6/8") else 4
    frames = round(bars * quarters * 60 / bpm * RATE)
    hits = [h for h in hits if h[0] < frames / RATE - 0.01]
    sound = perform(kit, hits, frames, rng)
    if flavour == "bleed":
        music = _music(bpm, bars, quarters, frames, backing, rng)
        gain = rng.uniform(0.3, 0.7) * np.abs(sound).max() / max(1e-6, float(np.abs(music).max()))
        sound = sound + np.float32(gain) * music
    if flavour == "dirty":
        sound = colour.dirty(sound, rng)
    return Break(colour.level(sound), hits, bpm, bars, metre, swing, flavour)


def play(kit: Kit, metre: str, bpm: float, bars: int, swing: float, rng: np.random.Generator) -> list[Hit]:
    steps, _, backbeats = _TIMES[metre]
    step, drag, loose = 60 / bpm / 4, float(rng.normal(0, 0.005)), float(rng.uniform(0.001, 0.005))
    kicks = [k for k in _KICKS[rng.integers(len(_KICKS))] if k < steps]
    time_note = 42 if rng.random() < 0.75 or not kit.has(51) else 51
    each = int(rng.choice([1, 2, 2, 2, 4]))
    ghosts, extra = rng.uniform(0, 0.35), [n for n in (54, 56, 60, 61, 62, 63, 69, 70, 75, 76) if kit.has(n)]
    shaker = int(rng.choice(extra)) if extra and rng.random() < 0.35 else 0
    clap, side = kit.has(39) and rng.random() < 0.15, kit.has(37) and rng.random() < 0.12
    out: list[Hit] = []

    def add(at: float, note: int, low: int, high: int) -> None:
        if kit.has(note):
            out.append((max(0.0, at), note, int(rng.integers(low, high))))

    for bar in range(bars):
        fill = bar == bars - 1 and rng.random() < 0.6
        for s in range(steps):
            late = (swing - 0.5) * 2 * step if s % 2 else 0.0
            at = (bar * steps + s) * step + late + rng.normal(0, loose)
            if s in kicks and rng.random() < 0.93:
                add(at, 36, 80, 121)
            if s in backbeats:
                add(at + drag, 37 if side else 38, 88, 126)
                if clap:
                    add(at + drag + rng.normal(0, 0.002), 39, 70, 110)
                if rng.random() < 0.06:
                    add(at + drag - rng.uniform(0.022, 0.035), 38, 35, 60)
            elif rng.random() < ghosts:
                add(at, 38, 21, 56)
            if fill and s >= steps - 4 and rng.random() < 0.8:
                add(at, int(rng.choice([38, 45, 43, 48])), 65, 116)
            if s % each == 0 and rng.random() < 0.95:
                open_hat = time_note == 42 and s % 4 == 2 and rng.random() < 0.15
                add(at + rng.normal(0, 0.002), 46 if open_hat else time_note, 45, 102)
            if shaker and rng.random() < 0.45:
                add(at + rng.normal(0, 0.004), shaker, 40, 100)
            if s == 0 and bar % 4 == 0 and rng.random() < 0.15:
                add(at, 49, 80, 115)
    return sorted(out)


def _music(bpm: float, bars: int, quarters: int, frames: int, font: str, rng: np.random.Generator) -> Wave:
    beat, root = 60 / bpm, int(rng.integers(31, 46))
    notes: list[Note] = []
    for half in range(bars * quarters // 2 + 1):
        notes.append(Note(half * beat * 2, 0, root + int(rng.choice([0, 3, 5, 7])), int(rng.integers(70, 105)), beat * 1.6))
    for bar in range(bars):
        tones = (0, 3, 7, 10) if rng.random() < 0.5 else (0, 4, 7, 11)
        notes += [Note(bar * beat * quarters, 1, root + 24 + k, 70, beat * (quarters - 0.3)) for k in tones]
    bass, keys = int(rng.choice([32, 33, 34, 35, 38])), int(rng.choice([0, 4, 5, 16, 24, 26, 48, 89]))
    return fit(render(midi(notes, {0: bass, 1: keys}), font), frames)
