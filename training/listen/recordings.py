"""Rendered breaks and songs, kept, for rendering takes longer than looking at them: what every look is fitted on.

    python -m training.listen.recordings FOLDER --seed 201 --rounds 60

Each round is a number of breaks and then a song; half of the kits are gathered out of several.
"""

from __future__ import annotations

import argparse
import pickle
from collections.abc import Iterable, Iterator
from pathlib import Path

import numpy as np

from bench.truth import grooves
from bench.truth.kits import Gathered, Kit
from training.listen.sources import Event, Example, Span, all_kits, from_breaks, songs_heard

# Out of how many kits one is gathered, how often, and how many breaks play every hit of a drum as the same take.
OUT_OF, GATHERED, SAMPLED, FULL = 5, 0.5, 0.4, np.float32(32767)
SONG_KITS, SONG_BARS, PER_FILE = 3, 16, 200
# (mono samples as 16-bit integers, their rate, what begins, where it is unknown)
Kept = tuple[np.ndarray, int, list[Event], list[Span]]


def some_kit(kits: list[Kit], rng: np.random.Generator) -> Kit:
    """One of the kits, or one gathered out of several, of which one has all that is played."""
    if rng.random() >= GATHERED:
        return kits[rng.integers(len(kits))]
    able = _able(kits)
    first = able[rng.integers(len(able))]
    return Gathered([first, *(kits[k] for k in rng.integers(len(kits), size=OUT_OF))], rng)


def _able(kits: list[Kit]) -> list[Kit]:
    return [kit for kit in kits if kit.has(36, 38, 42)]


def render(kits: list[Kit], rng: np.random.Generator, rounds: int, breaks: int, patterns: float) -> Iterator[Example]:
    """patterns: share of the songs that are of our own arranger."""
    for _ in range(rounds):
        for _ in range(breaks // 3):
            yield from from_breaks([some_kit(kits, rng)], rng, 3, SAMPLED)
        able = _able([some_kit(kits, rng) for _ in range(SONG_KITS)]) or _able(kits)
        font, drift = str(rng.choice(["fluid", "score"])), float(rng.choice([0, 0.01]))
        if rng.random() < patterns:
            song = grooves.make_pattern_song(able, rng, SONG_BARS, font, drift)
        else:
            song = grooves.make_song(able, rng, SONG_BARS, font, drift, varied=True)
        yield from songs_heard(song, rng)


def keep(folder: Path, name: str, source: Iterable[Example]) -> None:
    """Write recordings to files of PER_FILE each: name-000.pickle and on."""
    folder.mkdir(parents=True, exist_ok=True)
    kept: list[Kept] = []
    number = 0
    for sound, rate, events, doubtful in source:
        kept.append((np.round(np.clip(sound.mean(axis=1), -1, 1) * FULL).astype(np.int16), rate, events, doubtful))
        if len(kept) == PER_FILE:
            _write(folder / f"{name}-{number:03d}.pickle", kept)
            number, kept = number + 1, []
            print(number * PER_FILE, flush=True)
    if kept:
        _write(folder / f"{name}-{number:03d}.pickle", kept)


def _write(file: Path, kept: list[Kept]) -> None:
    file.write_bytes(pickle.dumps(kept))


def read(files: Iterable[Path]) -> Iterator[Example]:
    """What `keep` wrote, mono."""
    for file in files:
        for sound, rate, events, doubtful in pickle.loads(file.read_bytes()):
            yield (sound.astype(np.float32) / FULL)[:, None], rate, events, doubtful


def main() -> None:
    ask = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    ask.add_argument("folder", type=Path)
    ask.add_argument("--seed", type=int, default=1)
    ask.add_argument("--rounds", type=int, default=60)
    ask.add_argument("--breaks", type=int, default=36, help="breaks of a round")
    ask.add_argument("--patterns", type=float, default=0.8, help="share of songs of our own arranger")
    asked = ask.parse_args()
    rng = np.random.default_rng(asked.seed + 500_000)
    keep(asked.folder, str(asked.seed), render(all_kits(rng), rng, asked.rounds, asked.breaks, asked.patterns))


if __name__ == "__main__":
    main()
