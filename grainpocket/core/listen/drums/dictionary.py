"""A recording as a few sounds of its own, each laid down many times.

A loop from a sampler, a drum machine or a steady hand is the same few sounds over and over, every time at another strength.
They are learnt from the recording itself (convolutional dictionary learning: Garcia-Cardona & Wohlberg, "Convolutional
dictionary learning: a comparative review and new algorithms", IEEE Trans. Computational Imaging 4, 2018). Two steps take
turns: each onset is taken apart into the sounds, each at its best place within some milliseconds (orthogonal matching
pursuit: Pati, Rezaiifar & Krishnaprasad, Asilomar 1993), then the sounds are set so that all onsets together leave the least
(conjugate gradients: Hestenes & Stiefel, 1952). Tails of earlier hits are accounted for, so that what is left under a hit is
what truly lies under it: a ghost note 25 dB below a kick shows. `pursuit`, which cuts its atoms out of the recording with
all that sounds there, is blind to that.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.drums.pursuit import RATE
from grainpocket.core.listen.onsets.classifier import alone
from grainpocket.core.listen.spectra.bands import Progress, no_progress
from grainpocket.core.sound.audio import Samples

DRUMS = 3
# Of a sound, of the part of it by which it is told, and how far from the onset it may begin.
LENGTH, WINDOW, LAG = int(0.3 * RATE), int(0.06 * RATE), int(0.012 * RATE)
SPAN, PLACES = WINDOW + 2 * LAG, 2 * LAG + 1
ROUNDS, STEPS, PICKS = 3, 12, DRUMS
# How many hits of a drum are compared, how sure they must be, how little must be left of one less another, and how many sounds
# a drum may have (a drum hit softly is another sound than one hit hard).
COMPARED, PURE, ALIKE, LAYERS = 32, 0.3, 0.3, 3
# A sound is laid down when it takes so much of what is left, and of what was there.
LEAST_OF_LEFT, LEAST_OF_ALL = 0.02, 0.002
# Holds back what few hits speak for; shares of the hits that a sound is laid down in.
HELD = 0.02
# A sound bears another drum's name when its hits are so rarely said to be its own.
MISNAMED, OWN = 0.5, 0.6
# What two others add up to, but for so much of it, is no sound of its own.
SUM = 0.25
_TINY = np.float32(1e-9)
Table = NDArray[np.float32]
Places = NDArray[np.int64]
# Of the sounds' beginnings: spectra, to match with; likeness of each to every other; energy.
_Tables = tuple[NDArray[np.complex64], Table, Table]

TAPER = np.ones(WINDOW, np.float32)
TAPER[-WINDOW // 3 :] = np.linspace(1, 0, WINDOW // 3 + (WINDOW % 3 > 0))


@dataclass(frozen=True)
class Apart:
    """A recording taken apart; u is how often a sound is laid down in it.

    left: (n,) the recording less all of it. waves: (c, LENGTH) the sounds; drum: (c,) of which drum each is; size: (c,) energy
    of its beginning. onset, sound, place: (u,) where what lies; gain: (u,). clear: (k, DRUMS) how much more would be left
    without this drum, in multiples of what is left; taken: (k, DRUMS) energy that this drum takes.
    """

    left: Samples
    waves: Table
    drum: Places
    size: Table
    onset: Places
    sound: Places
    place: Places
    gain: Table
    clear: Table
    taken: Table


class _Laid:
    """What is laid down in each onset: sound, place and gain (k, PICKS), sound -1 where there is nothing."""

    def __init__(self, count: int) -> None:
        self.sound = np.full((count, PICKS), -1)
        self.place = np.zeros((count, PICKS), np.int64)
        self.gain = np.zeros((count, PICKS), np.float32)

    def all(self) -> tuple[Places, Places, Places, Table]:
        onset, pick = np.nonzero(self.sound >= 0)
        return onset, self.sound[onset, pick], self.place[onset, pick], self.gain[onset, pick]


def take_apart(white: Samples, onset: Places, likely: Table, roles: Table, progress: Progress = no_progress) -> Apart | None:
    """white: (n,) whitened, at RATE, with LAG samples before the first onset and LENGTH + 3 LAG after the last; onset: (k,)
    rising samples in it; the probabilities of being real (k,) and of kick, snare and hat (k, DRUMS).

    None where no onset is surely any of the three. progress(share 0..1) is called as it goes; what it raises ends it.
    """
    waves, drum = _sounds(white, onset, _surest(likely, roles))
    if not len(waves):
        return None
    laid = _Laid(len(onset))
    left = white.copy()
    for turn in range(ROUNDS):
        if turn:
            waves = _fitted(white, waves, laid)
            drum = _named(waves, drum, laid, likely, roles)
            if turn == 1:
                waves, drum = _without_sums(waves, drum, laid)
            left = white - _sum(len(white), waves, laid)
        tables = _tables(waves)
        # Neighbours overlap: every second onset is looked at with the others taken away.
        for rows in (np.arange(0, len(onset), 2), np.arange(1, len(onset), 2)):
            _look(rows, left, onset, waves, drum, laid, tables)
        progress((turn + 1) / ROUNDS)
    clear, taken = _told(left, onset, drum, laid, tables)
    return Apart(left, waves, drum, tables[2], *laid.all(), clear, taken)


def cut(samples: Samples, first: Places, length: int) -> Table:
    """(k, length) from each of `first` on."""
    return np.asarray(samples[np.clip(first, 0, len(samples) - length)[:, None] + np.arange(length)])


def _energy(heads: Table) -> Table:
    return np.asarray((heads**2).sum(axis=-1) + _TINY)


def _surest(likely: Table, roles: Table) -> list[Places]:
    """Of each drum, the hits that are surely it and nothing else; where there is hardly one, all that are likely it."""
    out = []
    for d in range(DRUMS):
        alone_ = alone(likely, roles, d, COMPARED, PURE)
        out.append(alone_ if len(alone_) > 1 else np.flatnonzero((likely > 0.5) & (roles[:, d] > 0.5))[:COMPARED])
    return out


def _sounds(samples: Samples, onset: Places, hits: list[Places]) -> tuple[Table, Places]:
    """(sounds, of which drum each is): of each drum, what its hits have in common, in groups of hits that are alike. A
    group after the first has two hits or more."""
    waves: list[Table] = []
    drum: list[int] = []
    for d, some in enumerate(hits):
        if not len(some):
            continue
        shift, gain, alike = _compared(samples, onset[some])
        free = np.ones(len(some), bool)
        for layer in range(LAYERS):
            near = alike & free[:, None] & free[None]
            centre = int(near.sum(axis=1).argmax())
            group = np.flatnonzero(near[centre])
            if len(group) < (2 if layer else 1):
                break
            free[group] = False
            weight = gain[group, centre]
            cuts = cut(samples, onset[some[group]] - LAG + shift[group, centre], LENGTH)
            wave = (weight[:, None] * cuts).sum(axis=0) / max(float((weight**2).sum()), 1e-9)
            wave[2 * WINDOW :] = 0
            waves.append(np.asarray(wave, np.float32))
            drum.append(d)
    return np.array(waves, np.float32).reshape(-1, LENGTH), np.array(drum, np.int64)


def _compared(white: Samples, onset: Places) -> tuple[Places, Table, NDArray[np.bool_]]:
    """((k, k) place within LAG at which hit i is most like hit j, (k, k) its gain beside j, (k, k) whether they are alike)."""
    heads = cut(white, onset, WINDOW) * TAPER
    around = cut(white, onset - LAG, SPAN)
    size = (heads * cut(white, onset, WINDOW)).sum(axis=1) + _TINY
    match = np.maximum(_matches(around, _spectra(heads)), 0)
    there = _matches(around**2, _spectra(TAPER[None]))[:, 0] + _TINY
    shift = match.argmax(axis=2)
    best = np.take_along_axis(match, shift[..., None], axis=2)[..., 0]
    over = np.take_along_axis(there, shift, axis=1)
    alike = 1 - best**2 / (size[None] * over) < ALIKE
    np.fill_diagonal(alike, True)
    return shift, np.asarray(best / size[None], np.float32), alike & alike.T


def _tables(waves: Table) -> _Tables:
    heads = waves[:, :WINDOW] * TAPER
    return _spectra(heads), _likeness(heads), _energy(heads)


def _spectra(heads: Table) -> NDArray[np.complex64]:
    from scipy import fft

    return np.asarray(fft.rfft(heads, fft.next_fast_len(SPAN), axis=1).conj())


def _matches(around: Table, spectra: NDArray[np.complex64]) -> Table:
    """(k, c, PLACES): how well each sound matches at each place within LAG of each onset."""
    from scipy import fft

    n = fft.next_fast_len(SPAN)
    return np.asarray(fft.irfft(fft.rfft(around, n, axis=1)[:, None] * spectra[None], n, axis=2)[:, :, :PLACES], np.float32)


def _likeness(heads: Table) -> Table:
    """(c, c, 4 LAG + 1): the first of two sounds, -2 LAG..2 LAG later, times the second."""
    from scipy import fft

    n = fft.next_fast_len(WINDOW + 2 * LAG)
    double = fft.rfft(heads, n, axis=1)
    like = fft.irfft(double[None].conj() * double[:, None], n, axis=2)
    return np.asarray(np.concatenate((like[:, :, -2 * LAG :], like[:, :, : 2 * LAG + 1]), axis=2), np.float32)


def _look(rows: Places, left: Samples, onset: Places, waves: Table, drum: Places, laid: _Laid, tables: _Tables) -> None:
    """Take the onsets of these rows apart anew: `laid` and `left` are changed."""
    spectra, like, size = tables
    around = cut(left, onset[rows] - LAG, SPAN)
    for r, row in enumerate(rows.tolist()):
        for sound, at, gain in _of(laid, row):
            first = at - onset[row] + LAG
            around[r, first:] += gain * waves[sound, : SPAN - first]
            left[at : at + LENGTH] += gain * waves[sound]
    energy = (around[:, LAG : LAG + WINDOW] ** 2 * TAPER).sum(axis=1) + _TINY
    laid.sound[rows], place, laid.gain[rows] = _picked(_matches(around, spectra), energy, size, like, drum)
    laid.place[rows] = place + onset[rows, None] - LAG
    for row in rows.tolist():
        for sound, at, gain in _of(laid, row):
            left[at : at + LENGTH] -= gain * waves[sound]


def _of(laid: _Laid, row: int) -> list[tuple[int, int, np.float32]]:
    some = laid.sound[row] >= 0
    return list(zip(laid.sound[row, some].tolist(), laid.place[row, some].tolist(), laid.gain[row, some], strict=True))


def _picked(match: Table, energy: Table, size: Table, like: Table, drum: Places) -> tuple[Places, Places, Table]:
    """(sounds, places within LAG, gains), each (k, PICKS); one sound of each drum, none with a gain below nought."""
    count = len(match)
    sound, place = np.full((count, PICKS), -1), np.zeros((count, PICKS), np.int64)
    gains = np.zeros((count, PICKS), np.float32)
    now, left, rows = match.copy(), energy.copy(), np.arange(count)
    for pick in range(min(PICKS, len(np.unique(drum)))):
        score = np.maximum(now[rows], 0) ** 2 / size[None, :, None]
        taken = [(drum[None] == drum[sound[rows, p]][:, None]) for p in range(pick)]
        score[np.any(taken, axis=0) if taken else np.zeros(score.shape[:2], bool)] = 0
        flat = score.reshape(len(rows), score.shape[1] * PLACES)
        best = flat.argmax(axis=1)
        much = flat[np.arange(len(rows)), best]
        enough = (much > LEAST_OF_LEFT * left[rows]) & (much > LEAST_OF_ALL * energy[rows])
        rows, best = rows[enough], best[enough]
        sound[rows, pick], place[rows, pick] = np.divmod(best, PLACES)
        some, at = sound[rows, : pick + 1], place[rows, : pick + 1]
        first = match[rows[:, None], some, at]
        gain = np.linalg.solve(gram(like, some, at), first[..., None])[..., 0]
        good = (gain > 0).all(axis=1)
        sound[rows[~good], pick] = -1
        rows, some, at, gain, first = rows[good], some[good], at[good], gain[good], first[good]
        if not len(rows):
            break
        gains[rows, : pick + 1] = gain
        left[rows] = np.maximum(energy[rows] - (gain * first).sum(axis=1), _TINY)
        now[rows] = match[rows] - shadow(like, some, at, gain)
    return sound, place, gains


def gram(like: Table, sound: Places, place: Places) -> NDArray[np.float64]:
    """(k, p, p) products of the sounds (k, p) at places (k, p) with each other."""
    apart = place[:, :, None] - place[:, None, :] + 2 * LAG
    out = like[sound[:, None, :], sound[:, :, None], apart].astype(np.float64)
    # Two sounds may be one, and one may be silence.
    much = 1e-6 * np.trace(out, axis1=1, axis2=2)[:, None, None] + _TINY
    return np.asarray(out + much * np.eye(sound.shape[1]))


def shadow(like: Table, sound: Places, place: Places, gain: Table) -> Table:
    """(k, c, PLACES): what the sounds (k, p) laid down at places (k, p) add to every sound's match at every place."""
    views = np.lib.stride_tricks.sliding_window_view(like, PLACES, axis=2)
    return np.asarray(sum(gain[:, p, None, None] * views[sound[:, p], :, 2 * LAG - place[:, p]] for p in range(sound.shape[1])))


