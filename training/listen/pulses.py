"""What the metre network sees of rendered songs and breaks, with which of its hypotheses are true.

    python -m training.listen.pulses OUT.npz --seed 1 --songs 150 --breaks 500 --patterns 600

Every song is looked at whole and in pieces, mixed and as bare drums.
"""

from __future__ import annotations

import argparse
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soxr
from numpy.typing import NDArray

from bench.truth import breaks, grooves
from bench.truth.synth import RATE, Wave
from grainpocket.core.listen.detection import detect
from grainpocket.core.listen.harmony.chords import QUALITIES, WIDTH, between
from grainpocket.core.listen.harmony.chroma import Chroma, chroma
from grainpocket.core.listen.tempo.bar_profile import METRES, PARTS, Evidence, evidence, readings
from grainpocket.core.listen.tempo.metre import table
from training.listen.sources import all_kits

NEAR_TEMPO, NEAR_PARTS, FEWEST = 0.025, 1.0, 8
# Wrong hypotheses kept of a case; the rest are stood for by their number.
KEPT = 300


@dataclass(frozen=True)
class Case:
    """x: (hypotheses, features); true: (hypotheses,) whether each is right; stands_for: how many wrong ones each wrong one
    stands for."""

    x: NDArray[np.float16]
    true: NDArray[np.bool_]
    stands_for: float


def case(seen: Evidence, bpm: float, metre: str, downbeats: NDArray[np.float64], rng: np.random.Generator) -> Case | None:
    """downbeats: seconds, in the time of `seen`. None when no hypothesis is true, or there is too little to go by."""
    if len(seen.t) < FEWEST or not len(downbeats):
        return None
    rows: list[NDArray[np.float32]] = []
    true: list[NDArray[np.bool_]] = []
    for reading in readings(seen):
        parts = table(seen, reading)
        near = abs(np.log(reading.beat.bpm / bpm)) < NEAR_TEMPO
        for (name, quarters), part in zip(METRES, parts, strict=True):
            right = np.zeros(len(part), bool)
            if near and name == metre:
                bins = quarters * PARTS
                turn = np.exp(2j * np.pi * reading.beat.at(downbeats) / quarters).mean()
                if np.abs(turn) > 0.7:  # Else the beat lost its way in this piece.
                    place = np.angle(turn) / (2 * np.pi) * bins
                    gap = np.abs((np.arange(bins) - place + bins / 2) % bins - bins / 2)
                    right = gap <= NEAR_PARTS
            rows.append(part)
            true.append(right)
    if not true or not any(r.any() for r in true):
        return None
    right = np.concatenate(true)
    wrong = np.flatnonzero(~right)
    kept = rng.choice(wrong, min(KEPT, len(wrong)), replace=False)
    keep = np.concatenate((np.flatnonzero(right), kept))
    return Case(np.vstack(rows)[keep].astype(np.float16), right[keep], len(wrong) / max(1, len(kept)))


def listen(sound: Wave, harmony: bool = True) -> tuple[Evidence, float]:
    mono = np.ascontiguousarray(sound.mean(axis=1))
    found = detect(mono, RATE)
    notes: Chroma | None = chroma(mono, RATE) if harmony else None
    return evidence(found, notes, len(mono) / RATE), len(mono) / RATE


@dataclass(frozen=True)
class Harmony:
    """rows: (beats, WIDTH) of core/listen/harmony/chords; chords: (beats,) states; key: tonic * 2 + mode, or -1 of bare drums."""

    rows: NDArray[np.float32]
    chords: NDArray[np.int64]
    key: int


def harmony_of(song: grooves.Song, rng: np.random.Generator) -> Harmony:
    """What sounds between the beats (which a listener places a little early or late), and what was written."""
    sound = song.mix if rng.random() < 0.8 else song.mix - song.parts["drums"]
    cents = float(rng.uniform(-40, 40)) if rng.random() < 0.5 else 0.0
    mono = np.ascontiguousarray(sound.mean(axis=1))
    # A record that runs fast is sharp.
    ratio = 2 ** (cents / 1200)
    notes = chroma(np.asarray(soxr.resample(mono, RATE * ratio, RATE, "MQ"), np.float32), RATE)
    edges = np.array(song.beats) + rng.normal(0, 0.015)
    tonic, mode = song.key.split()
    states = []
    for middle in (edges[1:] + edges[:-1]) / 2:
        name = next((c for a, b, c in song.chords if a <= middle < b), "none")
        if any(a <= middle < b for a, b in song.bare):
            name = "none"
        states.append(_state(name))
    return Harmony(between(notes, edges / ratio), np.array(states), 2 * grooves.KEYS.index(tonic) + (mode == "minor"))


