"""Engines on songs that nothing was fitted on: what is chosen about an engine is chosen here.

    python -m training.split.score WATCHED_DIR --engines filter learned --qualities draft normal best

Whole songs of the watched font and kits, half of them with a watched voice; median SDR in dB where a part sounds.
"""

from __future__ import annotations

import argparse
import time
from pathlib import Path

import numpy as np

from bench.truth.synth import RATE
from grainpocket.core.listen.hearing import hear
from grainpocket.core.sound.audio import mono
from grainpocket.core.split.base import separate
from grainpocket.core.split.engines import ENGINES
from grainpocket.core.split.heard import Heard
from training.split.mixing import LEVEL, PARTS, Bank
from training.split.songs import STEMS

Wave = np.ndarray


def songs(bank: Bank, seconds: float) -> list[dict[str, Wave]]:
    """(frames, 2) of each part, song by song, its levels drawn by its number."""
    made = []
    for number, path in enumerate(bank.songs):
        rng = np.random.default_rng((77, number))
        stems = np.load(path, mmap_mode="r")[:, : round(seconds * RATE)].astype(np.float32) / 32768
        parts = {"drums": stems[STEMS.index("drums")], "bass": stems[STEMS.index("bass")]}
        parts["other"] = stems[STEMS.index("other")] + stems[STEMS.index("more")]
        if number % 2:
            voice = np.load(bank.voices[number % len(bank.voices)], mmap_mode="r")[: round(seconds * RATE)]
            parts["vocals"] = voice.astype(np.float32) / 32768
        else:
            parts["vocals"] = np.zeros_like(parts["drums"])
        for name, part in parts.items():
            loud = float(np.sqrt(np.square(part).mean()))
            if loud > 1e-4:
                parts[name] = np.asarray(part * 0.1 * 10 ** (rng.normal(LEVEL[name][0], 3) / 20) / loud, np.float32)
        made.append(parts)
    return made


def sdr(true: Wave, made: Wave) -> float:
    return 10 * float(np.log10(np.square(true).sum() / (np.square(true - made).sum() + 1e-12) + 1e-12))


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("watched", type=Path)
    parser.add_argument("--engines", nargs="+", default=["filter", "learned"])
    parser.add_argument("--qualities", nargs="+", default=["draft", "normal", "best"])
    parser.add_argument("--seconds", type=float, default=30)
    asked = parser.parse_args()
    known = songs(Bank.of(asked.watched), asked.seconds)
    for name in asked.engines:
        engine = ENGINES[name]
        for quality in [one.name for one in engine.qualities if one.name in asked.qualities]:
            told: dict[str, list[float]] = {part: [] for part in PARTS}
            false, spent = [], 0.0
            for parts in known:
                mix = np.asarray(sum(parts.values()), np.float32)
                began = time.perf_counter()
                moments = hear(mono(mix), RATE).moments
                made = separate(engine, mix, RATE, quality=quality, heard=Heard(moments) if moments is not None else None)
                spent += time.perf_counter() - began
                for part in PARTS:
                    if np.square(parts[part]).mean() > 1e-6:
                        told[part].append(sdr(parts[part], made[part]))
                    elif part == "vocals":
                        false.append(10 * float(np.log10(np.square(made[part]).sum() / np.square(mix).sum() + 1e-9)))
            figures = "  ".join(f"{part} {np.median(told[part]):5.2f}" for part in PARTS)
            speed = len(known) * asked.seconds / spent
            print(f"{name:8s} {quality:7s} {figures}  false vocals {np.median(false):6.1f}  {speed:5.1f} x real time", flush=True)


if __name__ == "__main__":
    main()
