"""Ranked tempo candidates, each with its metre, bar one and beats: what a musician chooses among."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.tempo import metre, pulse
from grainpocket.core.listen.tempo.bar_profile import Evidence, Reading
from grainpocket.core.listen.tempo.metre import Hypothesis, gathered, hypotheses

# However sure the first one is, a musician wants to see what else it might be.
MOST, SHOWN, LEAST_SHARE, USUAL_BARS, SHORT_S = 5, 3, 0.005, (1, 2, 4, 8), 16.0
# A pulse is one when its onsets gather more than those of noise would at the best of many tempi (Rayleigh's test).
LEAST_GATHER, LEAST_RAYLEIGH, LOOP_RAYLEIGH = 0.25, 6.0, 4.0
SAME_TEMPO = 0.015
# Of the softmax that ranks the candidates, fitted on its outputs alone: readings of 104 recordings that no weights saw.
TEMPERATURE, LEAST_CONFIDENCE = 3.0, 1e-7
COMPOUND, LEAST_COMPOUND = ("two thirds", "three halves"), 0.02
_RELATIONS = ((0.5, "half"), (2.0, "double"), (1 / 3, "third"), (3.0, "triple"), (2 / 3, "two thirds"), (1.5, "three halves"),
              (0.75, "three quarters"), (4 / 3, "four thirds"))  # fmt: skip


@dataclass(frozen=True)
class Tempo:
    """bpm: quarter notes a minute; confidence: 0..1, summing to at most 1 over a list of candidates; bars: the whole
    number of bars that the recording then lasts, or None when it is not a trimmed loop at this tempo.

    metre: as written; quarters: quarter notes in a bar; bar_one: sample of the first bar line, may be the recording's
    start; steady: constant tempo; rough_ms: root mean square deviation from one; relation: to the first candidate; beats:
    samples of the quarter notes from bar_one on when the tempo drifts, else empty.
    """

    bpm: float
    confidence: float
    bars: int | None = None
    metre: str = "4/4"
    quarters: int = 4
    bar_one: int = 0
    steady: bool = True
    rough_ms: float = 0.0
    relation: str = ""
    beats: tuple[int, ...] = ()


def candidates(seen: Evidence, rate: int) -> list[Tempo]:
    """Ranked; empty when there is no steady pulse to find."""
    known = hypotheses(seen)
    if not known or not _is_pulse(seen, known[0].reading):
        return []
    best: dict[int, Hypothesis] = {}
    share: dict[int, float] = {}
    for h in known:
        key = id(h.reading)
        best.setdefault(key, h)
        share[key] = share.get(key, 0.0) + h.likely
    ranked = sorted(best.values(), key=lambda h: -share[id(h.reading)])
    out: list[Tempo] = []
    for h in ranked:
        loop = h.reading.loop_quarters is not None and h.reading.loop_quarters // h.quarters in USUAL_BARS
        shown = len(out) < SHOWN or (len(out) < MOST and share[id(h.reading)] >= LEAST_SHARE)
        # Whatever else a short loop may be, it may be one of the usual lengths.
        if not shown and not (loop and seen.seconds < SHORT_S):
            continue
        # A hair beside one that is likelier, it is the same to a musician.
        if any(abs(np.log(h.reading.beat.bpm / other.bpm)) < SAME_TEMPO for other in out):
            continue
        out.append(_tempo(metre.retold(seen, h), share[id(h.reading)], seen, rate, out[0].bpm if out else None))
    return out


def _is_pulse(seen: Evidence, reading: Reading) -> bool:
    """Whether the onsets crowd round the beats, or their divisions, more than chance would have it."""
    count = float(seen.w.sum()) ** 2 / max(float((seen.w**2).sum()), 1e-9)
    best = max(gathered(seen, reading))
    # A length of whole bars speaks for a loop too.
    needed = LEAST_RAYLEIGH if reading.loop_quarters is None else LOOP_RAYLEIGH
    return best >= LEAST_GATHER and count * best**2 >= min(needed, 0.75 * count)


def _tempo(h: Hypothesis, share: float, seen: Evidence, rate: int, first: float | None) -> Tempo:
    reading = h.reading
    beat = reading.beat.shifted(h.bar_one)
    if reading.loop_quarters is None:
        beat = pulse.align(beat, seen.t, seen.w)
    elif abs(beat.at(np.zeros(1))[0] % h.quarters) > 0.2:
        # A loop that does not begin on its bar line still begins on a part of its beat.
        beat = pulse.align(beat, seen.t, seen.w)
    else:
        beat = reading.beat
    start = float(beat.at(np.array([0.0]))[0])
    # The first bar line in the recording; one that lies a hair before it is its start.
    bar = np.ceil(start / h.quarters - 0.1 / h.quarters) * h.quarters
    line = float(beat.when(np.array([bar]))[0])
    bars = reading.loop_quarters / h.quarters if reading.loop_quarters else 0.0
    whole = round(bars) if bars and abs(bars - round(bars)) < 1e-6 and abs(line) < 0.01 else None
    beats: tuple[int, ...] = ()
    if not beat.steady:
        end = float(beat.at(np.array([seen.seconds]))[0])
        places = beat.when(np.arange(bar, end, 1.0))
        beats = tuple(int(b) for b in np.maximum(np.round(places * rate), 0))
    relation = "" if first is None else relation_to(beat.bpm, first)
    return Tempo(
        bpm=round(beat.bpm, 4) if whole is None else beat.bpm,
        confidence=round(share, 4), bars=whole, metre=h.metre, quarters=h.quarters,
        bar_one=max(0, round(line * rate)), steady=beat.steady, rough_ms=round(beat.rough * 1000, 2), relation=relation,
        beats=beats,
    )  # fmt: skip


def calibrated(tempi: Sequence[Tempo]) -> list[float]:
    """The confidence of each candidate as a share that holds: of many readings at 0.9 or more, nine in ten are right.

    What the networks give is surer than they are right on recordings they never heard. Shares are tempered (Guo et al., "On
    calibration of modern neural networks", ICML 2017) by one temperature. Another tempo whose bars of dotted quarters fit is
    named with LEAST_COMPOUND at least: two against three is what they cannot tell for sure.
    """
    if not tempi:
        return []
    power = np.maximum([t.confidence for t in tempi], LEAST_CONFIDENCE) ** (1 / TEMPERATURE)
    shares = power / power.sum() * min(1.0, sum(t.confidence for t in tempi))
    for i, tempo in enumerate(tempi):
        if i and tempo.relation in COMPOUND and tempo.metre == "6/8":
            shares[i] = max(shares[i], LEAST_COMPOUND)
    return [round(float(s), 4) for s in shares / max(1.0, shares.sum())]


def relation_to(bpm: float, first: float) -> str:
    """What `bpm` is of `first`, in a word, or nothing."""
    return next((name for ratio, name in _RELATIONS if abs(np.log(bpm / (first * ratio))) < 0.02), "")


def beat_times(tempo: Tempo, frames: int, rate: int) -> NDArray[np.float64]:
    """(k,) seconds of all quarter notes of a recording, those before bar one too."""
    step = 60 / tempo.bpm
    if tempo.beats:
        known = np.array(tempo.beats) / rate
        before = np.arange(int(known[0] / step), 0, -1)
        return np.concatenate((known[0] - before * step, known))
    first = tempo.bar_one / rate
    return np.asarray(first + step * np.arange(-int(first / step), int((frames / rate - first) / step) + 1))
