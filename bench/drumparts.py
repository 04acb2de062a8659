"""How well a break comes apart into kick, snare and hats: `python -m bench.drumparts`. Breaks are played on the bench's kits, each
part by itself, and added up: signal to distortion of each part, median over breaks, beside that of the break itself."""

from __future__ import annotations

import statistics
import time

import numpy as np

from bench.truth.breaks import perform, play
from bench.truth.build import held_out_kits
from grainpocket.core.sound.audio import Samples, stereo
from grainpocket.core.split.base import separate
from grainpocket.core.split.drums import DRUM_PARTS

RATE, SEED, BREAKS = 44100, 77, 16
SNARES, HATS = (37, 38, 39, 40, 41, 43, 45, 47, 48, 50), (42, 44, 46, 49, 51)
PART = {35: "kick", 36: "kick", **dict.fromkeys(SNARES, "snare"), **dict.fromkeys(HATS, "hats")}


def sdr(true: Samples, made: Samples) -> float:
    return 10 * float(np.log10(np.sum(true**2) / (np.sum((true - made) ** 2) + 1e-12) + 1e-12))


def main() -> None:
    rng, kits = np.random.default_rng(SEED), held_out_kits()
    scores: dict[str, list[tuple[float, float]]] = {part: [] for part in DRUM_PARTS.parts}
    spent = heard = 0.0
    for _ in range(BREAKS):
        kit, bpm, bars = kits[rng.integers(len(kits))], float(rng.uniform(72, 175)), int(rng.choice([2, 4]))
        frames = round(bars * 240 / bpm * RATE)
        hits = [hit for hit in play(kit, "4/4", bpm, bars, 0.56, rng) if hit[1] in PART and hit[0] < frames / RATE - 0.01]
        true = {part: stereo(perform(kit, [h for h in hits if PART[h[1]] == part], frames, rng)) for part in scores}
        mix = np.asarray(sum(true.values()), np.float32)
        begun = time.perf_counter()
        made = separate(DRUM_PARTS, mix, RATE)
        spent, heard = spent + time.perf_counter() - begun, heard + len(mix) / RATE
        for part, sound in true.items():
            if np.abs(sound).max() > 1e-3:
                scores[part].append((sdr(sound, made[part]), sdr(sound, mix)))
    for part, rows in scores.items():
        ours, mixed = (statistics.median(column) for column in zip(*rows, strict=True))
        print(f"{part:6s} {ours:5.1f} dB, the break itself {mixed:5.1f} dB")
    print(f"{heard / spent:.1f} times real time")


if __name__ == "__main__":
    main()
