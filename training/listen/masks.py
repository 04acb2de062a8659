"""What the networks of core/listen/masks.py see of rendered songs, with the power that each drum and the music have.

    python -m training.listen.masks OUT.npz --seed 91 --songs 40

Songs as `parts` mixes them, four mixes of each; of each mix its levels, those of its parts, and its hits with their cover.
"""

from __future__ import annotations

import argparse
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bench.truth import cover
from bench.truth.synth import RATE, Wave
from grainpocket.core.listen.detection import detect_in
from grainpocket.core.listen.drums import clean_hits, masks
from grainpocket.core.listen.spectra.bands import analyse
from training.listen.parts import MATCH_S, Mix, drawn, mixes
from training.listen.sources import all_kits

ROLES = ("kick", "snare", "hat", "perc")
PATTERNS = 0.4
LEAST = 1e-10


class Rows:
    """level: (frames, BANDS) of all mixes; parts: (frames, 5, BANDS) log10 of the power of ROLES and of the music, as they were
    before the mix was mastered; count: frames of each mix. Of all hits, at: frame in its mix; drum: index; cover: decibels;
    of: number of its mix."""

    def __init__(self) -> None:
        self.level: list[NDArray[np.float16]] = []
        self.parts: list[NDArray[np.float16]] = []
        self.count: list[int] = []
        self.hits: list[NDArray[np.float64]] = []

    def add(self, mix: Mix) -> None:
        mono = np.ascontiguousarray(mix.sound.mean(axis=1))
        peak = float(np.abs(mono).max())
        if peak < 1e-3 or not mix.covers:
            return
        level = masks.levels(mono, RATE)
        parts = [_log(mix.apart[role], len(level)) for role in ROLES] + [_log(mix.groups[1], len(level))]
        onsets = detect_in(analyse(mono, RATE, peak), mono)
        for d, role in enumerate(clean_hits.DRUMS):
            index = clean_hits.of_role(onsets, role)
            known = np.array(mix.covers[role]).reshape(-1, 2)
            gap = np.abs(onsets.seconds[index][:, None] - known[None, :, 0])
            near = gap.min(axis=1, initial=1.0) < MATCH_S
            # What is no such drum at all is as unclean as can be.
            told = np.full(len(index), cover.DIRTIEST_DB)
            if near.any():
                told[near] = known[gap[near].argmin(axis=1), 1]
            frames = masks.frames_of(onsets.looks[index], RATE, len(level))
            self.hits.append(np.column_stack((frames, np.full(len(index), d), told, np.full(len(index), len(self.count)))))
        self.level.append(level.astype(np.float16))
        self.parts.append(np.stack(parts, axis=1))
        self.count.append(len(level))

    def save(self, file: Path) -> None:
        at, drum, told, of = np.concatenate(self.hits).T
        np.savez(
            file, level=np.concatenate(self.level), parts=np.concatenate(self.parts), count=np.array(self.count),
            at=at.astype(np.int64), drum=drum.astype(np.int8), cover=told.astype(np.float16), of=of.astype(np.int64),
        )  # fmt: skip


def _log(part: Wave, frames: int) -> NDArray[np.float16]:
    power = masks.powers(np.ascontiguousarray(part.mean(axis=1)), RATE)[:frames]
    return np.asarray(np.log10(power + LEAST), np.float16)


def main() -> None:
    ask = argparse.ArgumentParser(description=__doc__)
    ask.add_argument("out", type=Path)
    ask.add_argument("--seed", type=int, default=1)
    ask.add_argument("--songs", type=int, default=40)
    asked = ask.parse_args()
    rng = np.random.default_rng(asked.seed + 7000)
    kits, rows = all_kits(rng), Rows()
    for i in range(asked.songs):
        # Without voices.
        for mix in mixes(drawn(kits, rng, PATTERNS), rng, 0):
            rows.add(mix)
        if i % 10 == 9 or i == asked.songs - 1:
            print(i + 1, len(rows.count), flush=True)
            rows.save(asked.out)


if __name__ == "__main__":
    main()
