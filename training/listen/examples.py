"""Candidate onsets with what is true of each, from rendered breaks and songs.

    python -m training.listen.examples OUT.npz --seed 1 --breaks 600 --songs 80
    python -m training.listen.examples OUT.npz --recordings FOLDER/201-*.pickle

Kits and seeds of the bench's own truth set are left out (see bench.truth.build).
"""

from __future__ import annotations

import argparse
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from bench.truth.synth import Wave
from grainpocket.core.listen.onsets.candidates import candidates
from grainpocket.core.listen.onsets.classifier import OUTPUTS, features
from grainpocket.core.listen.spectra.bands import analyse
from training.listen import recordings
from training.listen.sources import Event, Span, rendered

NEAR_S, DOUBT_S = 0.020, 0.035


def label(sound: Wave, rate: int, events: list[Event], doubtful: list[Span]) -> tuple[NDArray[np.float16], NDArray[np.int8]] | None:
    """(features, labels): 1 true, 0 false, -1 not to be learnt from. doubtful: spans in which "nothing begins" is unknown."""
    mono = sound.mean(axis=1)
    peak = float(np.abs(mono).max())
    if peak < 1e-4:
        return None
    bands = analyse(mono, rate, peak)
    frames, heights = candidates(bands, len(mono))
    x = features(bands, frames, heights).astype(np.float16)
    y = np.zeros((len(frames), len(OUTPUTS)), np.int8)
    at = frames * bands.hop / rate
    sure = [e for e in events if e[1] >= 0]
    for span in doubtful:
        y[(at > span[0]) & (at < span[1]), 0] = -1
        y[(at > span[0]) & (at < span[1]), OUTPUTS.index("tonal") :] = -1
    times = np.array([t for t, _ in sure])
    for t, role in sure:
        if not len(at):
            break
        gap = np.abs(at - t)
        best = int(np.argmin(gap))
        inside = gap < NEAR_S
        y[inside & (y[:, 0] == 0), 0] = -1
        if inside[best]:
            y[best, 0] = 1
        y[inside, role] = 1
        # Just outside, who can say: neither a lesson that it is there nor that it is not.
        edge = (gap >= NEAR_S) & (gap < DOUBT_S) & (y[:, role] == 0)
        y[edge, role] = -1
    for t, role in events:
        if role < 0:
            y[(np.abs(at - t) < NEAR_S) & (y[:, 0] == 0), 0] = -1
    if len(times):
        y[(y[:, 0] != 1) & (np.abs(at[:, None] - times[None]).min(axis=1) < NEAR_S), 0] = -1
    return x, y


def main() -> None:
    ask = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    ask.add_argument("out", type=Path)
    ask.add_argument("--seed", type=int, default=1)
    ask.add_argument("--breaks", type=int, default=600)
    ask.add_argument("--songs", type=int, default=80)
    ask.add_argument("--recordings", type=Path, nargs="*", help="kept ones, instead of rendering any")
    asked = ask.parse_args()
    rng = np.random.default_rng(asked.seed)
    source = recordings.read(asked.recordings) if asked.recordings else rendered(rng, asked.breaks, asked.songs)
    parts = [one for heard in source if (one := label(*heard)) is not None]
    np.savez(asked.out, x=np.concatenate([x for x, _ in parts]), y=np.concatenate([y for _, y in parts]))


if __name__ == "__main__":
    main()
