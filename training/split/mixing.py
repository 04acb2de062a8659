"""Mixes of stems that were never one song: what a network learns from is drawn anew at every step.

Stems of different songs, speeds, levels, tones and places are laid over each other, so that four hundred songs are as many as
there are steps. A part is missing now and then, and now and then alone.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soxr
from numpy.typing import NDArray

from bench.truth.synth import RATE
from training.split.songs import STEMS

PARTS = ("drums", "bass", "vocals", "other")
# How often each is missing; how loud it is against the others in dB, and how far that wanders.
ABSENT = {"drums": 0.1, "bass": 0.12, "vocals": 0.4, "other": 0.08}
LEVEL = {"drums": (-1.0, 5.0), "bass": (-2.0, 5.0), "vocals": (-1.0, 4.5), "other": (1.0, 5.0)}
# In a share of the mixes one of these lies far under the rest (dB, added): there a network is timid that has not met it.
BURIED, BURIED_DB = {"drums": 0.3, "bass": 0.15, "vocals": 0.1}, (-13.0, -3.0)
ALONE, TOGETHER, RETUNED = 0.05, 0.4, 0.5
QUIET = 1e-4
Block = NDArray[np.float32]


@dataclass(frozen=True)
class Bank:
    """Paths of songs (int16 (stems, frames, 2)) and of voices (int16 (frames, 2))."""

    songs: list[Path]
    voices: list[Path]

    @staticmethod
    def of(*folders: Path) -> Bank:
        found = sorted(path for folder in folders for path in folder.glob("*.npy"))
        voices = [path for path in found if np.load(path, mmap_mode="r").ndim == 2]
        songs = [path for path in found if path not in set(voices)]
        if not songs or not voices:
            raise ValueError(f"no songs or no voices in {', '.join(map(str, folders))}")
        return Bank(songs, voices)


def drawn(bank: Bank, rng: np.random.Generator, frames: int) -> Block:
    """(parts, frames, 2): what is heard is their sum, with a peak of at most 1."""
    out = np.zeros((len(PARTS), frames, 2), np.float32)
    lone = str(rng.choice(PARTS)) if rng.random() < ALONE else ""
    home = bank.songs[rng.integers(len(bank.songs))]
    together = rng.random() < TOGETHER
    # Of one song, all its parts are cut at one place and played at one speed.
    place, speed = rng.random(), _speed(rng)
    for k, part in enumerate(PARTS):
        if (lone and part != lone) or (not lone and rng.random() < ABSENT[part]):
            continue
        if part == "vocals":
            piece = _cut(np.load(bank.voices[rng.integers(len(bank.voices))], mmap_mode="r"), rng.random(), _speed(rng), frames)
        else:
            piece = np.zeros((frames, 2), np.float32)
            layers = ("other", "more") if part == "other" else (part,)
            for layer in layers:
                same = together or (len(layers) > 1 and rng.random() < 0.5)
                song = home if same else bank.songs[rng.integers(len(bank.songs))]
                at, rate = (place, speed) if same else (rng.random(), _speed(rng))
                sound = _cut(np.load(song, mmap_mode="r")[STEMS.index(layer)], at, rate, frames)
                piece += sound * np.float32(10 ** (rng.normal(0, 3) / 20))
        if rng.random() < 0.3:
            piece = piece[:, ::-1]
        mean, spread = LEVEL[part]
        if rng.random() < BURIED.get(part, 0):
            mean += rng.uniform(*BURIED_DB)
        out[k] = _levelled(piece, mean, spread, rng)
    peak = float(np.abs(out.sum(axis=0)).max())
    return out * np.float32(rng.uniform(0.2, 1.0) / peak) if peak > QUIET else out


def _speed(rng: np.random.Generator) -> float:
    return float(2 ** rng.normal(0, 0.12)) if rng.random() < RETUNED else 1.0


def _cut(sound: NDArray[np.int16], place: float, speed: float, frames: int) -> Block:
    """(frames, 2) from `place` (a share of its length), played at another speed, pitch and all."""
    count = min(len(sound), round(frames * speed) + 64)
    first = int(place * (len(sound) - count))
    piece = sound[first : first + count].astype(np.float32) / np.float32(32768)
    if speed != 1:
        piece = np.asarray(soxr.resample(piece, RATE * speed, RATE, "LQ"), np.float32)
    return np.pad(piece, ((0, max(0, frames - len(piece))), (0, 0)))[:frames]


def _levelled(piece: Block, mean: float, spread: float, rng: np.random.Generator) -> Block:
    """As loud, where it sounds, as drawn; rests stay rests."""
    hop = RATE // 10
    power = np.square(piece[: len(piece) // hop * hop]).reshape(-1, hop * 2).mean(axis=1)
    loud = power[power > 0.05 * power.max(initial=0)]
    if not len(loud) or power.max() < QUIET**2:
        return np.zeros_like(piece)
    return np.asarray(piece * (0.1 * 10 ** (rng.normal(mean, spread) / 20) / np.sqrt(loud.mean())), np.float32)


def tones(rng: np.random.Generator, bins: int) -> Block:
    """(parts, bins): what each part's spectrum is multiplied by: a gentle curve of its own, flat for half of them."""
    hz = np.linspace(0, RATE / 2, bins)
    octave = np.log2(np.maximum(hz, 20) / 20)
    out = np.ones((len(PARTS), bins), np.float32)
    for k in range(len(PARTS)):
        if rng.random() < 0.5:
            points = np.linspace(0, octave[-1], 6)
            out[k] = 10 ** (np.interp(octave, points, rng.normal(0, 3, 6)) / 20)
    return out
