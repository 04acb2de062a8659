"""What cleaning does to records whose noise is known: `python -m bench.cleaning [SET_DIR]`.

The records are the demo's own, and the songs and breaks of a truth set built beside the project when its folder is given.
Figures in dB. SNR: level of the record over that of (what came out - the record).
"""

from __future__ import annotations

import json
import sys
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import soundfile as sf
from numpy.typing import NDArray

from grainpocket.core.restore.restore import Cleaning, Survey, clean, find_clicks, survey
from grainpocket.core.sound.audio import Samples
from grainpocket.demo.pocket import AUDIO

RATE, LONGEST_S = 44100, 30
CLICKS_A_MINUTE, OVER_DB = 240, 20.0
HISS_DB = (20.0, 30.0, 40.0)  # how far under the record
Wave = NDArray[np.float32]


def records(truth: Path | None) -> Iterator[tuple[str, Wave]]:
    for path in sorted(AUDIO.glob("*.flac")):
        yield path.stem, _read(path)
    if truth is None:
        return
    rows = json.loads((truth / "index.json").read_text())
    wanted = {"song": 3, "break": 2}
    for row in rows:
        if wanted.get(row["kind"], 0):
            wanted[row["kind"]] -= 1
            yield row["name"], _read(next(truth.glob(f"**/{row['name']}*.wav")))


def _read(path: Path) -> Wave:
    sound, rate = sf.read(path, dtype="float32", always_2d=True)
    assert rate == RATE
    first = max(0, (len(sound) - LONGEST_S * RATE) // 2)
    return np.asarray(sound[first : first + LONGEST_S * RATE], np.float32)


def db(x: NDArray[np.floating]) -> float:
    return 10 * float(np.log10(np.mean(np.square(x, dtype=np.float64)) + 1e-20))


def hissed(sound: Wave, under_db: float, rng: np.random.Generator) -> Wave:
    noise = rng.standard_normal(sound.shape)
    return np.asarray(noise * 10 ** ((db(sound) - under_db - db(noise)) / 20), np.float32)


def clicked(sound: Wave, rng: np.random.Generator) -> tuple[Wave, NDArray[np.int64]]:
    """(the clicks alone, where they are): each of one to six samples, 20 dB over the 20 ms round it."""
    out = np.zeros_like(sound)
    count = round(len(sound) / RATE / 60 * CLICKS_A_MINUTE)
    places = np.sort(rng.choice(np.arange(4000, len(sound) - 4000, 2500), min(count, len(sound) // 2500 - 4), replace=False))
    for place in places:
        around = np.sqrt(np.mean(np.square(sound[place - 441 : place + 441], dtype=np.float64))) + 1e-4
        size = int(rng.integers(1, 7))
        burst = around * 10 ** (OVER_DB / 20) * rng.choice([-1, 1]) * rng.uniform(0.6, 1, size)
        out[place : place + size] += burst.astype(np.float32)[:, None]
    return out, places


def hummed(sound: Wave) -> Wave:
    t = np.arange(len(sound)) / RATE
    tone = np.zeros(len(sound))
    for k, size in ((1, 1.0), (2, 0.6), (3, 0.4), (5, 0.2)):
        tone += size * np.sin(2 * np.pi * 50.02 * k * t + k)
    scaled = np.asarray(tone * 10 ** ((db(sound) - 26 - db(tone)) / 20), np.float32)
    return np.repeat(scaled[:, None], sound.shape[1], axis=1)


def surveyed(sound: Samples) -> Survey:
    def read(start: int, end: int) -> Samples:
        return sound[start:end]

    return survey(read, len(sound), RATE)


def cleaned(sound: Samples, asked: Cleaning) -> Samples:
    def read(start: int, end: int) -> Samples:
        return sound[start:end]

    return clean(read, 0, len(sound), len(sound), RATE, surveyed(sound), asked)


def snr(sound: Wave, dirty: Samples, asked: Cleaning) -> tuple[float, float]:
    return db(sound) - db(dirty - sound), db(sound) - db(cleaned(dirty, asked) - sound)


def main(truth: Path | None = None) -> None:
    rng = np.random.default_rng(11)
    print(f"{'record':22s} {'hiss, under the record by: read wrong by, SNR before and after':66s} clicks")
    for name, sound in records(truth):
        row = []
        for under in HISS_DB:
            noise = hissed(sound, under, rng)
            read = surveyed(sound + noise).hiss_db
            wrong = "none" if read is None else f"{read - db(noise):+5.1f}"
            before, after = snr(sound, sound + noise, Cleaning(hiss=12))
            row.append(f"{under:.0f}: {wrong} {before:4.1f} {after:4.1f}")
        clicks, places = clicked(sound, rng)
        one = np.ascontiguousarray((sound + clicks).mean(axis=1))
        found = find_clicks(one, 50)
        hits = sum(any(a - 3 <= p <= b + 3 for a, b in found) for p in places)
        false = len(find_clicks(np.ascontiguousarray(sound.mean(axis=1)), 50)) / len(sound) * RATE * 60
        before, after = snr(sound, sound + clicks, Cleaning(clicks=50))
        said = f"{hits / len(places):.2f} found, {false:.1f} false a minute, SNR {before:4.1f} {after:4.1f}"
        hum = hummed(sound)
        hum_before, hum_after = snr(sound, sound + hum, Cleaning(hum=True))
        harm = snr(sound, sound, Cleaning(clicks=50, hum=True))[1]
        print(f"{name[:22]:22s} {'; '.join(row):66s} {said}; hum {hum_before:.1f} {hum_after:.1f}; clean record then {harm:.0f}")


if __name__ == "__main__":
    main(Path(sys.argv[1]) if len(sys.argv) > 1 else None)
