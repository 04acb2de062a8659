"""What the network of core/listen/activity.py sees of rendered songs, with what sounds where.

python -m training.listen.activity OUT.npz --seed 1 --songs 60
"""

from __future__ import annotations

import argparse
import dataclasses
from collections.abc import Iterator
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import uniform_filter1d

from bench.truth import colour, grooves
from bench.truth.synth import RATE, Wave
from grainpocket.core.listen.harmony.chroma import lowered
from grainpocket.core.listen.passages import activity
from grainpocket.core.listen.spectra.bands import analyse
from training.listen import parts, people
from training.listen.sources import all_kits

SILENT_DB = -90.0
# Of a decibel, that are kept.
STEPS = 3
# How many ways a song is mixed, half of them with a voice; the share of parts that are not bent in those that are.
MIXES, UNBENT = 10, 0.6
# Decibels of a group in all that sounds, over which it does, and under which it does not; frames around that are counted.
SOUNDS_DB, ABSENT_DB, AROUND = (-34.0, -30.0, -18.0), (-46.0, -42.0, -40.0), (50, 25, 15)
Table = NDArray[np.float32]
Groups = tuple[Wave, Wave, Wave]
Heard = tuple[Wave, Groups]


def somebody(song: grooves.Song, rng: np.random.Generator, frames: int, watched: bool) -> Wave:
    """Over some of the bars: recorded people most of the time, a machine's voice at others."""
    if rng.random() < 0.2:
        return parts.voice(song, frames, rng)
    sound = people.voice(rng, frames, grooves.KEYS.index(song.key.split()[0]), "minor" in song.key, watched)
    edges = np.cumsum(rng.integers(2, 7, 20))
    for k in range(0, len(edges) - 1, 2):
        if edges[k] < len(song.bars) and rng.random() < 0.8:
            last = song.bars[edges[k + 1]] if edges[k + 1] < len(song.bars) else frames / RATE
            sound[round(song.bars[edges[k]] * RATE) : round(last * RATE)] = 0
    return sound


def bent(song: grooves.Song, rng: np.random.Generator) -> grooves.Song:
    """The same with vibrato or glides on some of the parts, as hands on strings and lips on reeds make them: a voice is not all
    that glides."""
    made = dict(song.parts)
    for name, part in song.parts.items():
        if name == "drums" or rng.random() < UNBENT:
            continue
        t = np.arange(len(part)) / RATE
        rate, deep = rng.uniform(4, 7), 2 ** (rng.uniform(5, 60) / 1200) - 1
        turns = np.arange(0, t[-1] + 1, 0.25)
        slow = np.interp(t, turns, rng.uniform(0, 1, len(turns)))
        later = t + slow * deep / (2 * np.pi * rate) * np.sin(2 * np.pi * rate * t + rng.uniform(0, 6))
        made[name] = np.stack([np.interp(later, t, part[:, side]) for side in (0, 1)], axis=1).astype(np.float32)
    return dataclasses.replace(song, parts=made)