def bare(song: grooves.Song) -> Harmony:
    """The drums alone, in which there is no harmony."""
    notes = chroma(np.ascontiguousarray(song.parts["drums"].mean(axis=1)), RATE)
    rows = between(notes, np.array(song.beats))
    return Harmony(rows, np.full(len(rows), 12 * len(QUALITIES)), -1)


def _state(name: str) -> int:
    if name == "none":
        return 12 * len(QUALITIES)
    root = next(k for k in sorted(grooves.KEYS, key=len, reverse=True) if name.startswith(k))
    quality = name[len(root) :].replace("M7", "maj7")
    return grooves.KEYS.index(root) * len(QUALITIES) + QUALITIES.index(quality)


def of_song(song: grooves.Song, rng: np.random.Generator) -> list[Case]:
    names = {(4, 4): "4/4", (2, 4): "4/4", (3, 4): "3/4", (6, 8): "6/8"}
    if song.metre not in names:
        return []
    downbeats = np.array(song.bars[::2] if song.metre == (2, 4) else song.bars)
    out: list[Case | None] = []
    music = np.asarray(song.mix - song.parts["drums"], np.float32)
    for sound in (grooves.finished(song, rng), song.parts["drums"], music):
        seen, seconds = listen(sound)
        for whole in (True, False, False, False):
            length = seconds if whole else float(rng.uniform(6, min(30, seconds)))
            start = 0.0 if whole else float(rng.uniform(0, seconds - length))
            inside = downbeats[(downbeats >= start) & (downbeats < start + length)] - start
            out.append(case(seen.between(start, start + length), song.bpm, names[song.metre], inside, rng))
    return [c for c in out if c is not None]


def of_break(one: breaks.Break, rng: np.random.Generator) -> list[Case]:
    quarters = 3 if one.metre in ("3/4", "6/8") else 4
    seen, _ = listen(one.sound)
    downbeats = np.arange(one.bars) * quarters * 60 / one.bpm
    found = case(seen, one.bpm, one.metre, downbeats, rng)
    return [found] if found is not None else []


def main() -> None:
    ask = argparse.ArgumentParser(description=__doc__)
    ask.add_argument("out", type=Path)
    ask.add_argument("--seed", type=int, default=1)
    ask.add_argument("--songs", type=int, default=150)
    ask.add_argument("--breaks", type=int, default=500)
    ask.add_argument("--patterns", type=int, default=600, help="songs of our own arranger")
    asked = ask.parse_args()
    rng = np.random.default_rng(asked.seed + 1000)
    kits = all_kits(rng)
    cases: list[Case] = []
    tunes: list[Harmony] = []
    for i in range(asked.breaks):
        one = breaks.make_break(kits, rng, breaks.FLAVOURS[i % 3], plain=bool(rng.random() < 0.5), varied=True)
        if one.hits:
            cases += of_break(one, rng)
    print("breaks", len(cases), flush=True)
    for i in range(asked.songs):
        bars, drift = int(rng.choice([12, 16, 24])), float(rng.choice([0, 0, 0.01, 0.02]))
        song = grooves.make_song(kits, rng, bars, drift=drift, varied=True)
        cases += of_song(song, rng)
        tunes.append(harmony_of(song, rng))
        if i % 3 == 0:
            tunes.append(bare(song))
        if i % 10 == 9:
            print(i + 1, len(cases), flush=True)
    for i in range(asked.patterns):
        bars, drift = int(rng.choice([12, 16, 24])), float(rng.choice([0, 0, 0.01, 0.02]))
        song = grooves.make_pattern_song(kits, rng, bars, font=str(rng.choice(["fluid", "score"], p=[0.9, 0.1])), drift=drift)
        cases += of_song(song, rng)
        if i % 25 == 24:
            print("patterns", i + 1, len(cases), flush=True)
    sizes = [len(c.x) for c in cases]
    np.savez(
        asked.out,
        x=np.vstack([c.x for c in cases]),
        true=np.concatenate([c.true for c in cases]),
        sizes=np.array(sizes),
        stands_for=np.array([c.stands_for for c in cases]),
        rows=np.vstack([np.zeros((0, WIDTH), np.float32), *(t.rows for t in tunes)]),
        chords=np.concatenate([np.zeros(0, np.int64), *(t.chords for t in tunes)]),
        lengths=np.array([len(t.rows) for t in tunes]),
        keys=np.array([t.key for t in tunes]),
    )


if __name__ == "__main__":
    main()
