"""The pitch of a single sound: fundamental, nearest note, cents off it, and how sure that is.

The squared difference of the sound and itself one period later is least (YIN: de Cheveigne & Kawahara, JASA 111(4), 2002);
it is averaged over the frames that carry the sound, so that one breath or one click does not decide. The octave is settled
by the harmonics: a period twice too long explains no more of them (after Hermes, "Measurement of pitch by subharmonic
summation", JASA 83(1), 1988). The figure is refined on the strongest harmonics of a long window.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.harmony.chords import ROOTS
from grainpocket.core.sound.audio import Samples
from grainpocket.core.sound.frames import framed, spectra_of

LOWEST_HZ, HIGHEST_HZ = 27.0, 4200.0
FRAME_S, MOST_FRAMES, QUIET = 0.09, 16, 0.05
SKIP_ATTACK_S, LONG_S, LONGEST_S = 0.04, 0.4, 1.5
VOICED = 0.35
HARMONICS, FALL = 8, 0.8
Row = NDArray[np.float64]


@dataclass(frozen=True)
class Pitch:
    """hz: fundamental; key: nearest MIDI note; cents: how far over it, -50..50; voiced: 0..1, how much of the sound repeats
    itself at that period."""

    hz: float
    key: int
    cents: float
    voiced: float

    @property
    def name(self) -> str:
        return f"{ROOTS[self.key % 12]}{self.key // 12 - 1}"


def pitch(samples: Samples, rate: int, reference: float = 440.0) -> Pitch | None:
    """Pitch of (n,) float32 mono holding one sound; None when nothing in it has one, or it is too short."""
    frames = _frames(np.asarray(samples, np.float64), rate)
    if frames is None:
        return None
    difference = _difference(frames, rate)
    hz, voiced = _choose(difference, frames, rate)
    if hz <= 0 or voiced < VOICED:
        return None
    hz = _refine(np.asarray(samples, np.float64), rate, hz)
    note = 69 + 12 * np.log2(hz / reference)
    key = int(np.round(note))
    return Pitch(float(hz), key, float(np.round(100 * (note - key), 1)), float(round(voiced, 3)))


def _frames(x: Row, rate: int) -> Row | None:
    """(k, FRAME) of the loudest frames after the attack, spread over the sound."""
    size = int(FRAME_S * rate)
    if len(x) < size // 2 or not np.abs(x).max(initial=0.0) > 1e-6:
        return None
    if len(x) < size:
        x = np.pad(x, (0, size - len(x)))
    first = int(SKIP_ATTACK_S * rate) if len(x) > size + 2 * int(SKIP_ATTACK_S * rate) else 0
    view = framed(x[first:], size, max(1, size // 3))
    energy = (view**2).mean(axis=1)
    best = np.argsort(-energy)[:MOST_FRAMES]
    return np.asarray(view[best[energy[best] >= QUIET * energy.max()]])


def _difference(frames: Row, rate: int) -> Row:
    """(lags,) cumulative-mean-normalised difference, 0 where the sound repeats itself, averaged by energy."""
    size = frames.shape[1]
    most = min(int(rate / LOWEST_HZ) + 2, size // 2)
    inner = size - most
    spectrum = np.fft.rfft(frames, 2 * size, axis=1)
    head = np.fft.rfft(frames[:, :inner], 2 * size, axis=1)
    cross = np.fft.irfft(np.conj(head) * spectrum, axis=1)[:, :most]
    square = np.concatenate((np.zeros((len(frames), 1)), np.cumsum(frames**2, axis=1)), axis=1)
    lag = np.arange(most)
    there = square[:, lag + inner] - square[:, lag]
    raw = np.maximum(square[:, inner : inner + 1] + there - 2 * cross, 0)
    mean = np.cumsum(raw[:, 1:], axis=1) / lag[1:]
    out = np.ones_like(raw)
    out[:, 1:] = raw[:, 1:] / np.maximum(mean, 1e-12)
    weight = np.sqrt((frames**2).mean(axis=1))
    return np.asarray((out * weight[:, None]).sum(axis=0) / weight.sum())


def _choose(difference: Row, frames: Row, rate: int) -> tuple[float, float]:
    """(Hz, voicedness): of the periods at which the sound nearly repeats, the one whose harmonics tell the most."""
    least = max(2, int(rate / HIGHEST_HZ))
    d = difference
    dips = np.flatnonzero((d[1:-1] < d[:-2]) & (d[1:-1] <= d[2:])) + 1
    dips = dips[dips >= least]
    if not len(dips):
        return 0.0, 0.0
    bottom = float(d[dips].min())
    near = dips[d[dips] <= bottom + 0.25]
    size = int(2 ** np.ceil(np.log2(frames.shape[1] * 2)))
    spectrum = np.abs(spectra_of(frames, np.hanning(frames.shape[1]), size)).mean(axis=0)
    spectrum = np.sqrt(spectrum / spectrum.max())
    scores: list[tuple[float, float, float]] = []
    for dip in near:
        place = dip + _vertex(d[dip - 1], d[dip], d[dip + 1])
        hz = rate / place
        scores.append((_salience(spectrum, hz * size / rate) - 0.8 * float(d[dip]), hz, 1.0 - float(d[dip])))
    _, hz, voiced = max(scores)
    return hz, max(0.0, voiced)


def _salience(spectrum: Row, first: float) -> float:
    """How much of the spectrum's peaks lie on multiples of `first` (bins), less what lies between them."""
    k = np.arange(1.0, HARMONICS + 1)
    weight = FALL ** (k - 1)
    on, off = _around(spectrum, np.asarray(k * first)), _around(spectrum, np.asarray((k - 0.5) * first))
    return float((weight * (on - off)).sum() / weight.sum())


