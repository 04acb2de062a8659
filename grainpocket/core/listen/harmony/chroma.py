"""Which notes sound when, and how the recording is tuned.

After Mauch & Dixon, Proc. ISMIR 2010, pp. 135-140 (chords from a non-negative sum of notes): a spectrum in thirds of a
semitone, whitened, is explained as a sum of notes with decaying overtones, none negative. The sum is found by
multiplicative updates (Lee & Seung, "Algorithms for non-negative matrix factorization", NIPS 2001).
"""

from __future__ import annotations

import functools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.sound.audio import Samples
from grainpocket.core.sound.frames import framed, spectra_of

RATE, WINDOW, HOP = 11025, 4096, 1024
LOWEST, NOTES, PER_NOTE = 28, 68, 3
TREBLE_FROM, BASS_TO = 50, 55
ROUNDS, OVERTONES, DECAY = 12, 8, 0.7
REFERENCE_HZ, TUNED_BY = 440.0, 600
# Few enough for a processor's own memory.
_BLOCK, _ROWS = 64, 512
Table = NDArray[np.float32]


@dataclass(frozen=True)
class Chroma:
    """seconds: (k,) middles of the frames; treble, bass: (k, 12) from C, not scaled; cents: how far the recording's
    tuning lies over A = 440 Hz, -50..50; focus: (k,) share of the five strongest notes in all, and held: (k,) how alike the
    notes are two frames on (cosine): both are low for drums."""

    seconds: NDArray[np.float64]
    treble: Table
    bass: Table
    cents: float
    focus: NDArray[np.float32]
    held: NDArray[np.float32]


def lowered(samples: Samples, rate: int) -> Samples:
    """(n,) float32 mono at RATE, where notes are."""
    import soxr

    return np.asarray(soxr.resample(samples, rate, RATE, "MQ"), np.float32) if rate != RATE else samples


