"""What the second look sees of rendered breaks and songs, with which drums truly sound.

    python -m training.listen.templates OUT.npz --seed 1 --breaks 1000 --songs 30
    python -m training.listen.templates OUT.npz --recordings FOLDER/202-*.pickle --judges classifier1.npz classifier2.npz

What the classifier says is told by the networks that ship, unless others are named: none should have been fitted on what it is to
hear.
"""

from __future__ import annotations

import argparse
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.detection import detect_in
from grainpocket.core.listen.drums import templates
from grainpocket.core.listen.networks import dense
from grainpocket.core.listen.onsets import classifier
from grainpocket.core.listen.spectra.bands import analyse
from grainpocket.core.sound.audio import Samples
from training.listen import recordings
from training.listen.sources import Event, Example, Span, rendered

NEAR_S, DOUBT_S = 0.020, 0.030
# What a look sees of each onset, and when that is.
Seen = tuple[NDArray[np.float32], NDArray[np.float64]]


def main() -> None:
    asked = asking(__doc__).parse_args()
    collect(asked.out, heard(asked), seen)


def asking(about: str | None) -> argparse.ArgumentParser:
    ask = argparse.ArgumentParser(description=about, formatter_class=argparse.RawDescriptionHelpFormatter)
    ask.add_argument("out", type=Path)
    ask.add_argument("--seed", type=int, default=1)
    ask.add_argument("--breaks", type=int, default=1000)
    ask.add_argument("--songs", type=int, default=30)
    ask.add_argument("--sampled", type=float, default=0.0, help="share of breaks in which a drum is the same take each time")
    ask.add_argument("--recordings", type=Path, nargs="*", help="kept ones, instead of rendering any")
    ask.add_argument("--judges", type=Path, nargs="*", help="weights of the classifier, instead of those that ship")
    return ask


def heard(asked: argparse.Namespace) -> Iterator[Example]:
    """The recordings that were asked for. From here on the classifier is the one that was asked for, too."""
    if asked.judges:
        judges = tuple(dense.load(str(file.resolve())) for file in asked.judges)
        classifier.networks = lambda: judges
    if asked.recordings:
        return recordings.read(asked.recordings)
    rng = np.random.default_rng(asked.seed + 9000)
    return rendered(rng, asked.breaks, asked.songs, asked.sampled)


def seen(mono: Samples, rate: int, peak: float) -> Seen | None:
    bands = analyse(mono, rate, peak)
    found = detect_in(bands, mono, looks=1)
    found = found.only(found.likely > templates.WORTH_IT)
    if not len(found.at):
        return None
    return templates.inputs(bands, mono, found.looks, found.likely, found.roles), found.seconds


def collect(out: Path, source: Iterable[Example], look: Callable[[Samples, int, float], Seen | None]) -> None:
    """Write what a look sees of each recording, and what is true of it. look: of mono samples, their rate and their peak."""
    tables: list[NDArray[np.float16]] = []
    truths: list[NDArray[np.int8]] = []
    when: list[NDArray[np.float64]] = []
    for sound, rate, events, doubtful in source:
        mono = np.ascontiguousarray(sound.mean(axis=1))
        peak = float(np.abs(mono).max())
        one = look(mono, rate, peak) if peak >= 1e-4 else None
        if one is None:
            continue
        x, seconds = one
        tables.append(x.astype(np.float16))
        truths.append(truth(seconds, events, doubtful))
        when.append(seconds)
        if len(tables) % 100 == 0:
            print(len(tables), sum(len(t) for t in tables), flush=True)
    save(out, tables, truths, when)


def truth(at: NDArray[np.float64], events: list[Event], doubtful: list[Span]) -> NDArray[np.int8]:
    """(k, OUTPUTS) of candidates at seconds: 1 true, 0 false, -1 not to be learnt from."""
    y = np.zeros((len(at), len(templates.OUTPUTS)), np.int8)
    for first, last in doubtful:
        y[(at > first) & (at < last), 0] = -1
    for time, role in events:
        gap = np.abs(at - time)
        near = gap < NEAR_S
        if role < 0:
            # Too quiet to ask for: nothing is to be learnt of it.
            y[near[:, None] & (y == 0)] = -1
            continue
        y[near & (y[:, 0] == 0), 0] = -1
        if near.any():
            y[int(gap.argmin()), 0] = 1
        if 1 <= role <= len(templates.DRUMS):
            y[near, role] = 1
            y[(gap >= NEAR_S) & (gap < DOUBT_S) & (y[:, role] == 0), role] = -1
    return y


def save(file: Path, tables: list[NDArray[np.float16]], truths: list[NDArray[np.int8]], when: list[NDArray[np.float64]]) -> None:
    number = np.repeat(np.arange(len(tables)), [len(t) for t in tables])
    np.savez(file, x=np.vstack(tables), y=np.vstack(truths), seconds=np.concatenate(when), record=number)


if __name__ == "__main__":
    main()