def _around(spectrum: Row, place: Row) -> Row:
    reach = np.arange(-2, 3)
    index = np.clip(np.round(place)[:, None].astype(int) + reach, 0, len(spectrum) - 1)
    return np.where(place < len(spectrum) - 3, spectrum[index].max(axis=1), 0.0)


def _vertex(a: float, b: float, c: float) -> float:
    bend = a - 2 * b + c
    return float(np.clip(0.5 * (a - c) / bend, -0.5, 0.5)) if abs(bend) > 1e-12 else 0.0


def _refine(x: Row, rate: int, hz: float) -> float:
    """Weighted mean of the fundamental that each strong harmonic of the loudest stretch tells."""
    size = min(len(x), int(LONG_S * rate))
    start = 0
    if len(x) > size:
        square = np.cumsum(np.concatenate(([0.0], x**2)))
        first = min(int(SKIP_ATTACK_S * rate), len(x) - size)
        start = first + int(np.argmax(square[first + size :] - square[first : len(square) - size]))
    padded = int(2 ** np.ceil(np.log2(size * 4)))
    spectrum = np.abs(spectra_of(x[start : start + size], np.blackman(size), padded))
    found: list[tuple[float, float]] = []
    base = hz
    for k in range(1, 7):
        centre = k * base * padded / rate
        # High partials that are no harmonics can pull the period a little; the first harmonic found puts it right.
        reach = max(3.0, centre * (0.012 if found else 0.04))
        low, high = int(centre - reach), int(centre + reach) + 2
        if low < 1 or high >= len(spectrum) - 1:
            break
        top = low + int(np.argmax(spectrum[low:high]))
        if low < top < high - 1:
            a, b, c = np.log(spectrum[top - 1 : top + 2] + 1e-12)
            found.append(((top + _vertex(a, b, c)) * rate / padded / k, float(spectrum[top]) * k**0.5))
            if spectrum[top] > 0.2 * spectrum.max():
                base = found[-1][0]
    if not found:
        return hz
    # Stiff strings stretch their upper harmonics: what the strongest says counts, and others only where they agree.
    told = np.array([f for f, _ in found])
    weight = np.array([w for _, w in found])
    middle = told[int(np.argmax(weight))]
    agree = np.abs(1200 * np.log2(told / middle)) < 8
    return _mean_frequency(x, rate, float((told * weight)[agree].sum() / weight[agree].sum()))


def _mean_frequency(x: Row, rate: int, hz: float) -> float:
    """Mean over time, so that a vibrato counts from its middle: by how much the phase of the strongest harmonic near
    `hz` turns, frame by frame, against a steady tone (phase vocoder: Flanagan & Golden, 1966)."""
    size, hop = int(max(0.04, 3 / hz) * rate), max(1, int(0.004 * rate))
    first = int(SKIP_ATTACK_S * rate)
    body = x[first : first + int(LONGEST_S * rate)] if len(x) > first + 4 * size else x
    if len(body) < size + 4 * hop:
        return hz
    view = framed(body, size, hop)
    window, t = np.hanning(size), np.arange(size) / rate
    best, mean = 0.0, hz
    for k in (1, 2, 3):
        if k * hz > 0.45 * rate:
            break
        tone = view @ (window * np.exp(-2j * np.pi * k * hz * t))
        turn = np.sum(tone[1:] * np.conj(tone[:-1]) * np.exp(-2j * np.pi * k * hz * hop / rate))
        strength = float(np.abs(turn))
        if strength > best:
            best, mean = strength, hz + float(np.angle(turn)) / (2 * np.pi * hop / rate) / k
    return mean if abs(np.log2(mean / hz)) < 0.04 else hz