def chroma(samples: Samples, rate: int) -> Chroma:
    """samples: (n,) float32 mono."""
    low = lowered(samples, rate)
    frames = max(1, len(low) // HOP)
    padded = np.pad(low, (WINDOW // 2, WINDOW))
    view = framed(padded, WINDOW, HOP)[:frames]
    # A few hundred frames tell the tuning; then every frame is read at it.
    cents = _tuning(_spectra(view[:: max(1, frames // TUNED_BY)]))
    reading = _log_frequency(round(cents / 5) * 5)
    # What lies above the highest note is not read.
    used = int(np.flatnonzero(reading.any(axis=1))[-1]) + 1
    reading = np.ascontiguousarray(reading[:used])
    lines = np.concatenate([_spectra(view[i : i + _BLOCK], used) @ reading for i in range(0, frames, _BLOCK)])
    # A copy of a long record, which is no longer needed.
    del padded, view
    notes = _explain(_whiten(lines))
    key = np.arange(LOWEST, LOWEST + NOTES)
    rise = np.clip((key - TREBLE_FROM) / 8 + 0.5, 0, 1) * np.clip((96 - key) / 16, 0, 1)
    fall = np.clip((BASS_TO - key) / 8 + 0.5, 0, 1)
    fold = np.zeros((NOTES, 12), np.float32)
    fold[np.arange(NOTES), key % 12] = 1
    return Chroma(
        np.arange(frames) * HOP / RATE,
        np.asarray(notes @ (fold * rise[:, None]), np.float32),
        np.asarray(notes @ (fold * fall[:, None]), np.float32),
        cents,
        _focus(notes),
        _held(notes),
    )


def _focus(notes: Table) -> NDArray[np.float32]:
    top = np.partition(notes, -5, axis=1)[:, -5:].sum(axis=1)
    return np.asarray(top / np.maximum(notes.sum(axis=1), 1e-6), np.float32)


def _held(notes: Table) -> NDArray[np.float32]:
    size = np.linalg.norm(notes, axis=1)
    out = np.zeros(len(notes), np.float32)
    both = (notes[:-2] * notes[2:]).sum(axis=1) / np.maximum(size[:-2] * size[2:], 1e-6)
    out[1:-1] = both
    return out


def _spectra(view: Table, bins: int = WINDOW // 2 + 1) -> Table:
    return np.asarray(np.abs(spectra_of(view, _window())[:, :bins]))


@functools.cache
def _window() -> Table:
    return np.hanning(WINDOW).astype(np.float32)


def _tuning(spectrum: Table) -> float:
    """Cents over 440 Hz: the circular mean of how far the spectral peaks of 100 to 2000 Hz lie from the nearest note."""
    first, last = int(100 * WINDOW / RATE), int(2000 * WINDOW / RATE)
    at = spectrum[:, first:last]
    before, after = spectrum[:, first - 1 : last - 1], spectrum[:, first + 1 : last + 1]
    floor = 0.02 * at.max(axis=1, keepdims=True) + 1e-9
    rows, columns = np.nonzero((at > before) & (at >= after) & (at > floor))
    if not len(rows):
        return 0.0
    a, b, c = (np.log(x[rows, columns] + 1e-12) for x in (before, at, after))
    bins = first + columns + 0.5 * (a - c) / np.minimum(a - 2 * b + c, -1e-9)
    note = 12 * np.log2(bins * RATE / WINDOW / REFERENCE_HZ)
    weight = np.sqrt(at[rows, columns])
    turn = np.angle(np.sum(weight * np.exp(2j * np.pi * note)))
    return float(np.round(turn / (2 * np.pi) * 100, 1))


@functools.lru_cache(maxsize=24)
def _log_frequency(cents: int) -> Table:
    """(bins, NOTES * PER_NOTE) from the spectrum to thirds of a semitone, at a tuning."""
    bins = np.arange(WINDOW // 2 + 1) * RATE / WINDOW
    note = 12 * np.log2(np.maximum(bins, 1.0) / (REFERENCE_HZ * 2 ** (cents / 1200))) + 69
    centres = LOWEST + (np.arange(NOTES * PER_NOTE) - 1) / PER_NOTE
    # At least as wide as a bin, so that low notes are not missed between two.
    width = np.maximum(1 / PER_NOTE, 12 * np.log2(1 + RATE / WINDOW / (440 * 2 ** ((centres - 69) / 12))))
    out = np.maximum(0, 1 - np.abs(note[:, None] - centres) / width)
    return np.asarray(out / np.maximum(out.sum(axis=0), 1e-9), np.float32)


def _whiten(lines: Table) -> Table:
    """Each line less its surroundings of an octave and a half, over their spread: colour goes, notes stay."""
    from scipy.ndimage import uniform_filter1d

    wide = 18 * PER_NOTE + 1
    mean = uniform_filter1d(lines, wide, axis=1, mode="nearest")
    spread = np.sqrt(np.maximum(uniform_filter1d((lines - mean) ** 2, wide, axis=1, mode="nearest"), 1e-12))
    quiet = 0.01 * np.quantile(spread.max(axis=1), 0.95) + 1e-9
    return np.asarray(np.maximum(lines - mean, 0) / np.maximum(spread, quiet), np.float32)


@functools.cache
def _dictionary() -> Table:
    """(NOTES, NOTES * PER_NOTE): what each note looks like, overtones falling by DECAY."""
    at = np.arange(NOTES * PER_NOTE)
    out = np.zeros((NOTES, NOTES * PER_NOTE))
    for note in range(NOTES):
        for k in range(1, OVERTONES + 1):
            place = 1 + PER_NOTE * (note + 12 * np.log2(k))
            out[note] += DECAY ** (k - 1) * np.exp(-0.5 * ((at - place) / 0.6) ** 2)
    return np.asarray(out / np.linalg.norm(out, axis=1, keepdims=True), np.float32)


def _explain(lines: Table) -> Table:
    """(k, NOTES) amounts of notes, none negative, whose sum is nearest to the lines (k, NOTES * PER_NOTE)."""
    words = _dictionary()
    gram = words @ words.T
    out = np.empty((len(lines), NOTES), np.float32)
    for first in range(0, len(lines), _ROWS):
        target = lines[first : first + _ROWS] @ words.T
        some = np.maximum(target, 1e-6, out=out[first : first + _ROWS])
        for _ in range(ROUNDS):
            sum_of_all = some @ gram
            some *= target
            some /= np.maximum(sum_of_all, 1e-9, out=sum_of_all)
    return out
