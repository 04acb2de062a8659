"""What the second look sees of rendered breaks and songs, with which drums truly sound.

python -m training.listen.seconds OUT.npz --seed 1 --breaks 1000 --songs 30
"""

from __future__ import annotations

import argparse
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen import second
from grainpocket.core.listen.bands import analyse
from grainpocket.core.listen.onsets import detect_in
from training.listen.examples import all_kits, from_breaks, from_songs

NEAR_S, DOUBT_S = 0.020, 0.030


def main() -> None:
    ask = argparse.ArgumentParser(description=__doc__)
    ask.add_argument("out", type=Path)
    ask.add_argument("--seed", type=int, default=1)
    ask.add_argument("--breaks", type=int, default=1000)
    ask.add_argument("--songs", type=int, default=30)
    asked = ask.parse_args()
    rng = np.random.default_rng(asked.seed + 9000)
    kits = all_kits(rng)
    tables: list[NDArray[np.float32]] = []
    truths: list[NDArray[np.int8]] = []
    for source in (from_breaks(kits, rng, asked.breaks), from_songs(kits, rng, asked.songs)):
        for sound, rate, events, _ in source:
            mono = np.ascontiguousarray(sound.mean(axis=1))
            peak = float(np.abs(mono).max())
            if peak < 1e-4:
                continue
            bands = analyse(mono, rate, peak)
            found = detect_in(bands, mono, again=False)
            if not len(found.at):
                continue
            found = found.only(found.likely > second.WORTH_IT)
            x = second.features(bands, found.at, found.likely, found.roles)
            y = np.zeros((len(x), len(second.DRUMS)), np.int8)
            for at, role in events:
                gap = np.abs(found.seconds - at)
                if 1 <= role <= len(second.DRUMS):
                    y[gap < NEAR_S, role - 1] = 1
                    y[(gap >= NEAR_S) & (gap < DOUBT_S) & (y[:, role - 1] == 0), role - 1] = -1
                elif role < 0:
                    # Too quiet to ask for: nothing is to be learnt of it.
                    y[(gap < NEAR_S)[:, None] & (y == 0)] = -1
            tables.append(x)
            truths.append(y)
            if len(tables) % 100 == 0:
                print(len(tables), sum(len(t) for t in tables), flush=True)
                np.savez(asked.out, x=np.vstack(tables).astype(np.float16), y=np.vstack(truths))
    np.savez(asked.out, x=np.vstack(tables).astype(np.float16), y=np.vstack(truths))


if __name__ == "__main__":
    main()
