"""Events to audio: a loop is cut into segments of about a beat, and each is rendered from the events that sound in it.

A segment's key is made of those events alone, so an edit renders, sends and swaps only the stretch that sounds
different. Every sample is the sum of its events in one order (by pad, then by time), whichever segment or pass it is
rendered in: what is heard and what is exported are the same numbers.
"""

from __future__ import annotations

import copy
import functools
import hashlib
import itertools
from collections.abc import Collection
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.kept import Kept
from grainpocket.core.rhythm.schedule import Rows, Schedule
from grainpocket.core.shape.voice import Reader, VoiceSpec, render
from grainpocket.core.sound.audio import Samples, gain_of, shared


@dataclass(frozen=True, eq=False)
class Segment:
    """`frames` samples of the loop from sample `start` on. rows: the events that sound in it, in the order in which they
    are added, their frames counted from the segment's start (and negative for those that began before); level: decibels by which
    their sum is turned."""

    key: str
    start: int
    frames: int
    specs: tuple[VoiceSpec, ...]
    rows: Rows
    level: float = 0.0


@dataclass(frozen=True, eq=False)
class LoopPlan:
    """The segments of one pass of a plain mix, in order and without gaps, and the schedule that they are made of."""

    schedule: Schedule
    segments: tuple[Segment, ...]

    @property
    def length(self) -> int:
        return self.schedule.length

    @property
    def rate(self) -> int:
        return self.schedule.rate


def plan(schedule: Schedule, level: float = 0.0) -> LoopPlan:
    """What is to be rendered, with a key for every segment that changes only when its sound does. level: decibels of the whole."""
    voices = Voices(schedule, cyclic=True, level=level)
    return LoopPlan(schedule, tuple(voices.segment(start, end) for start, end in itertools.pairwise(edges(schedule))))


def repeated(again: Schedule, last: Schedule, count: int) -> Schedule:
    """`again` played count - 1 times, then `last`, as one schedule."""
    final = _moved(last.rows, (count - 1) * again.length)
    final["spec"] += len(again.specs)
    rows = np.concatenate([*(_moved(again.rows, turn * again.length) for turn in range(count - 1)), final])
    # Nothing goes before the first pass: what feel puts before its beginning begins with it.
    rows["frame"] = np.maximum(0, rows["frame"])
    beats = tuple(turn * again.length + beat for turn in range(count) for beat in again.beats)
    return Schedule(again.rate, count * again.length, beats, again.specs + last.specs, rows)


def edges(schedule: Schedule) -> list[int]:
    """Where segments begin, and the end of the last one: about a beat each."""
    lead = max((spec.lead(schedule.rate) for spec in schedule.specs), default=0)
    # A beat's own fades in belong to its segment, or every hit on the beat would touch two.
    return [0, *sorted({beat - lead for beat in schedule.beats if 0 < beat - lead < schedule.length}), schedule.length]


class Voices:
    """The events of a schedule by stretch. cyclic: the sound of a pass runs on into the next one, round
    and round, for as long as its longest tail; otherwise it begins from silence and rings out."""

    def __init__(self, schedule: Schedule, cyclic: bool, level: float = 0.0) -> None:
        specs, rate, length, rows = schedule.specs, schedule.rate, schedule.length, schedule.rows
        self._specs, self._level = specs, level
        self._lead = max((spec.lead(rate) for spec in specs), default=0)
        ends = int(_ends(rows, specs).max(initial=0))
        if cyclic:
            # Passes before this one lie before it on the same line of time.
            turns = 1 + ends // length
            rows = np.concatenate([_moved(rows, turn * length) for turn in range(-turns, 3)])
        self._take(_in_order([rows]))
        self._keys = np.array([spec.key(rate) for spec in specs] or [""], "S32")
        self.end = ends

    def _take(self, rows: Rows) -> None:
        """These events, in the order in which they are summed; beside them their places by time, so that a stretch need not look at
        all of them."""
        self._rows = rows
        self._heard = _ends(rows, self._specs)
        self._by_time = np.argsort(rows["frame"], kind="stable")
        self._frames = rows["frame"][self._by_time]
        self._longest = int((self._heard - rows["frame"]).max(initial=0))

    def of(self, pads: Collection[int]) -> Voices:
        """Those of some pads, and at their own level."""
        out = copy.copy(self)
        out._take(self._rows[np.isin(self._rows["pad"], np.fromiter(pads, np.int64, len(pads)))])
        out._level = 0.0
        return out

    def segment(self, start: int, end: int) -> Segment:
        """What sounds from one sample to another."""
        first, last = np.searchsorted(self._frames, (start - self._longest, end + self._lead))
        near = np.sort(self._by_time[first:last])
        near = near[(self._rows["frame"][near] - self._lead < end) & (self._heard[near] > start)]
        mine = _moved(self._rows[near], -start)
        # The row says all of the sound but for what its voice is; the pad's number is no part of it, nor the spec's.
        told = b"".join(mine[name].tobytes() for name in ("frame", "gain", "stop", "fade"))
        text = f"segment {end - start} {len(mine)} {self._level} ".encode() + self._keys[mine["spec"]].tobytes() + told
        key = hashlib.sha256(text).hexdigest()[:32]
        return Segment(key, start, end - start, self._specs, mine, self._level)


