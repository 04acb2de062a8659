"""Events to audio: hits into lanes, lanes into bars, bars into the loop.

A bar's audio starts LEAD samples before the bar line (room for fades in) and runs on as long as its last tail. A loop is
the sum of its bars, each laid at its place and wrapped round the end; the browser adds the same numbers in the same order,
so what is heard and what is exported are the same samples.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from grainpocket.core.mix.cache import Cache
from grainpocket.core.rhythm.schedule import Event, Schedule
from grainpocket.core.shape.voice import Reader, VoiceSpec, render
from grainpocket.core.sound.audio import Samples


@dataclass(frozen=True)
class LanePlan:
    """One pad's hits in one bar. frames of the events count from the bar line."""

    key: str
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
    lead = max((e.spec.lead(schedule.rate) for e in schedule.events), default=0)
    bars = []
    for number, start in enumerate(schedule.bars):
        by_pad: dict[int, list[Event]] = {}
        for event in schedule.in_bar(number):
            moved = Event(event.pad, event.frame - start, event.gain, event.spec, event.stop, event.fade)
            by_pad.setdefault(event.pad, []).append(moved)
        lanes = tuple(LanePlan(_lane_key(events, schedule.rate), tuple(events)) for _, events in sorted(by_pad.items()))
        bars.append(BarPlan(_digest(["bar", lead, [lane.key for lane in lanes]]), start, lead, lanes))
    return LoopPlan(schedule.length, schedule.rate, tuple(bars))


def _lane_key(events: Sequence[Event], rate: int) -> str:
    return _digest(["lane", [(e.frame, e.gain, e.spec.key(rate), e.stop, e.fade) for e in events]])


def _digest(what: object) -> str:
    return hashlib.sha256(json.dumps(what).encode()).hexdigest()[:32]


class Renderer:
    """Renders voices, lanes and bars, each once, and keeps them while there is room."""

    def __init__(self, reader: Reader, rate: int, room_mb: int = 192) -> None:
        self._reader = reader
        self._rate = rate
        self._cache = Cache(room_mb * 1_000_000)

    def voice(self, spec: VoiceSpec) -> Samples:
        """(lead + length, 2) float32."""
        return self._cache.get(spec.key(self._rate), lambda: render(spec, self._reader, self._rate))

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
        return self._cache.get(f"{lane.key}-{lead}", lambda: self._render_lane(lane, lead))

    def _render_lane(self, lane: LanePlan, lead: int) -> Samples:
        end = max(e.frame + e.length for e in lane.events)
        out = np.zeros((lead + end, 2), np.float32)
        for event in lane.events:
            sound = self.voice(event.spec)
            own = event.spec.lead(self._rate)
            sound = sound[: own + event.length]
            if event.gain != 1.0:
                sound = sound * np.float32(event.gain)
            if event.stop is not None and event.length > event.stop:
                sound = sound.copy()
                fade = np.linspace(1.0, 0.0, event.fade + 1, dtype=np.float32)[1 : event.length - event.stop + 1]
                sound[own + event.stop :] *= fade[:, None]
            at = lead + event.frame - own
            out[at : at + len(sound)] += sound
        return out

    def _bar(self, bar: BarPlan) -> Samples:
        lanes = [self._lane(lane, bar.lead) for lane in bar.lanes]
        out = np.zeros((max((len(lane) for lane in lanes), default=0), 2), np.float32)
        for lane in lanes:
            out[: len(lane)] += lane
        return out


def add_wrapped(loop: Samples, part: Samples, at: int) -> None:
    """Add (n, 2) to a loop from sample `at` on (which may be negative), round and round its end."""
    length = len(loop)
    place, done = at % length, 0
    while done < len(part):
        count = min(length - place, len(part) - done)
        loop[place : place + count] += part[done : done + count]
        done += count
        place = 0
