"""What can be said of a slice by looking at it alone: level, pitch, brightness, and a print to compare it with others by."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.harmony.pitch import Pitch, pitch
from grainpocket.core.listen.hearing import Hearing
from grainpocket.core.listen.spectra.bands import COARSE, analyse, coarse_centres
from grainpocket.core.sound.audio import Samples, db_of, mono, peak_of

# So much of a slice is looked at: the rest is its tail.
LOOKED_AT_S, PITCHED_S = 0.35, 1.2
# Frames of 5 ms after its start, each group one look of the print.
_LOOKS = ((0, 1), (1, 2), (2, 4), (4, 8), (8, 16), (16, 32), (32, 64))
PRINT = len(_LOOKS) * COARSE
_FLOOR_DB, _CLEAR_PITCH, _NEAR_S = -48.0, 0.6, 0.012
Print = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class Tone:
    """level_db: dBFS of the largest sample, None for silence; bright_hz: centroid of the spectrum; print: (PRINT,) in 0..1."""

    level_db: float | None
    bright_hz: float
    print: Print


def tone(samples: Samples, rate: int) -> Tone:
    """Of (n, channels) float32, a slice from its start on."""
    one = mono(samples)
    peak = peak_of(one)
    if peak < 1e-5 or len(one) < 64:
        return Tone(None, 0.0, np.zeros(PRINT, np.float32))
    some = one[: int(LOOKED_AT_S * rate)]
    levels = analyse(some, rate, peak).coarse.astype(np.float64) ** 2
    looks = np.zeros((len(_LOOKS), COARSE))
    for i, (first, last) in enumerate(_LOOKS):
        if first < len(levels):
            looks[i] = levels[first:last].sum(axis=0) / (last - first)
    db = 10 * np.log10(looks / max(float(looks.max()), 1e-12) + 1e-12)
    # Of amplitudes, not of energies: the ear hears a snare's rattle over its body.
    spectrum = np.sqrt(levels).sum(axis=0)
    bright = float((spectrum * coarse_centres()).sum() / max(float(spectrum.sum()), 1e-12))
    printed = np.asarray(np.clip(1 - db / _FLOOR_DB, 0, 1).ravel(), np.float32)
    return Tone(round(db_of(peak_of(samples)), 1), round(bright, 1), printed)


def clear_pitch(samples: Samples, rate: int) -> Pitch | None:
    """The pitch of a slice (n, channels), when it has one that everyone would hear."""
    found = pitch(mono(samples)[: int(PITCHED_S * rate)], rate)
    return found if found is not None and found.voiced >= _CLEAR_PITCH else None


def cleanness(hearing: Hearing, at: int) -> float | None:
    """How much of what sounds at a place is the drum that is struck there, 0..1; None where no drum was heard."""
    near = [hit for hit in hearing.worth.hits if abs(hit.at - at) <= _NEAR_S * hearing.rate]
    if not near:
        return None
    return round(1 / (1 + 10 ** (min(hit.cover_db for hit in near) / 10)), 3)


def likeness(one: Print, others: NDArray[np.float32]) -> NDArray[np.float32]:
    """(k,) 0..1: how alike prints (k, PRINT) are to one; 1 is the same."""
    if not len(others):
        return np.zeros(0, np.float32)
    # A band that neither has tells nothing; one that only one of them has tells most.
    weight = np.maximum(one[None], others)
    gap = (weight * (others - one[None]) ** 2).sum(axis=1) / np.maximum(weight.sum(axis=1), 1e-6)
    return np.asarray(1 - np.sqrt(gap), np.float32)


def completion(one: Print, others: NDArray[np.float32]) -> NDArray[np.float32]:
    """(k,) 0..1: how much of each of the others lies where the one has little: lows under a thin kick, air over a dull snare."""
    if not len(others):
        return np.zeros(0, np.float32)
    has = one.reshape(len(_LOOKS), COARSE).max(axis=0)
    theirs = others.reshape(len(others), len(_LOOKS), COARSE)
    # Amounts, not decibels: what is 20 dB down fills no gap.
    amount = 10 ** ((theirs.max(axis=1) - 1) * -_FLOOR_DB / 20)
    lacks = 1 - 10 ** ((has - 1) * -_FLOOR_DB / 20)
    share = (amount * lacks).sum(axis=1) / np.maximum(amount.sum(axis=1), 1e-6)
    # What begins later than the one does not complete its attack.
    attack = theirs[:, :2].max(axis=(1, 2))
    return np.asarray(share * (0.5 + 0.5 * attack), np.float32)
