"""The grid over a source: its beats as samples and back, and how it is taken from what was found, from what was tapped, moved,
halved and doubled. Through the drift of a performance, if it follows one."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.tempo.candidates import Tempo
from grainpocket.core.params import of
from grainpocket.core.pocket import QUARTERS, Grid, Metre

SLOWEST, FASTEST = of("grid", "bpm").low, of("grid", "bpm").high
# A tapped tempo this near to a found one is that one: fingers are a few per cent off, detectors are not.
TAP_TOLERANCE, LEAST_TAPS = 0.04, 3
Beats = NDArray[np.int64]
Row = NDArray[np.float64]


class NoGrid(Exception):
    """There is no grid to be had like this; the message says why."""


def found_grid(tempo: Tempo) -> Grid:
    """The grid of a tempo as it was heard, within the range that a grid may have."""
    return Grid(
        bpm=float(np.clip(tempo.bpm, SLOWEST, FASTEST)), bar_one=tempo.bar_one, beats_per_bar=tempo.quarters,
        metre=_metre(tempo.metre), bars=tempo.bars, beats=tempo.beats,
    )  # fmt: skip


def _metre(name: str) -> Metre:
    return next((m for m in QUARTERS if m == name), "4/4")


def beat_places(grid: Grid, frames: int, rate: int) -> tuple[Beats, NDArray[np.bool_]]:
    """((k,) samples of all quarter notes inside the source, (k,) whether a bar begins there)."""
    step = 60 * rate / grid.bpm
    if grid.beats:
        known = np.array(grid.beats, np.float64)
        last = float(known[-1] - known[-2]) if len(known) > 1 else step
        first_step = float(known[1] - known[0]) if len(known) > 1 else step
        before = np.arange(int(known[0] / first_step), 0, -1)
        after = np.arange(1, max(0, int((frames - known[-1]) / last)) + 1)
        places = np.concatenate((known[0] - before * first_step, known, known[-1] + after * last))
        number = np.arange(len(places)) - len(before)
    else:
        number = np.arange(-int(grid.bar_one / step + 1e-6), int((frames - grid.bar_one) / step) + 1)
        places = grid.bar_one + number * step
    inside = (places > -0.5) & (places < frames)
    at = np.maximum(np.round(places[inside]), 0).astype(np.int64)
    return at, np.asarray(number[inside] % grid.beats_per_bar == 0)


def whole(frames: int, rate: int, bars: int, beats_per_bar: int) -> float:
    """BPM at which `frames` samples are `bars` bars. Raises NoGrid when that is no tempo."""
    bpm = bars * beats_per_bar * 60.0 * rate / frames
    if not SLOWEST <= bpm <= FASTEST:
        beats = f"{bars} bars" if beats_per_bar > 1 else f"{bars} beats"
        raise NoGrid(f"{beats} in {frames / rate:.2f} s is {bpm:.0f} BPM; it must be {SLOWEST:g} to {FASTEST:g}.")
    return bpm


def scaled(grid: Grid, ratio: float) -> Grid:
    """Half (0.5) or double (2) as many beats in the same time; bar one stays."""
    bpm = grid.bpm * ratio
    if not SLOWEST <= bpm <= FASTEST:
        raise NoGrid(f"That would be {bpm:.0f} BPM; it must be {SLOWEST:g} to {FASTEST:g}.")
    beats = grid.beats
    if beats and ratio == 0.5:
        beats = beats[::2]
    elif beats and ratio == 2.0:
        fine = np.interp(np.arange(0, len(beats) - 0.5, 0.5), np.arange(len(beats)), beats)
        beats = tuple(int(b) for b in np.round(fine))
    else:
        beats = ()
    bars = grid.bars * ratio if grid.bars else None
    whole_bars = int(bars) if bars and bars == int(bars) else None
    return grid.model_copy(update={"bpm": bpm, "beats": beats, "bars": whole_bars, "by": "hand"})


def moved(grid: Grid, by: int, frames: int, rate: int) -> Grid:
    """All lines later by samples (earlier when negative). Bar one stays inside the source: a line that leaves it at the
    front gives its name to the next bar's."""
    bar = round(60 * rate / grid.bpm * grid.beats_per_bar)
    if grid.beats:
        beats = [b + by for b in grid.beats]
        while beats and beats[0] < 0:
            beats = beats[grid.beats_per_bar :]
        if not beats or beats[0] >= frames:
            raise NoGrid("Bar one would lie outside the find.")
        return grid.model_copy(update={"beats": tuple(beats), "bar_one": beats[0], "bars": None, "by": "hand"})
    place = grid.bar_one + by
    if place < 0:
        place += bar
    if not 0 <= place < frames:
        raise NoGrid("Bar one would lie outside the find.")
    return grid.model_copy(update={"bar_one": place, "bars": None if by else grid.bars, "by": "hand"})


