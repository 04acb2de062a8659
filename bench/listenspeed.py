"""How fast it listens, beside a general library's beat tracker on the same file: `python -m bench.listenspeed`.

Four minutes of stereo, one core; the median of a few runs after a first one that is not counted.
"""

from __future__ import annotations

import os
import statistics
import sys
import time
import warnings
from collections.abc import Callable

import numpy as np
import soundfile as sf

from grainpocket.core.listen.detection import detect_in
from grainpocket.core.listen.harmony.chroma import chroma, lowered
from grainpocket.core.listen.hearing import hear
from grainpocket.core.listen.measures.loudness import loudness
from grainpocket.core.listen.passages.activity import moments
from grainpocket.core.listen.spectra.bands import analyse
from grainpocket.core.listen.suggestions import found_lines, worth_taking
from grainpocket.core.listen.tempo.bar_profile import evidence
from grainpocket.core.listen.tempo.candidates import candidates
from grainpocket.core.sound.audio import mono
from grainpocket.core.sound.peaks import PeakBuilder
from grainpocket.demo.pocket import AUDIO

RATE, SECONDS, RUNS = 44100, 240, 5
THREADS = ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS", "NUMBA_NUM_THREADS")


def four_minutes() -> np.ndarray:
    """(n, 2) float32: the demo song over and over, never quite as loud as before."""
    song, _ = sf.read(AUDIO / "Lantern street.flac", dtype="float32", always_2d=True)
    times = SECONDS * RATE // len(song) + 1
    whole = np.concatenate([song * np.float32(0.97**k) for k in range(times)])[: SECONDS * RATE]
    return np.ascontiguousarray(whole)


def seconds(works: dict[str, Callable[[], object]]) -> dict[str, float]:
    """The median of each, run in turns, so that a slow moment of the machine slows all of them."""
    spent: dict[str, list[float]] = {name: [] for name in works}
    for turn in range(RUNS + 1):
        for name, work in works.items():
            start = time.perf_counter()
            work()
            if turn:
                spent[name].append(time.perf_counter() - start)
    return {name: statistics.median(times) for name, times in spent.items()}


def main() -> None:
    if any(os.environ.get(name) != "1" for name in THREADS):
        # One core is what is measured, and numpy reads this only when it is loaded.
        os.execve(sys.executable, [sys.executable, "-m", "bench.listenspeed"], {**os.environ, **dict.fromkeys(THREADS, "1")})
    warnings.filterwarnings("ignore")
    sound = four_minutes()
    one = mono(sound)

    def ours() -> None:
        loud = loudness(sound, RATE)
        peaks = PeakBuilder(RATE)
        for first in range(0, len(sound), 1 << 18):
            peaks.feed(sound[first : first + (1 << 18)])
        peaks.finish()
        hear(one, RATE, loudness=loud)

    # What is told apart here is made on the way of `hear`, from what it holds.
    bands = analyse(one, RATE, float(np.abs(one).max()))
    onsets, notes = detect_in(bands, one), chroma(one, RATE)
    lines, trimmed = found_lines(candidates(evidence(onsets, notes, len(one) / RATE), RATE), len(one), RATE)
    low = lowered(one, RATE)

    def worth() -> None:
        worth_taking(bands, notes, onsets, moments(bands, low), lines, trimmed, one)

    works: dict[str, Callable[[], object]] = {"all": ours, "worth": worth}
    try:
        import librosa

        works["theirs"] = lambda: librosa.beat.beat_track(y=one, sr=RATE)
    except ImportError:
        print("librosa is not here to compare with: pip install -r bench/requirements.txt")
    spent = seconds(works)
    mine = spent["all"] - spent["worth"]
    print(f"tempo, beats, transients, roles, key, chords, loudness and bands of {SECONDS} s: {mine:.2f} s,", end=" ")
    print(f"{SECONDS / mine:.0f} times real time")
    print(f"passages, clean hits and loops beside them: {spent['worth']:.2f} s")
    if "theirs" in spent:
        theirs = spent["theirs"]
        print(f"a general library's beat tracker alone: {theirs:.2f} s, {SECONDS / theirs:.0f} times", end=" ")
        print(f"real time; ratio {theirs / mine:.2f}")


if __name__ == "__main__":
    main()
