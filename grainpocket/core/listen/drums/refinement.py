"""A third look at the onsets of a loop or a break, now that it is taken apart into its own sounds (see `dictionary`).

What each drum takes of an onset, how much more would be left without it, and what no sound explains: a small network, fitted
on breaks that we rendered (see training/listen), reads these beside what was said before. Songs have too many onsets, and
seldom two alike: there it stays with the second look.
"""

from __future__ import annotations

import functools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.drums import dictionary
from grainpocket.core.listen.drums.dictionary import DRUMS, LAG, LENGTH, WINDOW, Apart, cut, take_apart
from grainpocket.core.listen.drums.pursuit import RATE, whitened
from grainpocket.core.listen.networks.attention import Attention, inter_onset_intervals, load
from grainpocket.core.listen.networks.dense import logits
from grainpocket.core.listen.onsets.classifier import ROLES
from grainpocket.core.listen.spectra.bands import Progress, no_progress
from grainpocket.core.sound.audio import Samples

# More would take longer than all else.
MOST, LONGEST_S = 300, 90.0
ORDER = 24
# Onsets less likely than this are left as they are; how far this look counts beside the one before.
WORTH_IT, TRUST = 0.06, 0.8
# A drum is "not there" by the look before; so few hits say nothing of the usual; so many are as good as more.
NOT_THERE, FEWEST, MANY = 0.3, 3, 8.0
BANDS_HZ = (0.0, 300.0, 700.0, 1500.0, 3000.0, RATE / 2)
BANDS = len(BANDS_HZ) - 1
SNARE = ROLES.index("snare")
# What is left: beside what was there, what is left before the onset, the loudest snare; the onset beside that snare (4). Of
# each drum: how clear, its share, beside its usual and its loudest, how many hits it has (5), how clear beside where it is
# not, the median and the highest tenth (2). What is left band by band: beside what was there, what was left before, the whole
# (3). The same beside the hits of the same sound, in all and band by band.
FEATURES = 4 + 7 * DRUMS + 3 * BANDS + 1 + BANDS
# Logits of the look before, those, and how long it is to the onsets before and after.
_BEFORE = 1 + len(ROLES)
INPUTS = _BEFORE + FEATURES + 2
OUTPUTS = ("onset", *ROLES[:DRUMS])
_TINY = np.float32(1e-9)
Table = NDArray[np.float32]


def prepared(samples: Samples, rate: int, at: NDArray[np.int64]) -> tuple[Samples, NDArray[np.int64]] | None:
    """(the recording whitened, where in it the onsets at rising samples lie), or None for one that is not taken apart: no
    onset, too many, or too long."""
    if not 0 < len(at) <= MOST or len(samples) > LONGEST_S * rate:
        return None
    white = np.pad(whitened(samples, rate, ORDER), (LAG, LENGTH + 4 * LAG))
    return white, np.round(at * (RATE / rate)).astype(np.int64) + LAG


def inputs(white: Samples, place: NDArray[np.int64], likely: Table, roles: Table, progress: Progress = no_progress) -> Table | None:
    """(k, INPUTS) of onsets at rising places in the whitened recording, with their probabilities of being real (k,) and of each
    of ROLES (k, 6). None where no onset is surely a kick, snare or hat."""
    apart = take_apart(white, place, likely, roles[:, :DRUMS], progress)
    if apart is None:
        return None
    seen = features(white, place, apart, roles[:, :DRUMS])
    return np.asarray(np.hstack((logits(likely)[:, None], logits(roles), seen, inter_onset_intervals(place / RATE))), np.float32)


