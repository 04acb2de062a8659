"""How well "sounds like this" finds the same drum: `python -m bench.alike`.

Sampled drums, each hit several times at other strengths with something of a room and hiss, and hits of the demo break: of
each hit it is asked whether another of the same drum is among the first one and the first three.
"""

from __future__ import annotations

import json

import numpy as np
import soundfile as sf

from bench.truth import build, colour
from bench.truth.kits import Kit, from_font, from_sums, perform
from bench.truth.synth import RATE, Wave
from grainpocket.core.chop.facts import likeness, tone
from grainpocket.demo.pocket import AUDIO

HITS, LENGTH_S = 5, 0.5
DRUMS = (36, 37, 38, 39, 42, 43, 46, 48, 49, 51, 56)


def rendered(kits: list[Kit], rng: np.random.Generator) -> tuple[list[Wave], list[str]]:
    """Single hits, and which drum of which kit each is."""
    sounds: list[Wave] = []
    names: list[str] = []
    for kit in kits:
        for note in DRUMS:
            if not kit.has(note):
                continue
            for _ in range(HITS):
                velocity = int(rng.integers(60, 126))
                sound = perform(kit, [(0.0, note, velocity)], int(LENGTH_S * RATE), rng)
                sounds.append(colour.level(sound) + np.float32(1e-4) * rng.standard_normal(sound.shape).astype(np.float32))
                names.append(f"{kit.name}/{note}")
    return sounds, names


def demo_hits() -> tuple[list[Wave], list[str]]:
    """The hits of the demo break, cut where they were played; ghosts apart from main hits."""
    truth = json.loads((AUDIO / "truth.json").read_text())["Dockside break"]["hits"]
    record, _ = sf.read(AUDIO / "Dockside break.flac", dtype="float32", always_2d=True)
    sounds, names = [], []
    for i, (at, role, velocity) in enumerate(truth):
        near = [r for j, (t, r, _) in enumerate(truth) if j != i and abs(t - at) < 0.03]
        later = min((t for t, _, _ in truth if t > at + 0.03), default=at + LENGTH_S)
        if near:
            continue
        sounds.append(record[round(at * RATE) : round(min(later, at + LENGTH_S) * RATE)])
        names.append(f"{role}, {'soft' if velocity < 60 else 'hard'}")
    return sounds, names


def score(sounds: list[Wave], names: list[str]) -> tuple[float, float, int]:
    prints = np.array([tone(sound, RATE).print for sound in sounds])
    first, three, asked = 0, 0, 0
    for i, name in enumerate(names):
        if names.count(name) < 2:
            continue
        like = likeness(prints[i], prints)
        like[i] = -1
        best = [names[j] for j in np.argsort(-like)[:3]]
        first, three, asked = first + (best[0] == name), three + (name in best), asked + 1
    return first / asked, three / asked, asked


def main() -> None:
    build.install()
    rng = np.random.default_rng(3)
    kits = [*build.held_out_kits(), from_font("fluid", 0), from_font("fluid", 8), from_sums(5)]
    for title, (sounds, names) in (("sampled drums", rendered(kits, rng)), ("the demo break", demo_hits())):
        first, three, asked = score(sounds, names)
        print(f"{title:16s} n={asked}  same drum first {first:.3f}  among the first three {three:.3f}", flush=True)


if __name__ == "__main__":
    main()
