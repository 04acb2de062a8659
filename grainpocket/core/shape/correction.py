"""A voice pulled to the notes of a scale: what it sings is followed, and each period of it is laid down where the note wants it.

Pitch by YIN (de Cheveigne & Kawahara, JASA 111(4), 2002), frame by frame; moved by pitch-synchronous overlap and add (Moulines &
Charpentier, "Pitch-synchronous waveform processing techniques", Speech Communication 9, 1990), which leaves formants and length as
they are. What has no pitch is left alone.
"""

from __future__ import annotations

from collections.abc import Collection

import numpy as np
from numba import njit

from grainpocket.core.shape.curves import Row
from grainpocket.core.sound.audio import Samples
from grainpocket.core.sound.frames import framed

LOWEST_HZ, HIGHEST_HZ = 60.0, 1100.0
WINDOW_S, HOP_S = 0.046, 0.006
SURE = 0.18  # YIN's aperiodicity under which a frame has a pitch
STAYS_ST = 0.6  # a note is left only for one that is so much nearer
UNVOICED_S = 0.008


def corrected(sound: Samples, rate: int, scale: Collection[int], strength: float, glide_s: float) -> Samples:
    """(n, 2) float32 of the same length. scale: pitch classes that are allowed, 0 is C; strength: 0..1; glide_s: time in which it
    comes (63 %) to a note."""
    if strength <= 0 or not scale or len(sound) < int(3 * WINDOW_S * rate):
        return sound
    at, hz = track(np.asarray(sound, np.float64).mean(axis=1), rate)
    if not (hz > 0).any():
        return sound
    turned = _shifts(hz, scale, strength, glide_s)
    places = np.arange(len(sound))
    voiced = np.interp(places, at, (hz > 0).astype(float)) > 0.5
    filled = np.interp(places, at[hz > 0], hz[hz > 0])
    periods = np.where(voiced, rate / filled, UNVOICED_S * rate)
    ratios = np.where(voiced, 2 ** (np.interp(places, at, turned) / 12), 1.0)
    out = np.zeros_like(sound, np.float64)
    weight = np.zeros(len(sound))
    mono = np.ascontiguousarray(sound.mean(axis=1), np.float64)
    _overlap_add(np.asarray(sound, np.float64), mono, periods, ratios, voiced, out, weight)
    return np.asarray(out / np.maximum(weight, 0.05)[:, None], np.float32)


def track(mono: Row, rate: int) -> tuple[Row, Row]:
    """(samples of the middles of frames, Hz there; 0 where nothing has a pitch)."""
    half, y = (2, mono[: len(mono) // 2 * 2].reshape(-1, 2).mean(axis=1)) if rate > 32000 else (1, mono)
    low = rate / half
    size, hop = int(WINDOW_S * low), max(1, int(HOP_S * low))
    most, least = int(low / LOWEST_HZ) + 2, max(2, int(low / HIGHEST_HZ))
    span = size + most
    if len(y) < span:
        return np.zeros(1), np.zeros(1)
    frames = framed(y, span, hop)
    fft = 1 << int(np.ceil(np.log2(span + size)))
    head = np.fft.rfft(frames[:, :size], fft, axis=1)
    cross = np.fft.irfft(np.conj(head) * np.fft.rfft(frames, fft, axis=1), axis=1)[:, :most]
    square = np.concatenate((np.zeros((len(frames), 1)), np.cumsum(frames**2, axis=1)), axis=1)
    lags = np.arange(most)
    energy = square[:, lags + size] - square[:, lags]
    difference = np.maximum(energy[:, :1] + energy - 2 * cross, 0)
    total = np.cumsum(difference[:, 1:], axis=1)
    normal = np.ones_like(difference)
    normal[:, 1:] = difference[:, 1:] * lags[1:] / np.maximum(total, 1e-12)
    loud = energy[:, 0] > 1e-4 * max(float(energy[:, 0].max()), 1e-12)
    hz: Row = np.array(
        [low / lag if good and (lag := _period(row, least)) else 0.0 for row, good in zip(normal, loud, strict=True)]
    )
    return np.asarray((np.arange(len(frames)) * hop + size / 2) * half, np.float64), hz


def _period(row: Row, least: int) -> float:
    """The first deep dip of a frame's normalised difference, between samples; 0: none."""
    below = np.flatnonzero(row[least:-1] < SURE)
    if not len(below):
        return 0.0
    lag = int(below[0]) + least
    while lag + 1 < len(row) - 1 and row[lag + 1] < row[lag]:
        lag += 1
    a, b, c = row[lag - 1], row[lag], row[lag + 1]
    bend = a - 2 * b + c
    return lag + (0.5 * (a - c) / bend if bend > 1e-12 else 0.0)


def _shifts(hz: Row, scale: Collection[int], strength: float, glide_s: float) -> Row:
    """Semitones by which each frame is moved: towards the nearest note, which it keeps until another is clearly nearer."""
    out, note, shift = np.zeros(len(hz)), None, 0.0
    share = 1 - np.exp(-HOP_S / max(glide_s, 1e-4))
    for i, one in enumerate(hz.tolist()):
        if one <= 0:
            note = None
            out[i] = shift
            continue
        sung = 69 + 12 * np.log2(one / 440)
        near = [n for n in range(int(sung) - 7, int(sung) + 8) if n % 12 in scale]
        nearest = min(near, key=lambda n: abs(n - sung))
        fresh = note is None
        if note is None or abs(nearest - sung) + STAYS_ST < abs(note - sung):
            note = nearest
        wanted = (note - sung) * strength
        shift = wanted if fresh and i == 0 else shift + (wanted - shift) * share
        out[i] = shift
    return out


@njit(cache=True, nogil=True)
def _overlap_add(x, mono, periods, ratios, voiced, out, weight):  # type: ignore[no-untyped-def]
    count = len(mono)
    # Marks a period apart, each on the highest point near it, so that periods are cut alike.
    marks = np.zeros(count // 8 + 2, np.int64)
    found, place = 0, 0.0
    while place < count:
        at = int(place)
        if voiced[at]:
            reach = int(0.2 * periods[at])
            best = at
            for k in range(max(0, at - reach), min(count, at + reach + 1)):
                if mono[k] > mono[best]:
                    best = k
            at = best
        marks[found] = at
        found += 1
        place = max(at, place - 0.5 * periods[min(at, count - 1)]) + periods[min(at, count - 1)]
    place = float(marks[0])
    near = 0
    while place < count:
        at = int(place)
        while near + 1 < found and abs(marks[near + 1] - at) <= abs(marks[near] - at):
            near += 1
        mark = marks[near]
        size = max(2, int(periods[mark]))
        for k in range(-size, size + 1):
            to, source = at + k, mark + k
            if 0 <= to < count and 0 <= source < count:
                w = 0.5 + 0.5 * np.cos(np.pi * k / size)
                weight[to] += w
                for c in range(x.shape[1]):
                    out[to, c] += x[source, c] * w
        place += periods[at] / ratios[at]
