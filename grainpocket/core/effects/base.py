"""What an effect is, and the settings of one over time.

An effect is a pure function of a block: `process(block, controls, state, key) -> block`, where the state that it is given is
changed in place and is all that it remembers. The same samples come out however a run is split into blocks: whatever depends on
time asks the controls for absolute samples.

Controls are held as constants or as curves, read every TICK samples of the absolute clock, and smoothed over SMOOTH of those
readings (0.46 ms after another, 12 ms in all), so that a jump of a control is a short ramp in every setting alike.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.setting import Parameter, Setting, Value
from grainpocket.core.sound.audio import Samples

TICK = 64
SMOOTH = 8  # ticks
NOTHING = np.float32(1e-18)  # -360 dB
Row = NDArray[np.float64]
State = dict[str, Any]

AMOUNT = Parameter("amount", "Amount", "%", 0.0, 100.0, 100.0, 1.0, 0, "How much of the effect is heard, dry to wet")


@dataclass(frozen=True, eq=False)
class Curve:
    """A control that moves: values at rising samples, straight lines between them; two at one sample are a jump."""

    at: Row
    values: Row

    def read(self, places: Row) -> Row:
        return np.asarray(np.interp(places, self.at, self.values))


@dataclass(frozen=True)
class Controls:
    """The settings of an effect. beat_frames: samples of a quarter note, for what is synced; curves: those that are automated;
    inside: the effects in its own loop, in order."""

    settings: Mapping[str, Value]
    rate: int
    beat_frames: float = 22050.0
    curves: Mapping[str, Curve] = field(default_factory=dict)
    inside: tuple[tuple[Effect, Controls], ...] = ()

    def number(self, name: str) -> float:
        return float(self.settings[name])

    def ticks(self, name: str, start: int, frames: int) -> Row:
        """(k,) smoothed values at the ticks from the one that sample `start` lies in to the one after its last sample."""
        first = start // TICK
        count = (start + max(frames, 1) - 1) // TICK - first + 2
        curve = self.curves.get(name)
        if curve is None:
            return np.full(count, self.number(name))
        raw = curve.read(np.maximum(np.arange(first - SMOOTH + 1, first + count) * float(TICK), 0.0))
        return np.asarray(np.lib.stride_tricks.sliding_window_view(raw, SMOOTH).mean(axis=1))

    def samples(self, name: str, start: int, frames: int) -> Row:
        """(frames,) the same for every sample, on straight lines between the ticks."""
        ticks = self.ticks(name, start, frames)
        if name not in self.curves:
            return np.full(frames, ticks[0])
        place = (start + np.arange(frames)) / TICK - start // TICK
        return np.asarray(np.interp(place, np.arange(len(ticks)), ticks))


class Process(Protocol):
    def __call__(self, block: Samples, controls: Controls, state: State, key: Samples | None) -> Samples: ...


@dataclass(frozen=True, eq=False)
class Effect:
    """kind: its name in documents; settings: its table; begin: the state of silence; latency: samples by which it lags, the same
    for all settings; keyed: whether it listens to another sound; turns_down: whether what it takes away is shown; rings: samples
    for which it sounds on after its input ends; rings_in: arrays of its state that are written round and round by the absolute
    sample (along their last axis); holds: whether effects can lie in its loop, with their states in its own one as "inside"; adds:
    whether it puts something beside the sound, so that in a chain of its own most of it is to stay dry."""

    kind: str
    label: str
    settings: tuple[Setting, ...]
    begin: Callable[[int, Controls], State]
    process: Process
    rings: Callable[[Controls], int] = lambda controls: 0
    latency: int = 0
    keyed: bool = False
    turns_down: bool = False
    rings_in: tuple[str, ...] = ()
    holds: bool = False
    adds: bool = False

    def defaults(self) -> dict[str, Value]:
        return {s.name: s.default for s in (*self.settings, AMOUNT)}


def start_state(effect: Effect, rate: int, controls: Controls) -> State:
    """The state of an effect and of its amount, before any sound."""
    return {"at": 0, "own": effect.begin(rate, controls), "dry": np.zeros((effect.latency, 2), np.float32)}


def arrays_of(state: State) -> list[np.ndarray]:
    """All arrays (any shape) that a state remembers, in one order, the effects in its loop included."""
    own = [array for _, array in sorted(state["own"].items()) if isinstance(array, np.ndarray)]
    return [state["dry"], *own, *(array for one in state["own"].get("inside", ()) for array in arrays_of(one))]


def set_clock(state: State, at: int) -> None:
    """The state as it is before another sample of the absolute clock."""
    state["at"] = at
    state["own"].pop("at", None)
    for one in state["own"].get("inside", ()):
        set_clock(one, at)


def turn_rings(effect: Effect, controls: Controls, state: State, by: int) -> None:
    """What is written round and round by the absolute sample, as it lies when that clock is put back by so many samples."""
    for ring in effect.rings_in:
        state["own"][ring] = np.roll(state["own"][ring], -by, axis=-1)
    for (inner, its), one in zip(controls.inside, state["own"].get("inside", ()), strict=True):
        turn_rings(inner, its, one, by)


def alike(a: State, b: State) -> bool:
    """Whether one state can stand in place of another: the same arrays of the same shapes."""
    inside = a["own"].get("inside", ()), b["own"].get("inside", ())
    return (
        a["dry"].shape == b["dry"].shape
        and all(
            key in a["own"] and (not isinstance(value, np.ndarray) or np.shape(a["own"][key]) == value.shape)
            for key, value in b["own"].items()
        )
        and len(inside[0]) == len(inside[1])
        and all(alike(one, other) for one, other in zip(*inside, strict=True))
    )


def run(effect: Effect, block: Samples, controls: Controls, state: State, key: Samples | None = None) -> Samples:
    """(n, 2) float32 through an effect and its amount. The dry share is delayed by as much as the effect lags."""
    start, frames = state["at"], len(block)
    if not frames:
        return block
    state["own"]["at"] = start
    wet = effect.process(block, controls, state["own"], key)
    # Far under hearing is nothing: denormal numbers are slow in all that follows, and silence has one form.
    wet[np.abs(wet) < NOTHING] = 0.0
    late = np.concatenate((state["dry"], block))
    state["dry"] = late[frames:].copy()
    state["at"] = start + frames
    if "amount" not in controls.curves and controls.number("amount") >= AMOUNT.high:
        return wet
    share = (controls.samples("amount", start, frames) / AMOUNT.high)[:, None]
    mixed = np.asarray(late[:frames] * (1 - share) + wet * share, np.float32)
    mixed[np.abs(mixed) < NOTHING] = 0.0
    return mixed


def low_pass(taps: int, cutoff: float, beta: float) -> Row:
    """(taps,) of a windowed sinc (Kaiser) with a gain of one at rest; cutoff: share of half the rate. As scipy.signal.firwin, whose
    import would hold up every process that starts."""
    places = np.arange(taps) - (taps - 1) / 2
    out = np.sinc(cutoff * places) * np.kaiser(taps, beta)
    return np.asarray(out / out.sum())


def decibels(gain: Row) -> Row:
    """dB of linear gains (n,); nothing is -240."""
    return np.asarray(20 * np.log10(np.maximum(gain, 1e-12)))


def gains(db: Row) -> Row:
    """Linear gains of dB (n,)."""
    return np.asarray(10 ** (db / 20))


def balance(pan: Row) -> Row:
    """(n, 2) gains of the sides. pan: -1 (left) to 1: one side stays, the other goes down along a quarter cosine."""
    return np.stack((np.cos(np.maximum(pan, 0) * np.pi / 2), np.cos(np.maximum(-pan, 0) * np.pi / 2)), axis=1)