def features(white: Samples, place: NDArray[np.int64], apart: Apart, roles: Table) -> Table:
    """(k, FEATURES) of onsets at samples of the whitened recording that is taken apart."""
    heads, rests = cut(white, place, WINDOW) * dictionary.TAPER, cut(apart.left, place, WINDOW) * dictionary.TAPER
    before = cut(apart.left, np.maximum(place - WINDOW, 0), WINDOW)
    whole, rest = _power(cut(white, place, WINDOW)), _power(cut(apart.left, place, WINDOW))
    ahead = (before[:, -WINDOW // 2 :] ** 2).mean(axis=1) * WINDOW + _TINY
    there, left, was = _bands(heads), _bands(rests), _bands(before)
    hits = _Hits.of(apart, len(place))
    clear = _db(apart.clear)
    own = _db(np.column_stack((rest, left)) / hits.most[:, None])
    parts = (
        _db(rest / whole)[:, None] / 20,
        np.clip(_db(rest / ahead)[:, None] / 20, -1, 2),
        np.clip(_db(rest / hits.loudest[SNARE])[:, None] / 40, -1.5, 1),
        _db(whole / hits.loudest[SNARE])[:, None] / 40,
        np.clip(clear / 20, -1.5, 2),
        np.clip(_db(apart.taken / whole[:, None]) / 40, -1, 0.5),
        np.clip(_db(apart.taken / hits.usual) / 40, -1.5, 1),
        np.clip(_db(apart.taken / hits.loudest) / 40, -1.5, 1),
        np.broadcast_to(np.minimum(hits.number, MANY) / MANY, clear.shape),
        np.clip(_over_absent(clear, roles) / 20, -1.5, 2),
        _db(left / there) / 20,
        np.clip(_db(left / was) / 20, -1, 2),
        np.clip(_db(left / there.sum(axis=1, keepdims=True)) / 40, -1.5, 0.5),
        np.clip(_over_usual(own, hits.sound) / 20, -1, 2),
    )
    return np.asarray(np.hstack(parts), np.float32)


@dataclass(frozen=True)
class _Hits:
    """Energies: usual, loudest (DRUMS,) of each drum's hits, number (DRUMS,) of them; sound (k,) that takes most of each
    onset, -1 where none does, and most (k,) that it takes."""

    usual: NDArray[np.float64]
    loudest: NDArray[np.float64]
    number: NDArray[np.int64]
    sound: NDArray[np.int64]
    most: NDArray[np.float64]

    @classmethod
    def of(cls, apart: Apart, count: int) -> _Hits:
        power = apart.gain**2 * apart.size[apart.sound]
        drum = apart.drum[apart.sound]
        number = np.bincount(drum, minlength=DRUMS)
        each = [power[drum == d] if number[d] else np.full(1, _TINY) for d in range(DRUMS)]
        sound, most = np.full(count, -1), np.full(count, float(_TINY))
        order = np.argsort(power, kind="stable")
        sound[apart.onset[order]], most[apart.onset[order]] = apart.sound[order], power[order]
        return cls(np.array([np.median(p) for p in each]), np.array([p.max() for p in each]), number, sound, most)


def _over_absent(clear: Table, roles: Table) -> Table:
    """(k, 2 DRUMS): over the median and over the highest tenth of the onsets at which a drum is hardly likely."""
    out = np.zeros((len(clear), 2 * DRUMS), np.float32)
    for d in range(DRUMS):
        absent = clear[roles[:, d] < NOT_THERE, d]
        if len(absent) >= FEWEST:
            out[:, d], out[:, DRUMS + d] = clear[:, d] - np.median(absent), clear[:, d] - np.quantile(absent, 0.9)
    return out


def _over_usual(own: Table, sound: NDArray[np.int64]) -> Table:
    """What is left of an onset beside the median of those of the same sound."""
    out = np.zeros_like(own)
    for one in np.unique(sound[sound >= 0]):
        same = sound == one
        if same.sum() >= FEWEST:
            out[same] = own[same] - np.median(own[same], axis=0)
    return out


def _power(heads: Table) -> Table:
    return np.asarray((heads**2 * dictionary.TAPER).sum(axis=1) + _TINY)


def _bands(heads: Table) -> Table:
    """(k, BANDS) power."""
    from scipy import fft

    size = 2 * WINDOW
    which = np.digitize(fft.rfftfreq(size, 1 / RATE), BANDS_HZ) - 1
    inside = (which[:, None] == np.arange(BANDS)).astype(np.float32)
    return np.asarray(np.abs(fft.rfft(heads, size, axis=1)) ** 2 @ inside + _TINY)


def _db(ratio: Table | NDArray[np.float64]) -> Table:
    return np.asarray(10 * np.log10(np.maximum(ratio, 1e-6)), np.float32)


@functools.cache
def network() -> Attention:
    """The network of the third look."""
    return load("refinement.npz")


def by_dictionary(
    samples: Samples, rate: int, at: NDArray[np.int64], likely: Table, roles: Table, progress: Progress = no_progress
) -> tuple[Table, Table]:
    """(how likely each onset is real (k,), the roles (k, 6)) again. progress(share 0..1): what it raises ends the look."""
    some = likely > WORTH_IT
    ready = prepared(samples, rate, at[some])
    table = inputs(*ready, likely[some], roles[some], lambda share: progress(share / 2)) if ready else None
    if ready is None or table is None:
        return likely, roles
    said = _said(table, at[some] / rate)
    # Hits that were called by a wrong name showed wrong sounds: once more, by their new names.
    renamed = np.hstack((said[:, 1:], roles[some, DRUMS:]))
    again = inputs(*ready, said[:, 0], renamed, lambda share: progress((1 + share) / 2))
    if again is not None:
        again[:, :_BEFORE] = table[:, :_BEFORE]
        said = _said(again, at[some] / rate)
    real, out = likely.copy(), roles.copy()
    real[some], out[some, :DRUMS] = said[:, 0], said[:, 1:]
    return real, out


def _said(table: Table, seconds: NDArray[np.float64]) -> Table:
    """(k, OUTPUTS) probabilities."""
    both = TRUST * network()(table, seconds) + (1 - TRUST) * table[:, : len(OUTPUTS)]
    return np.asarray(1 / (1 + np.exp(-np.clip(both, -30, 30))), np.float32)


assert ROLES[:DRUMS] == OUTPUTS[1:]