def _sum(length: int, waves: Table, laid: _Laid) -> Samples:
    out = np.zeros(length, np.float32)
    for _, sound, place, gain in zip(*laid.all(), strict=True):
        out[place : place + LENGTH] += gain * waves[sound]
    return out


def _gathered(samples: Samples, count: int, laid: _Laid) -> Table:
    """(c, LENGTH) of what stands in samples where each sound lies: what `_sum` is, the other way round."""
    out = np.zeros((count, LENGTH), np.float32)
    for _, sound, place, gain in zip(*laid.all(), strict=True):
        out[sound] += gain * samples[place : place + LENGTH]
    return out


def _fitted(white: Samples, waves: Table, laid: _Laid) -> Table:
    """The sounds for which the least is left of the whole."""
    _, sound, _, gain = laid.all()
    weight = np.bincount(sound, gain.astype(np.float64) ** 2, len(waves)).astype(np.float32)
    held = np.float32(HELD) * (weight.mean() + weight[:, None])

    def applied(table: Table) -> Table:
        return np.asarray(_gathered(_sum(len(white), table, laid), len(waves), laid) + held * table)

    rest = _gathered(white, len(waves), laid) - applied(waves)
    way, size = rest.copy(), float((rest**2).sum())
    for _ in range(STEPS):
        ahead = applied(way)
        step = np.float32(size / (float((way * ahead).sum()) + 1e-12))
        waves, rest = waves + step * way, rest - step * ahead
        now = float((rest**2).sum())
        if now <= 1e-6 * size:
            break
        way, size = rest + np.float32(now / size) * way, now
    return waves


