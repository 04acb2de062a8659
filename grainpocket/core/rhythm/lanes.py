"""What is struck in one pass of a pattern: its lanes round and round at their own length and rate, with steps left out, muted ones
silent, and hits that come by chance or every so many times."""

from __future__ import annotations

import hashlib
import math
from collections.abc import Sequence
from fractions import Fraction

from grainpocket.core.pocket import MOST_BARS, Condition, Hit, Lane, Pattern

PLAIN = Lane()
MOST_PASSES = 16
CHANCE_PASSES = 4  # of a loop in which something comes by chance
_FINEST = 48  # of a beat: what lengths of steps are whole parts of, triplets among them
_EXACT = 9


def cycle_of(pattern: Pattern, lane: Lane) -> float:
    """Beats after which a lane begins again."""
    return float(_cycle(pattern, lane))


def steps_of(pattern: Pattern, lane: Lane) -> int:
    """Written steps of a lane, the ones left out included."""
    return lane.steps if lane.steps is not None else max(1, math.ceil(pattern.beats / lane.step - 1e-9))


def own_time(pattern: Pattern, lane: Lane) -> bool:
    """Whether a lane runs by itself, not along with the pattern."""
    return bool(lane.skipped) or (lane.steps is not None and _cycle(pattern, lane) != pattern.beats)


def passes_of(pattern: Pattern) -> int:
    """Passes of a pattern until all is the same again: lanes of another length have come round, what comes every so many times has
    come. At most MOST_PASSES and MOST_BARS bars: lanes that need more begin anew with the first pass."""
    periods = {_cycle(pattern, lane) for lane in pattern.lanes.values() if own_time(pattern, lane)}
    by_chance = False
    for hit in pattern.hits:
        if hit.when is not None:
            periods.add(_cycle(pattern, pattern.lanes.get(hit.pad, PLAIN)) * hit.when.every)
            by_chance |= hit.when.chance < 100
    count = CHANCE_PASSES if by_chance else 1
    for period in periods:
        count = math.lcm(count, (period / pattern.beats).numerator)
    return max(1, min(count, MOST_PASSES, MOST_BARS // pattern.bars))


def pass_of(pattern: Pattern, turn: int) -> tuple[Hit, ...]:
    """The hits of one pass at the beats where they are struck, swing and feel apart, by beat. turn: which pass it is, from 0."""
    soloed = any(lane.solo for lane in pattern.lanes.values())
    if not pattern.lanes and all(hit.when is None for hit in pattern.hits):
        return pattern.hits
    out: list[Hit] = []
    by_pad: dict[int, list[Hit]] = {}
    for hit in pattern.hits:
        by_pad.setdefault(hit.pad, []).append(hit)
    for pad, hits in by_pad.items():
        lane = pattern.lanes.get(pad, PLAIN)
        if not lane.muted and (lane.solo or not soloed):
            out += _along(pattern, lane, hits, turn) if own_time(pattern, lane) else _struck(hits, pattern.seed, turn)
    return tuple(sorted(out, key=lambda hit: (hit.beat, hit.pad, hit.note)))


def _along(pattern: Pattern, lane: Lane, hits: Sequence[Hit], turn: int) -> list[Hit]:
    """A lane that runs by itself, through one pass."""
    cycle, step = _cycle(pattern, lane), lane.step
    left = sorted(set(range(steps_of(pattern, lane))) - set(lane.skipped))
    place = {written: at for at, written in enumerate(left)}
    first = turn * pattern.beats
    out = []
    for round_ in range(math.floor(first / cycle), math.ceil((first + pattern.beats) / cycle)):
        start = float(round_ * cycle - first)
        for hit in _struck(hits, pattern.seed, round_):
            written = math.floor(hit.beat / step + 1e-9)
            if written in place:
                at = round(start + place[written] * step + (hit.beat - written * step), _EXACT)
                if 0 <= at < pattern.beats:
                    out.append(hit.model_copy(update={"beat": at}))
    return out


def _struck(hits: Sequence[Hit], seed: int, turn: int) -> list[Hit]:
    return [hit for hit in hits if hit.when is None or _comes(hit, hit.when, seed, turn)]


def _comes(hit: Hit, when: Condition, seed: int, turn: int) -> bool:
    if turn % when.every != (when.on - 1) % when.every:
        return False
    return when.chance >= 100 or share(seed, f"{hit.id} {turn}") * 100 < when.chance


def share(seed: int, what: str) -> float:
    """A number from 0 to 1 that looks thrown, and is the same each time."""
    return int.from_bytes(hashlib.sha256(f"{seed} {what}".encode()).digest()[:6]) / 2**48


def _cycle(pattern: Pattern, lane: Lane) -> Fraction:
    if not own_length(lane):
        return Fraction(pattern.beats)
    step = Fraction(lane.step).limit_denominator(_FINEST)
    steps = steps_of(pattern, lane)
    return step * max(1, steps - len({one for one in lane.skipped if one < steps}))


def own_length(lane: Lane) -> bool:
    """Whether a lane goes round at a length other than its pattern's."""
    return lane.steps is not None or bool(lane.skipped)
