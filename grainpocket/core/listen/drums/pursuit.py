"""Each onset as a sum of the recording's own hits, sample by sample.

Where a drum comes back as the same sound (a sampler, a drum machine, a loop, a drummer with a steady hand), one hit less its
like leaves nothing, and what lies under it shows, far below what a spectrum can tell. A few hits that are surely a kick, a
snare or a hat alone are the atoms; every onset is taken apart by matching pursuit (Mallat & Zhang, "Matching pursuits with
time-frequency dictionaries", IEEE Trans. Signal Processing 41, 1993), each atom at its best place within a few milliseconds.
What counts is how much more is left when one drum's atoms are withheld. The spectrum is made white first (linear prediction),
so that the quiet middle counts as much as the low end.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.onsets.classifier import alone
from grainpocket.core.sound.audio import Samples

DRUMS = 3
# Low enough to be quick, high enough for the wires of a snare.
RATE = 11025
LENGTH_S, LAG_S, FADE = 0.05, 0.006, 0.2
ATOMS, ROUNDS, ORDER, PURE = 8, 5, 12, 0.3
# A loop or a break, not a whole record: there it would take longer than all else.
MOST = 600
# What is left; how much more without each drum; each drum's share; its gain beside its atoms; how many atoms it has.
FEATURES = 1 + 4 * DRUMS
_BLOCK, _NEVER, _LEAST = 512, np.float32(-1e6), 1e-4
Table = NDArray[np.float32]


def pursue(samples: Samples, rate: int, at: NDArray[np.int64], likely: Table, roles: Table) -> Table:
    """(k, FEATURES) of onsets looked at from samples `at` on, with the probabilities of being real (k,) and of each role (k, 6).

    All zero where there are more than MOST onsets, or none that stand alone.
    """
    out = np.zeros((len(at), FEATURES), np.float32)
    chosen, drum = _chosen(likely, roles)
    if not len(chosen) or len(at) > MOST:
        return out
    length, lag = int(LENGTH_S * RATE), int(LAG_S * RATE)
    white = np.pad(whitened(samples, rate), (lag, length + 2 * lag))
    # Where each stretch begins, which is `lag` ahead of the onset.
    place = np.round(at * (RATE / rate)).astype(np.int64)
    window = np.ones(length, np.float32)
    window[-int(FADE * length) :] = np.linspace(1, 0, int(FADE * length))
    whole = np.concatenate((np.ones(2 * lag, np.float32), window))
    atoms = _cut(white, place[chosen] + lag, length) * window
    size = np.sqrt((atoms**2).sum(axis=1)) + np.float32(1e-9)
    atoms /= size[:, None]
    spectra, shifted = _correlations(atoms, lag)
    usual = np.array([np.median(size[drum == d]) if (drum == d).any() else 1.0 for d in range(DRUMS)])
    for first in range(0, len(at), _BLOCK):
        rows = slice(first, min(first + _BLOCK, len(at)))
        around = _cut(white, place[rows], length + 2 * lag) * whole
        matches = _matches(around, spectra, lag)
        # No onset is explained by itself.
        matches[np.arange(rows.start, rows.stop)[:, None] == chosen[None]] = _NEVER
        out[rows] = _taken_apart(matches, (around**2).sum(axis=1) + np.float32(1e-9), shifted, drum, usual)
    return out


def whitened(samples: Samples, rate: int, order: int = ORDER) -> Samples:
    """(m,) of (n,): at RATE, less what linear prediction of that order foretells, of the whole recording (Makhoul, Proc. IEEE
    63, 1975)."""
    import soxr
    from scipy import linalg, signal

    low = np.asarray(soxr.resample(samples, rate, RATE), np.float32)
    like = np.array([float(np.dot(low[: len(low) - k], low[k:])) for k in range(order + 1)])
    like[0] = like[0] * 1.001 + 1e-9
    foretold = linalg.solve_toeplitz(like[:-1], like[1:])
    taps = np.concatenate(([1.0], -foretold)).astype(np.float32)
    return np.asarray(signal.lfilter(taps, np.ones(1, np.float32), low), np.float32)


def _chosen(likely: Table, roles: Table) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """(indices of the onsets that are atoms, which drum each is)."""
    index: list[int] = []
    drum: list[int] = []
    for d in range(DRUMS):
        best = alone(likely, roles[:, :DRUMS], d, ATOMS, PURE)
        index += best.tolist()
        drum += [d] * len(best)
    return np.array(index, np.int64), np.array(drum, np.int64)


def _cut(white: Samples, place: NDArray[np.int64], length: int) -> Table:
    return np.asarray(white[np.clip(place, 0, len(white) - length)[:, None] + np.arange(length)])


def _correlations(atoms: Table, lag: int) -> tuple[NDArray[np.complex64], Table]:
    """(spectra of the atoms, to match with; (a, a, 4 lag + 1): each atom's likeness to every other, shifted by -2 lag..2 lag)."""
    from scipy import fft

    size = atoms.shape[1] + 2 * lag
    n = fft.next_fast_len(size + 2 * lag)
    double = fft.rfft(atoms, n, axis=1)
    like = fft.irfft(double[None].conj() * double[:, None], n, axis=2)
    shifted = np.concatenate((like[:, :, -2 * lag :], like[:, :, : 2 * lag + 1]), axis=2)
    return fft.rfft(atoms, fft.next_fast_len(size), axis=1).conj(), np.asarray(shifted, np.float32)


def _matches(around: Table, spectra: NDArray[np.complex64], lag: int) -> Table:
    """(k, a, 2 lag + 1): how well each atom matches at each place."""
    from scipy import fft

    n = fft.next_fast_len(around.shape[1])
    return np.asarray(fft.irfft(fft.rfft(around, n, axis=1)[:, None] * spectra[None], n, axis=2)[:, :, : 2 * lag + 1], np.float32)


def _taken_apart(matches: Table, energy: Table, shifted: Table, drum: NDArray[np.int64], usual: NDArray[np.float64]) -> Table:
    left, amount, gain = _pursuit(matches, energy, shifted, drum)
    left_db = _db(left / energy)
    out = np.empty((len(matches), FEATURES), np.float32)
    out[:, 0] = left_db / 20
    for d in range(DRUMS):
        others = np.flatnonzero(drum != d)
        if len(others) == len(drum):
            more = np.zeros(len(matches))
        else:
            without = _pursuit(matches[:, others], energy, shifted[np.ix_(others, others)], drum[others])[0]
            more = _db(without / energy) - left_db
        out[:, 1 + d] = np.clip(more / 10, -0.5, 3)
        out[:, 1 + DRUMS + d] = _db(amount[:, d] / energy) / 40
        out[:, 1 + 2 * DRUMS + d] = np.clip(20 * np.log10(gain[:, d] / usual[d] + 1e-3) / 40, -1.5, 1)
        out[:, 1 + 3 * DRUMS + d] = (drum == d).sum() / ATOMS
    return out


def _pursuit(matches: Table, energy: Table, shifted: Table, drum: NDArray[np.int64]) -> tuple[Table, Table, Table]:
    """((k,) energy left, (k, 3) taken by each drum, (k, 3) largest gain of each)."""
    count, left = len(matches), energy.copy()
    amount, gain = np.zeros((count, DRUMS), np.float32), np.zeros((count, DRUMS), np.float32)
    rows = np.arange(count)
    for atom, _, much in _picks(matches, shifted):
        left -= much**2
        amount[rows, drum[atom]] += much**2
        gain[rows, drum[atom]] = np.maximum(gain[rows, drum[atom]], much)
    return left, amount, gain


def _picks(matches: Table, shifted: Table) -> Iterator[tuple[NDArray[np.int64], NDArray[np.int64], Table]]:
    """Round by round (atoms (k,), places (k,), gains (k,)), each the best match of what the rounds before it left."""
    count, atoms, places = matches.shape
    if not atoms:
        return
    now, rows = matches.copy(), np.arange(count)
    views = np.lib.stride_tricks.sliding_window_view(shifted, places, axis=2)
    for _ in range(ROUNDS):
        flat = now.reshape(count, -1)
        best = flat.argmax(axis=1)
        much = np.maximum(flat[rows, best], 0)
        atom, place = np.divmod(best, places)
        yield atom, place, much
        now -= much[:, None, None] * views[atom, :, places - 1 - place]


def _db(share: Table) -> NDArray[np.float64]:
    return np.asarray(10 * np.log10(np.maximum(share, _LEAST)))