def _named(waves: Table, drum: Places, laid: _Laid, likely: Table, roles: Table) -> Places:
    """Of which drum each sound is: as before, unless the hits that are mostly this sound are said to be another."""
    out = drum.copy()
    power = np.where(laid.sound >= 0, laid.gain**2 * _energy(waves[:, :WINDOW])[laid.sound], 0)
    mostly = power > OWN * power.sum(axis=1, keepdims=True)
    for c in range(len(waves)):
        hits = np.flatnonzero((mostly & (laid.sound == c)).any(axis=1))
        weight = likely[hits]
        if weight.sum() > 0:
            said = (roles[hits, :DRUMS] * weight[:, None]).sum(axis=0) / weight.sum()
            if said[drum[c]] < MISNAMED:
                out[c] = int(said.argmax())
    return out


def _without_sums(waves: Table, drum: Places, laid: _Laid) -> tuple[Table, Places]:
    """Less those that are another sound of their drum and one of another drum: a ghost note that always lies under a hat makes
    no other hat of it."""
    kept = np.ones(len(waves), bool)
    spectra, like, size = _tables(waves)
    for c in np.argsort(np.bincount(laid.all()[1], minlength=len(waves)), kind="stable").tolist():
        others = np.flatnonzero(kept & (np.arange(len(waves)) != c))
        if not (drum[others] == drum[c]).any():
            continue
        match = _matches(np.pad(waves[c, :WINDOW], LAG)[None], spectra[others])
        energy = (waves[c, :WINDOW] ** 2 * TAPER).sum()[None] + _TINY
        sound, place, gain = _picked(match, energy, size[others], like[np.ix_(others, others)], drum[others])
        some = sound[0] >= 0
        first = match[0, sound[0, some], place[0, some]]
        both = some.sum() > 1 and (drum[others[sound[0, some]]] == drum[c]).any()
        kept[c] = not both or energy[0] - gain[0, some] @ first > SUM * energy[0]
    new = np.cumsum(kept) - 1
    laid.sound = np.where((laid.sound >= 0) & kept[laid.sound], new[laid.sound], -1)
    return waves[kept], drum[kept]


