"""Where sounds begin: found in the spectrum, judged by a model, placed in the waveform.

A spectral-flux detector with a maximum filter over frequency (Boeck & Widmer, "Maximum filter vibrato suppression for
onset detection", DAFx 2013) finds that something may have begun; a small model says how likely it is that something did,
and what (see `classifier`). Frames are too coarse to cut by: the place itself comes from the waveform (see `attack`). Times are
sample positions; strengths run from 0 to 1.
"""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.drums.refinement import by_dictionary
from grainpocket.core.listen.drums.templates import by_templates
from grainpocket.core.listen.onsets.attack import attack_starts, rough_starts
from grainpocket.core.listen.onsets.candidates import LEAST_GAP_S, candidates
from grainpocket.core.listen.onsets.classifier import classify
from grainpocket.core.listen.onsets.onset import Onsets, nothing
from grainpocket.core.listen.spectra.bands import Bands, Progress, analyse, no_progress
from grainpocket.core.sound.audio import Samples, peak_of

# Less likely than this, and nobody will ever ask for it.
LEAST = 0.02
# From here on, a place is worth finding to the sample.
PLACED = 0.12
# Of all the work, by when the attacks are found; the rest is telling which drums they are.
FOUND_SHARE = 0.7
HARD_S, HARD_RANGE_DB = 0.03, 36.0


def detect(samples: Samples, rate: int, progress: Progress = no_progress) -> Onsets:
    """Every onset worth a look, each with its strength; choose among them by threshold.

    samples: (n,) float32 mono. Silence and empty input give no onsets.
    """
    peak = peak_of(samples)
    if peak < 1e-5 or len(samples) < int(rate * 0.01):
        return nothing(rate)
    bands = analyse(samples, rate, peak, lambda share: progress(share * 0.4))
    return detect_in(bands, samples, lambda share: progress(0.4 + share * 0.6))


def detect_in(bands: Bands, samples: Samples, progress: Progress = no_progress, looks: int = 3) -> Onsets:
    """The same of (n,), when the bands of the samples are known already. looks: how many times to look at which drums they are,
    1..3."""
    rate = bands.rate
    frames, heights = candidates(bands, len(samples))
    likely = classify(bands, frames, heights)
    keep = likely[:, 0] >= LEAST
    frames, likely = frames[keep], likely[keep]
    near, sure = frames * bands.hop, likely[:, 0] >= PLACED
    at, attack = np.empty(len(near), np.int64), np.empty(len(near), np.int64)
    at[sure], attack[sure] = attack_starts(samples, rate, near[sure], lambda share: progress(share * FOUND_SHARE))
    at[~sure], attack[~sure] = rough_starts(samples, rate, near[~sure])
    found = _one_each(at, attack, likely, samples, rate)
    likely, roles = found.likely, found.roles
    if looks > 1:
        likely, roles = by_templates(bands, samples, found.looks, likely, roles)
    if looks > 2:
        rest = 1 - FOUND_SHARE
        likely, roles = by_dictionary(samples, rate, found.at, likely, roles, lambda share: progress(FOUND_SHARE + share * rest))
    return replace(found, likely=likely, roles=roles)


def _one_each(at: NDArray[np.int64], attack: NDArray[np.int64], likely: NDArray[np.float32], samples: Samples, rate: int) -> Onsets:
    """One onset for each attack: of two findings closer than the least gap the likelier stays, with the roles of both."""
    order = np.argsort(at, kind="stable")
    gap = int(rate * LEAST_GAP_S)
    places: list[int] = []
    seen: list[int] = []
    rows: list[NDArray[np.float32]] = []
    for i in order.tolist():
        if places and at[i] - places[-1] < gap:
            if likely[i, 0] > rows[-1][0]:
                places[-1], seen[-1] = int(at[i]), int(attack[i])
                rows[-1] = np.maximum(likely[i], rows[-1] * 0.9)
            continue
        places.append(int(at[i]))
        seen.append(int(attack[i]))
        rows.append(likely[i])
    if not places:
        return nothing(rate)
    table = np.array(rows)
    where = np.array(places, np.int64)
    hard = _hardness(where, samples, rate)
    return Onsets(where, table[:, 0].copy(), rate, table[:, 1:].copy(), hard, np.array(seen, np.int64))


def _hardness(at: NDArray[np.int64], samples: Samples, rate: int) -> NDArray[np.float32]:
    size = int(rate * HARD_S)
    peaks = np.array([peak_of(samples[place : place + size]) for place in at.tolist()])
    db = 20 * np.log10(np.maximum(peaks, 1e-9) / max(float(peaks.max()), 1e-9))
    return np.asarray(np.clip(1 + db / HARD_RANGE_DB, 0, 1), np.float32)