def mixes(song: grooves.Song, rng: np.random.Generator, voices: bool, watched: bool) -> Iterator[Heard]:
    """(what is heard; drums, music and voice in it) of a song as several people might have made it."""
    frames = len(song.mix)
    sung = [somebody(song, rng, frames, watched) for _ in range(2)] if voices else []
    for turn in range(MIXES if voices else MIXES // 2):
        groups = parts.remixed(bent(song, rng) if turn % 2 else song, rng, turn % 3 == 2).groups
        # Some are drums alone, some without drums, some a voice alone.
        only = rng.random()
        drums, music = groups[0] * np.float32(only > 0.12), groups[1] * np.float32(only < 0.08 or only > 0.24)
        voice = np.zeros_like(drums)
        if turn >= MIXES // 2:
            own = sung[turn % 2]
            voice = own * np.float32(_rms(drums + music) / _rms(own) * 10 ** (rng.normal(-1, 4.5) / 20))
        both = drums + music + voice
        chosen = rng.random()
        heard = colour.mastered(both, rng) if chosen < 0.6 else colour.dirty(both, rng) if chosen < 0.8 else colour.level(both)
        yield heard, (drums, music, voice)


def _rms(sound: Wave) -> float:
    """Of where it sounds."""
    power = (sound.astype(np.float64) ** 2).mean(axis=1)
    power = uniform_filter1d(power, RATE // 4)[:: RATE // 10]
    return float(np.sqrt(power[power > 1e-3 * power.max(initial=0)].mean() if power.max(initial=0) > 0 else 1.0)) + 1e-6


def level_db(groups: Groups, count: int, size: int) -> NDArray[np.float32]:
    """(count, 3) decibels of the energy of each group in frames of `size` samples, against the loudest frame of all together."""
    apart = np.stack([_energies(g, count, size) for g in groups], axis=1)
    loudest = _energies(np.asarray(sum(groups), np.float32), count, size).max(initial=0) + 1e-12
    return np.asarray(np.maximum(10 * np.log10(apart / loudest + 1e-12), SILENT_DB), np.float32)


def _energies(sound: Wave, count: int, size: int) -> NDArray[np.float64]:
    power = np.pad((sound.astype(np.float64) ** 2).sum(axis=1), (0, 3 * size))[: count * size]
    return np.asarray(power.reshape(count, size).sum(axis=1))


def truth(level: NDArray[np.floating]) -> Table:
    """(3, moments): whether each group sounds: 1, 0, or -1 where one can't say; from (frames, 3) decibels of each."""
    energy = 10 ** (level.astype(np.float64) / 10)
    told = []
    for k in range(energy.shape[1]):
        near = uniform_filter1d(energy, AROUND[k], axis=0)
        db = 10 * np.log10((near[:, k] + 1e-12) / (near.sum(axis=1) + 1e-7))
        told.append(np.where(db > SOUNDS_DB[k], 1, np.where(db < ABSENT_DB[k], 0, -1)))
    some = np.stack(told)[:, : len(level) // activity.PER_MOMENT * activity.PER_MOMENT].reshape(3, -1, activity.PER_MOMENT)
    return np.where((some == 1).mean(axis=2) > 0.6, 1, np.where((some == 0).mean(axis=2) > 0.9, 0, -1)).astype(np.float32)


def main() -> None:
    ask = argparse.ArgumentParser(description=__doc__)
    ask.add_argument("out", type=Path)
    ask.add_argument("--seed", type=int, default=1)
    ask.add_argument("--songs", type=int, default=60)
    ask.add_argument("--unsung", action="store_true", help="nobody speaks or sings: half as many mixes, much sooner")
    ask.add_argument("--watched", action="store_true", help="speakers that are only watched")
    asked = ask.parse_args()
    rng = np.random.default_rng(asked.seed + 9000)
    kits = all_kits(rng)
    kept: dict[str, list[NDArray[np.generic]]] = {"wide": [], "lines": [], "low": [], "level": [], "count": []}
    for i in range(asked.songs):
        song = parts.drawn(kits, rng, patterns=0.4)
        for heard, groups in mixes(song, rng, not asked.unsung, asked.watched):
            mono = np.ascontiguousarray(heard.mean(axis=1))
            peak = float(np.abs(mono).max())
            if peak < 1e-3:
                continue
            bands = analyse(mono, RATE, peak)
            pictures = activity.look(bands, lowered(mono, RATE))
            for name, picture in pictures._asdict().items():
                kept[name].append(np.round(-picture * STEPS).astype(np.uint8))
            kept["level"].append(level_db(groups, len(pictures.wide), bands.hop * activity.PER_FRAME).astype(np.float16))
            kept["count"].append(np.array([len(pictures.wide)]))
        if i % 10 == 9 or i == asked.songs - 1:
            print(i + 1, sum(len(w) for w in kept["wide"]), flush=True)
            np.savez(asked.out, **{name: np.concatenate(rows) for name, rows in kept.items()})  # type: ignore[arg-type]


if __name__ == "__main__":
    main()
