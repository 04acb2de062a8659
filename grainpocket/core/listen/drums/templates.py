"""A second look at each onset, now that the recording's own drums are known.

The classifier knows drums in general. Once it has said which onsets are purely a kick, a snare or a hat, these show how this
record's drums sound; every onset is then explained as a sum of them (non-negative, by the Itakura-Saito divergence, in which
a quiet part counts as much as a loud one: Fevotte, Bertin & Durrieu, "Nonnegative matrix factorization with the
Itakura-Saito divergence", Neural Computation 21, 2009). What a ghost note adds to a hat shows there and nowhere else. Small
networks, fitted on breaks and songs that we rendered (see training/listen), read how much of each drum it takes.
"""

from __future__ import annotations

import functools

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.drums import pursuit
from grainpocket.core.listen.networks.attention import Attention, inter_onset_intervals, load
from grainpocket.core.listen.networks.dense import logits, mean_of
from grainpocket.core.listen.onsets.classifier import FEATURES as LOOK
from grainpocket.core.listen.onsets.classifier import ROLES, alone, looks
from grainpocket.core.listen.spectra.bands import COARSE, Bands
from grainpocket.core.sound.audio import Samples

DRUMS = ("kick", "snare", "hat")
# Frames of 5 ms after the onset, and before it.
CELLS, BEFORE = ((0, 1), (1, 2), (2, 4), (4, 7), (7, 12), (12, 18)), (-6, -1)
# Onsets less likely than this are looked at, but do not show how a drum sounds.
PURE, FEWEST, MOST_SHOWN, ROUNDS, FEW_ROUNDS, FLOOR = 0.35, 2, 24, 20, 8, np.float32(1e-9)
# How far the second look counts, beside the first.
RANGE_DB, WORTH_IT, TRUST, SHOW_MOST = 50.0, 0.06, 0.8, 8.0
_PARTS = len(CELLS) * COARSE
# The classifier's logits (7); share of each drum and of what rang before (4), beside its usual and its loudest amount (6); what
# leaving a drum out costs (3); how many show each drum (3); level (1); band by band: over the model, over the hat alone.
FEATURES = 7 + 4 + 6 + 3 + 3 + 1 + 2 * COARSE
OUTPUTS = ("onset", *DRUMS)
NETWORKS = ("templates1.npz", "templates2.npz", "templates3.npz")
# Those, what is left when it is taken apart, the classifier's view of it, and how long it is to the onsets before and after.
INPUTS = FEATURES + pursuit.FEATURES + LOOK + 2
Table = NDArray[np.float32]


def features(bands: Bands, at: NDArray[np.int64], likely: NDArray[np.float32], roles: NDArray[np.float32]) -> NDArray[np.float32]:
    """(k, FEATURES) of onsets at samples, with the classifier's probabilities: likely (k,), roles (k, 6)."""
    count = len(at)
    if not count:
        return np.zeros((0, FEATURES), np.float32)
    frame = np.round(at / bands.hop).astype(np.int64)
    power = np.stack([_mean(bands, frame, a, b) for a, b in CELLS], axis=1).reshape(count, _PARTS) + FLOOR
    rang = np.tile(_mean(bands, frame, *BEFORE), (1, len(CELLS))) + FLOOR
    shown, number = _templates(power, rang, likely, roles)
    level = power.mean(axis=1)
    whole, cost = _explain(power, shown, rang)
    amounts = whole[:, :3] * shown.mean(axis=1)
    model = whole[:, :3] @ shown + whole[:, 3:] * rang + FLOOR
    without = np.stack([_left_out(r, power, shown, rang, whole) - cost for r in range(len(DRUMS))], axis=1)
    usual = np.stack([_usual(amounts[:, r], roles[:, r]) for r in range(3)])
    loudest = np.maximum(amounts.max(axis=0), FLOOR)
    over = (power / model).reshape(count, len(CELLS), COARSE).mean(axis=1)
    hat = whole[:, 2:3] * shown[2] + whole[:, 3:] * rang + FLOOR
    over_hat = (power / hat).reshape(count, len(CELLS), COARSE).mean(axis=1)
    before = logits(np.column_stack((likely, roles)))
    parts = (
        before,
        _db(amounts / level[:, None]),
        _db(whole[:, 3:] * rang.mean(axis=1, keepdims=True) / level[:, None]),
        _db(amounts / usual),
        _db(amounts / loudest),
        np.minimum(without, 4.0),
        np.broadcast_to(np.minimum(number, SHOW_MOST) / SHOW_MOST, (count, 3)),
        _db(level / level.max())[:, None],
        np.clip(np.log(over), -3, 3),
        np.clip(np.log(over_hat), -3, 6) / 2,
    )
    return np.asarray(np.hstack(parts), np.float32)


