"""Clicks: found as bursts that nothing before or after them explains, and filled from both sides.

Detection by the prediction error of an autoregressive model, and least-squares interpolation of what was lost: Godsill &
Rayner, "Digital Audio Restoration" (1998), chapters 4 and 5; interpolation after Janssen, Veldhuis & Vries, "Adaptive
interpolation of discrete-time signals that can be modeled as autoregressive processes", IEEE ASSP 34 (1986).
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.sound.audio import Samples
from grainpocket.core.sound.frames import framed

ORDER, BLOCK, HOP = 24, 1024, 512
# A click is over in a millisecond; what lasts longer is sound.
LONGEST, WIDER, CONTEXT = 44, 3, 96
# Times the usual prediction error, at a sensitivity of 0 and of 100 per cent.
THRESHOLDS = (30.0, 3.5)
# A click stands alone: an attack errs on after it began, a voice errs before and after each pulse. Samples looked at on either
# side, and the share of the click's own error that any of them may have.
BESIDE, MOST_BESIDE = 200, 0.3
# What comes back like this within so many samples, this large beside it, is the pulse of a tone and no click.
PULSES, AROUND, ALIKE = 3, 4410, 0.5
Errors = NDArray[np.float64]


def declick(samples: Samples, sensitivity: float) -> tuple[Samples, int]:
    """((n,) float32 with its clicks filled, how many there were) of one channel. sensitivity: 0..100."""
    spans = find_clicks(samples, sensitivity)
    out = samples.astype(np.float64)
    for first, last in spans:
        _fill(out, first, last)
    return out.astype(np.float32), len(spans)


def find_clicks(samples: Samples, sensitivity: float) -> list[tuple[int, int]]:
    """(first, last) samples of each click, last left out."""
    if len(samples) < 2 * BLOCK:
        return []
    error, usual = _prediction_error(np.asarray(samples, np.float64))
    low, high = np.log(THRESHOLDS)
    height = float(np.exp(low + (high - low) * sensitivity / 100))
    over = np.abs(error) > height * usual
    places = np.flatnonzero(over)
    if not len(places):
        return []
    groups = np.split(places, np.flatnonzero(np.diff(places) > LONGEST // 2) + 1)
    size = np.abs(error)
    out: list[tuple[int, int]] = []
    heights: list[float] = []
    for group in groups:
        first, last = int(group[0]) - WIDER, int(group[-1]) + 1 + WIDER
        if last - first > LONGEST or first < CONTEXT or last > len(samples) - CONTEXT:
            continue
        # The model still errs for ORDER samples behind a click that it was fed with.
        beside = max(size[max(0, first - BESIDE) : first].max(), size[last + ORDER : last + ORDER + BESIDE].max(initial=0.0))
        peak = float(size[first:last].max())
        if beside <= MOST_BESIDE * peak:
            out.append((first, last))
            heights.append(peak)
    return _alone(out, np.array(heights))


def _alone(spans: list[tuple[int, int]], heights: Errors) -> list[tuple[int, int]]:
    """Without those that come back again and again, as the pulses of a low tone do."""
    starts = np.array([first for first, _ in spans])
    kept = []
    for i, span in enumerate(spans):
        near = (np.abs(starts - starts[i]) < AROUND) & (heights > ALIKE * heights[i])
        if near.sum() - 1 < PULSES:
            kept.append(span)
    return kept


def _prediction_error(x: Errors) -> tuple[Errors, Errors]:
    """(n,) what each sample is beside what the ones before it predict, and its usual size there."""
    count = len(x)
    starts = np.arange(0, count - BLOCK + 1, HOP)
    models = _models(framed(x, BLOCK)[starts] * np.hanning(BLOCK))
    # Each block answers for the HOP samples in its middle; the first and the last for the ends too.
    edge = (BLOCK - HOP) // 2
    models = np.vstack((models[:1], models, models[-1:], models[-1:]))
    whole = -(-(count - edge) // HOP) + 1
    models = models[np.minimum(np.arange(whole), len(models) - 1)]
    padded = np.concatenate((np.zeros(ORDER + HOP - edge), x, np.zeros(whole * HOP - (HOP - edge) - count)))
    parts = framed(padded, HOP + ORDER, HOP)[:whole]
    error = np.zeros((whole, HOP))
    for k in range(ORDER + 1):
        error += models[:, k : k + 1] * parts[:, ORDER - k : ORDER - k + HOP]
    # Median, so that the click itself does not raise what is usual.
    usual = np.maximum(1e-7, np.median(np.abs(error), axis=1) * 1.4826)
    return error.ravel()[HOP - edge :][:count], np.repeat(usual, HOP)[HOP - edge :][:count]


def _models(blocks: Errors) -> Errors:
    """(k, ORDER + 1) prediction-error filters of windowed blocks, by the Levinson-Durbin recursion, all at once."""
    spectrum = np.fft.rfft(blocks, 2 * blocks.shape[1])
    r = np.fft.irfft(np.abs(spectrum) ** 2)[:, : ORDER + 1]
    r[:, 0] = r[:, 0] * (1 + 1e-6) + 1e-12
    a = np.zeros((len(blocks), ORDER + 1))
    a[:, 0] = 1
    left = r[:, 0].copy()
    for m in range(1, ORDER + 1):
        k = -(a[:, :m] * r[:, m:0:-1]).sum(axis=1) / left
        a[:, 1 : m + 1] += k[:, None] * a[:, m - 1 :: -1][:, :m]
        left *= 1 - k**2
    return a


def _fill(x: Errors, first: int, last: int) -> None:
    """Put samples first..last such that the model of their surroundings errs least over them."""
    around = x[first - CONTEXT : last + CONTEXT].copy()
    gap = slice(CONTEXT, CONTEXT + last - first)
    model_of = around.copy()
    model_of[gap] = np.linspace(around[gap.start - 1], around[gap.stop], last - first + 2)[1:-1]
    for _ in range(2):
        # The model is that of what is whole, then of what was filled.
        a = _models((model_of * np.hanning(len(model_of)))[None])[0]
        rows = len(around) - ORDER
        matrix = np.zeros((rows, len(around)))
        for k in range(ORDER + 1):
            matrix[np.arange(rows), np.arange(rows) + ORDER - k] = a[k]
        unknown = matrix[:, gap]
        known = model_of.copy()
        known[gap] = 0
        gram = unknown.T @ unknown
        model_of[gap] = np.linalg.solve(gram + 1e-9 * np.trace(gram) / len(gram) * np.eye(len(gram)), -unknown.T @ (matrix @ known))
    x[first:last] = model_of[gap]
