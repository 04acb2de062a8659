"""Events to audio: hits into lanes, lanes into bars, bars into the loop.

A bar's audio starts LEAD samples before the bar line (room for fades in) and runs on as long as its last tail. A loop is
the sum of its bars, each laid at its place and wrapped round the end; the browser adds the same numbers in the same order,
so what is heard and what is exported are the same samples.
"""

from __future__ import annotations

import functools
import hashlib
from dataclasses import dataclass

import numpy as np

from grainpocket.core.mix.cache import Cache
from grainpocket.core.rhythm.schedule import Event, Schedule
from grainpocket.core.shape.voice import Reader, VoiceSpec, render
from grainpocket.core.sound.audio import Samples


@dataclass(frozen=True)
class LanePlan:
    """One pad's hits in the bar that starts at sample `start` of the loop."""

    key: str
    start: int
    events: tuple[Event, ...]


@dataclass(frozen=True)
class BarPlan:
    """start: sample of the bar line in the loop; lead: samples of its audio that lie before that."""

    key: str
    start: int
    lead: int
    lanes: tuple[LanePlan, ...]


@dataclass(frozen=True)
class LoopPlan:
    length: int
    rate: int
    bars: tuple[BarPlan, ...]


def plan(schedule: Schedule) -> LoopPlan:
    """What is to be rendered, with a key for every lane and bar that changes only when its sound does."""
    specs = {id(e.spec): e.spec for e in schedule.events}
    lead = max((spec.lead(schedule.rate) for spec in specs.values()), default=0)
    keys = {known: spec.key(schedule.rate) for known, spec in specs.items()}
    bars = []
    for start, events in zip(schedule.bars, schedule.by_bar(), strict=True):
        by_pad: dict[int, list[Event]] = {}
        for event in events:
            by_pad.setdefault(event.pad, []).append(event)
        lanes = []
        for _, mine in sorted(by_pad.items()):
            lanes.append(LanePlan(_lane_key(mine, [keys[id(e.spec)] for e in mine], start, lead), start, tuple(mine)))
        key = hashlib.sha256(f"bar {lead} {' '.join(lane.key for lane in lanes)}".encode()).hexdigest()[:32]
        bars.append(BarPlan(key, start, lead, tuple(lanes)))
    return LoopPlan(schedule.length, schedule.rate, tuple(bars))


def _lane_key(events: list[Event], voices: list[str], start: int, lead: int) -> str:
    # float64 holds every sample position and gain exactly.
    numbers = np.array([(e.frame - start, e.gain, -1 if e.stop is None else e.stop, e.fade) for e in events], np.float64)
    return hashlib.sha256(f"lane {lead} {' '.join(voices)} ".encode() + numbers.tobytes()).hexdigest()[:32]


class Renderer:
    """Renders voices, lanes and bars, each once, and keeps them while there is room."""

    def __init__(self, reader: Reader, rate: int, room_mb: int = 192) -> None:
        self._reader = reader
        self._rate = rate
        self._cache = Cache(room_mb * 1_000_000)

    def voice(self, spec: VoiceSpec) -> Samples:
        """(lead + length, 2) float32."""
        return self._cache.get(spec.key(self._rate), lambda: render(spec, self._reader, self._rate))

    def has(self, bar: BarPlan) -> bool:
        """Whether a bar is rendered and kept."""
        return bar.key in self._cache

    def bar(self, bar: BarPlan) -> Samples:
        """(n, 2) float32, from `bar.lead` samples before the bar line to the end of the last tail."""
        return self._cache.get(bar.key, lambda: self._bar(bar))

    def loop(self, loop: LoopPlan) -> Samples:
        """(loop.length, 2) float32: one pass, with the tails of the pass before it."""
        out = np.zeros((loop.length, 2), np.float32)
        for bar in loop.bars:
            add_wrapped(out, self.bar(bar), bar.start - bar.lead)
        return out

    def passes(self, again: LoopPlan, last: LoopPlan, count: int) -> Samples:
        """(count passes and the tail, 2): `again` played count - 1 times, then `last`, from silence to silence."""
        plans = [again] * (count - 1) + [last]
        parts = [(number * again.length + bar.start - bar.lead, self.bar(bar)) for number, p in enumerate(plans) for bar in p.bars]
        end = max([count * again.length, *(at + len(part) for at, part in parts)])
        out = np.zeros((end, 2), np.float32)
        for at, part in parts:
            skip = max(0, -at)
            out[at + skip : at + len(part)] += part[skip:]
        return out

    def _lane(self, lane: LanePlan, lead: int) -> Samples:
        return self._cache.get(lane.key, lambda: self._render_lane(lane, lead))

    def _render_lane(self, lane: LanePlan, lead: int) -> Samples:
        end = max(e.frame - lane.start + e.length for e in lane.events)
        out = np.zeros((lead + end, 2), np.float32)
        for event in lane.events:
            own = event.spec.lead(self._rate)
            sound = self.voice(event.spec)[: own + event.length]
            at = lead + event.frame - lane.start - own
            if event.stop is None or event.length <= event.stop:
                out[at : at + len(sound)] += sound if event.gain == 1.0 else sound * np.float32(event.gain)
                continue
            solid = own + event.stop
            gain = np.float32(event.gain)
            out[at : at + solid] += sound[:solid] * gain
            out[at + solid : at + len(sound)] += sound[solid:] * (falling(event.fade)[: len(sound) - solid] * gain)
        return out

    def _bar(self, bar: BarPlan) -> Samples:
        lanes = [self._lane(lane, bar.lead) for lane in bar.lanes]
        out = np.zeros((max((len(lane) for lane in lanes), default=0), 2), np.float32)
        for lane in lanes:
            out[: len(lane)] += lane
        return out


@functools.lru_cache(maxsize=32)
def falling(count: int) -> Samples:
    """(count, 1) from just under 1 down to 0, in a straight line."""
    return np.asarray(np.linspace(1.0, 0.0, count + 1, dtype=np.float32)[1:, None])


def add_wrapped(loop: Samples, part: Samples, at: int) -> None:
    """Add (n, 2) to a loop from sample `at` on (which may be negative), round and round its end."""
    length = len(loop)
    place, done = at % length, 0
    while done < len(part):
        count = min(length - place, len(part) - done)
        loop[place : place + count] += part[done : done + count]
        done += count
        place = 0