def _told(left: Samples, onset: Places, drum: Places, laid: _Laid, tables: _Tables) -> tuple[Table, Table]:
    """(clear, taken) of Apart. For a drum that is not laid down, of its best match with what is left."""
    spectra, like, size = tables
    rest = (cut(left, onset, WINDOW) ** 2 * TAPER).sum(axis=1) + _TINY
    score = np.maximum(_matches(cut(left, onset - LAG, SPAN), spectra), 0).max(axis=2) ** 2 / size
    taken = np.zeros((len(onset), DRUMS), np.float32)
    for d in range(DRUMS):
        if (drum == d).any():
            taken[:, d] = score[:, drum == d].max(axis=1)
    clear = taken / rest[:, None]
    count = (laid.sound >= 0).sum(axis=1)
    for many in range(1, PICKS + 1):
        rows = np.flatnonzero(count == many)
        if not len(rows):
            continue
        some, gain = laid.sound[rows, :many], laid.gain[rows, :many]
        place = laid.place[rows, :many] - onset[rows, None] + LAG
        spread = np.diagonal(np.linalg.inv(gram(like, some, place)), axis1=1, axis2=2)
        for p in range(many):
            clear[rows, drum[some[:, p]]] = gain[:, p] ** 2 / spread[:, p] / rest[rows]
            taken[rows, drum[some[:, p]]] = gain[:, p] ** 2 * size[some[:, p]]
    return np.asarray(clear, np.float32), taken