def inputs(bands: Bands, samples: Samples, at: NDArray[np.int64], likely: NDArray[np.float32], roles: NDArray[np.float32]) -> Table:
    """(k, INPUTS) of onsets at rising samples."""
    frame = np.round(at / bands.hop).astype(np.int64)
    apart = pursuit.pursue(samples, bands.rate, at, likely, roles)
    return np.hstack((features(bands, at, likely, roles), apart, looks(bands, frame), inter_onset_intervals(at / bands.rate)))


def _mean(bands: Bands, frame: NDArray[np.int64], first: int, last: int) -> Table:
    """(k, COARSE) mean power of frames first..last from each frame."""
    index = np.clip(frame[:, None] + np.arange(first, last), 0, len(bands.coarse) - 1)
    return np.asarray((bands.coarse[index] ** 2).mean(axis=1))


def _templates(
    power: Table, rang: Table, likely: NDArray[np.float32], roles: NDArray[np.float32]
) -> tuple[Table, NDArray[np.int64]]:
    """((3, parts) how kick, snare and hat sound here, (3,) how many onsets show it); nothing where too few do."""
    shown, number = np.zeros((3, _PARTS), np.float32), np.zeros(3, np.int64)
    new = np.maximum(power - rang, 0) + FLOOR
    for r in range(len(DRUMS)):
        best = alone(likely, roles, r, MOST_SHOWN, PURE)
        number[r] = len(best)
        if len(best) >= FEWEST:
            level = np.log(new[best])
            # Alike in shape, whatever their loudness; the median of each part.
            shape = level - level.mean(axis=1, keepdims=True)
            shown[r] = np.exp(np.median(shape, axis=0))
            shown[r] /= shown[r].mean()
    return shown, number


def _explain(power: Table, shown: Table, rang: Table, start: Table | None = None, rounds: int = ROUNDS) -> tuple[Table, Table]:
    """((k, 4) amounts of the three drums and of what rang before, (k,) mean divergence of the sum from what is there)."""
    if start is None:
        start = np.empty((len(power), 4), np.float32)
        start[:, :3] = power.mean(axis=1, keepdims=True) / 3
        start[:, 3] = 0.5
    amounts = start.copy()
    for _ in range(rounds):
        inverse = 1 / (amounts[:, :3] @ shown + amounts[:, 3:] * rang + FLOOR)
        there = power * inverse
        there *= inverse
        amounts[:, :3] *= np.sqrt((there @ shown.T) / (inverse @ shown.T + FLOOR))
        amounts[:, 3] *= np.sqrt(np.einsum("kp,kp->k", there, rang) / (np.einsum("kp,kp->k", inverse, rang) + FLOOR))
        # What rang before only dies away.
        np.minimum(amounts[:, 3], 1.2, out=amounts[:, 3])
    ratio = power / (amounts[:, :3] @ shown + amounts[:, 3:] * rang + FLOOR)
    return amounts, np.asarray((ratio - np.log(ratio) - 1).mean(axis=1))


def _left_out(drum: int, power: Table, shown: Table, rang: Table, whole: Table) -> Table:
    """(k,) divergence of the best sum without one drum."""
    others = np.where(np.arange(len(DRUMS))[:, None] == drum, np.float32(0), shown)
    return _explain(power, others, rang, whole, FEW_ROUNDS)[1]


def _usual(amounts: Table, likely: NDArray[np.float32]) -> float:
    clear = amounts[likely > 0.5]
    return max(float(np.median(clear if len(clear) else amounts)), float(FLOOR))


def _db(ratio: Table) -> Table:
    return np.asarray(np.clip(10 * np.log10(ratio + 1e-9) / RANGE_DB, -1, 1))


@functools.cache
def networks() -> tuple[Attention, ...]:
    """The networks of the second look, which are averaged."""
    return tuple(load(name) for name in NETWORKS)


def by_templates(
    bands: Bands, samples: Samples, at: NDArray[np.int64], likely: NDArray[np.float32], roles: NDArray[np.float32]
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """(how likely each onset is real (k,), the roles (k, 6)) again, kick, snare and hat as they are in the light of the whole
    recording."""
    # What is hardly likely to be anything stays as it was.
    some = likely > WORTH_IT
    if not some.any():
        return likely, roles
    real, out = likely.copy(), roles.copy()
    said = mean_of(networks(), inputs(bands, samples, at[some], likely[some], roles[some]), at[some] / bands.rate)
    first = logits(np.column_stack((likely[some], roles[some, : len(DRUMS)])))
    both = TRUST * said + (1 - TRUST) * first
    both = 1 / (1 + np.exp(-np.clip(both, -30, 30)))
    real[some], out[some, : len(DRUMS)] = both[:, 0], both[:, 1:]
    return real, out


assert ROLES[: len(DRUMS)] == DRUMS