def tapped(taps: Sequence[int], found: Sequence[Tempo], rate: int) -> Grid:
    """The grid that someone tapped along: the found tempo nearest to the taps, or their own; its beat nearest to the first
    tap is bar one. taps: samples, rising. Raises NoGrid when there are too few."""
    at = np.array(sorted(set(taps)), np.float64)
    if len(at) < LEAST_TAPS:
        raise NoGrid(f"Tap at least {LEAST_TAPS} times, in time with the record.")
    steps = np.diff(at)
    usual = float(np.median(steps))
    # A tap left out counts as the beat it was meant for.
    number = np.concatenate(([0], np.cumsum(np.maximum(1, np.round(steps / usual)))))
    slope, start = np.polyfit(number, at, 1)
    bpm = 60 * rate / float(slope)
    if not SLOWEST <= bpm <= FASTEST:
        raise NoGrid(f"Those taps are {bpm:.0f} BPM; it must be {SLOWEST:g} to {FASTEST:g}.")
    near = [t for t in found if abs(np.log(t.bpm / bpm)) < TAP_TOLERANCE]
    if not near:
        return Grid(bpm=bpm, bar_one=max(0, round(float(start))), by="hand")
    best = min(near, key=lambda t: abs(np.log(t.bpm / bpm)))
    places, _ = beat_places(found_grid(best), int(at[-1]) + rate, rate)
    one = int(places[np.argmin(np.abs(places - start))])
    beats = tuple(int(b) for b in best.beats if b >= one)
    return found_grid(best).model_copy(update={"bar_one": one, "beats": beats, "bars": None, "by": "hand"})


def place_of(grid: Grid, rate: int, beats: Row) -> Row:
    """Samples of beats counted from bar one; beyond the beats that are known the nearest tempo goes on."""
    if len(grid.beats) < 2:
        return np.asarray(grid.bar_one + beats * (60.0 * rate / grid.bpm))
    known = np.array(grid.beats, np.float64)
    last = len(known) - 1
    out = np.interp(beats, np.arange(len(known)), known)
    out = np.where(beats < 0, known[0] + beats * (known[1] - known[0]), out)
    return np.asarray(np.where(beats > last, known[-1] + (beats - last) * (known[-1] - known[-2]), out))


def beat_of(grid: Grid, rate: int, places: Row) -> Row:
    """The inverse of `place_of`."""
    if len(grid.beats) < 2:
        return np.asarray((places - grid.bar_one) * (grid.bpm / 60.0 / rate))
    known = np.array(grid.beats, np.float64)
    last = len(known) - 1
    out = np.interp(places, known, np.arange(len(known)))
    out = np.where(places < known[0], (places - known[0]) / (known[1] - known[0]), out)
    return np.asarray(np.where(places > known[-1], last + (places - known[-1]) / (known[-1] - known[-2]), out))


def beats_between(grid: Grid, rate: int, start: int, end: int) -> float:
    """How many quarter notes lie between two samples."""
    first, last = beat_of(grid, rate, np.array([float(start), float(end)]))
    return float(last - first)


def lines(grid: Grid, frames: int, rate: int, step: float) -> NDArray[np.int64]:
    """(k,) samples of every line inside a source, `step` beats apart, counted from bar one in both directions."""
    first, last = beat_of(grid, rate, np.array([0.0, float(frames)])) / step
    number = np.arange(np.ceil(first - 1e-6), np.floor(last + 1e-6) + 1)
    at = np.round(place_of(grid, rate, number * step)).astype(np.int64)
    return np.asarray(at[(at >= 0) & (at < frames)])