def _ends(rows: Rows, specs: tuple[VoiceSpec, ...]) -> NDArray[np.int64]:
    """The sample after the last that is heard of each event."""
    natural = np.array([spec.length for spec in specs], np.int64)[rows["spec"]] if len(rows) else np.zeros(0, np.int64)
    heard = np.where(rows["stop"] < 0, natural, np.minimum(natural, rows["stop"] + rows["fade"]))
    return np.asarray(rows["frame"] + heard, np.int64)


def _moved(rows: Rows, by: int) -> Rows:
    rows = rows.copy()
    rows["frame"] += by
    return rows


def _in_order(parts: list[Rows]) -> Rows:
    """All rows, by pad and then by time: the order in which sounds are summed, everywhere."""
    rows = np.concatenate(parts)
    return np.asarray(rows[np.lexsort((rows["frame"], rows["pad"]))])


class Renderer:
    """Renders voices and segments, each once, and keeps them while there is room."""

    def __init__(self, reader: Reader, rate: int, room_mb: int = 192) -> None:
        self._reader = reader
        self._rate = rate
        self._cache: Kept[str, Samples] = Kept(room_mb * 1_000_000, lambda sound: sound.nbytes)

    def voice(self, spec: VoiceSpec) -> Samples:
        """(lead + length, 2) float32."""
        return self._cache.made(spec.key(self._rate), lambda: shared(render(spec, self._reader, self._rate)))

    def has(self, segment: Segment) -> bool:
        """Whether a segment is rendered and kept."""
        return segment.key in self._cache

    def segment(self, segment: Segment) -> Samples:
        """(frames, 2) float32."""
        return self._cache.made(segment.key, lambda: shared(self._segment(segment)))

    def _segment(self, segment: Segment) -> Samples:
        out = self._sum(segment.specs, segment.rows, segment.frames)
        return out * gain_of(segment.level) if segment.level else out

    def loop(self, loop: LoopPlan) -> Samples:
        """(loop.length, 2) float32: one pass, with the tails of the pass before it."""
        return np.concatenate([self.segment(segment) for segment in loop.segments])

    def passes(self, again: Schedule, last: Schedule, count: int) -> Samples:
        """(count passes and the tail, 2): `again` played count - 1 times, then `last`, from silence to silence."""
        whole = repeated(again, last, count)
        end = max(whole.length, int(_ends(whole.rows, whole.specs).max(initial=0)))
        return self._sum(whole.specs, _in_order([whole.rows]), end)

    def _sum(self, specs: tuple[VoiceSpec, ...], rows: Rows, frames: int) -> Samples:
        """(frames, 2): what is heard of events in samples 0 to frames."""
        out = np.zeros((frames, 2), np.float32)
        ends = _ends(rows, specs).tolist()
        for (_, frame, gain, spec, stop, fade), end in zip(rows.tolist(), ends, strict=True):
            sound, begin = self.voice(specs[spec]), frame - specs[spec].lead(self._rate)
            first, last = max(0, begin), min(frames, end)
            stopped = frame + stop if stop >= 0 else end
            solid = min(last, stopped)
            if solid > first:
                part = sound[first - begin : solid - begin]
                out[first:solid] += part if gain == 1.0 else part * np.float32(gain)
            falls = max(first, stopped)
            if last > falls:
                ramp = falling(fade)[falls - stopped : last - stopped] * np.float32(gain)
                out[falls:last] += sound[falls - begin : last - begin] * ramp
        return out


@functools.lru_cache(maxsize=32)
def falling(count: int) -> Samples:
    """(count, 1) from just under 1 down to 0, in a straight line."""
    return np.asarray(np.linspace(1.0, 0.0, count + 1, dtype=np.float32)[1:, None])
