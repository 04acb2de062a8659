"""Moves on the hits of a pattern: put on the grid, shift, turn round, double, halve, thin out, spread, accent, stutter.

In: hits and the length of the pattern in beats. Out: hits; none has lost its settings, new ones have no id yet. Beats stay exact:
what is moved by the grid lies on it to the last bit, what is moved by a share of a beat is rounded to a millionth.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from grainpocket.core.pocket import Feel, Hit, Roll
from grainpocket.core.rhythm.feel import late
from grainpocket.core.rhythm.lanes import share

Hits = Sequence[Hit]
LEAST_BEAT = 1e-6


def _at(hit: Hit, beat: float, **more: object) -> Hit:
    return hit.model_copy(update={"beat": round(beat, 6), **more})


def quantised(
    hits: Hits, step: float, strength: float, swing: float, reach: float, beats: float, feel: Feel | None = None
) -> list[Hit]:
    """Each hit drawn to the nearest line of a grid. step: beats between lines; strength: share of the way, 0..1; swing: share of a
    pair of steps that the first one takes, 0.5..0.75; reach: share of half a step within which a hit is drawn at all; feel: the
    lines lie where it puts them."""
    out = []
    for hit in hits:
        pair = math.floor(hit.beat / (2 * step))
        lines = [2 * step * (pair + k) + off for k in (-1, 0, 1) for off in (0.0, 2 * step * swing)]
        if feel is not None:
            lines = (np.array(lines) + late(feel, np.array(lines))).tolist()
        nearest = min(lines, key=lambda line: abs(line - hit.beat))
        if abs(nearest - hit.beat) > reach * step / 2 + LEAST_BEAT:
            out.append(hit)
            continue
        # The last line is that of the next bar's start, and the first hit of this one.
        out.append(_at(hit, (hit.beat + (nearest - hit.beat) * strength) % beats))
    return out


def shifted(hits: Hits, by: float, beats: float) -> list[Hit]:
    """Round and round."""
    return [_at(hit, (hit.beat + by) % beats) for hit in hits]


def turned_round(hits: Hits, beats: float, step: float) -> list[Hit]:
    """From the end to the beginning: the first step becomes the last."""
    return [_at(hit, (beats - step - hit.beat) % beats) for hit in hits]


def doubled(hits: Hits, beats: float) -> list[Hit]:
    """Twice as fast, and twice."""
    half = [_at(hit, hit.beat / 2, length=hit.length / 2 if hit.length else None) for hit in hits]
    return half + [_at(hit, hit.beat + beats / 2, id="") for hit in half]


def halved(hits: Hits, beats: float) -> list[Hit]:
    """Half as fast: the first half alone, over the whole."""
    return [
        _at(hit, hit.beat * 2, length=hit.length * 2 if hit.length else None) for hit in hits if hit.beat < beats / 2 - LEAST_BEAT
    ]


def thinned(hits: Hits, keep: int) -> list[Hit]:
    """Every so manieth hit of each pad stays, and each pad's loudest."""
    out: list[Hit] = []
    for pad in sorted({hit.pad for hit in hits}):
        mine = sorted((hit for hit in hits if hit.pad == pad), key=lambda hit: (hit.beat, hit.note))
        loudest = max(mine, key=lambda hit: hit.velocity)
        out += [hit for number, hit in enumerate(mine) if number % keep == 0 or hit is loudest]
    return out


def accented(hits: Hits, every: int, by: int) -> list[Hit]:
    """Every so manieth hit of each pad harder, the others softer by half as much."""
    out = []
    count: dict[int, int] = {}
    for hit in sorted(hits, key=lambda one: (one.beat, one.pad, one.note)):
        number = count[hit.pad] = count.get(hit.pad, -1) + 1
        change = by if number % every == 0 else -(by // 2)
        out.append(hit.model_copy(update={"velocity": max(1, min(127, hit.velocity + change))}))
    return out


def louder(hits: Hits, by: int) -> list[Hit]:
    """The hits with `by` added to their velocities, which stay within 1 to 127."""
    return [hit.model_copy(update={"velocity": max(1, min(127, hit.velocity + by))}) for hit in hits]


def varied(hits: Hits, by: int, seed: int) -> list[Hit]:
    """Velocities that stray by so much at most, in the same way for the same seed."""
    out = []
    for number, hit in enumerate(sorted(hits, key=lambda one: (one.beat, one.pad, one.note))):
        stray = round(by * (2 * share(seed, f"{number}") - 1))
        out.append(hit.model_copy(update={"velocity": max(1, min(127, hit.velocity + stray))}))
    return out


VARIED = 12  # velocities by which a variation strays
LIFT = Roll(times=2, velocity=20)


def variation(hits: Hits, beats: float, seed: int) -> list[Hit]:
    """The same once more, behind itself: velocities stray a little, and what falls on the last half beat is struck twice, as a lift
    into the next bar. What already lay behind the end is left out."""
    there = [hit for hit in hits if hit.beat < beats - LEAST_BEAT]
    out = []
    for hit in varied(there, VARIED, seed):
        lifts = hit.beat >= beats - 0.5 - LEAST_BEAT and hit.roll is None and hit.when is None
        out.append(_at(hit, hit.beat + beats, id="", roll=LIFT if lifts else hit.roll))
    return out


def inverted(hits: Hits, step: float, beats: float) -> list[Hit]:
    """Struck where a pad was silent, and silent where it was struck, on the steps of a grid."""
    out: list[Hit] = []
    for pad in sorted({hit.pad for hit in hits}):
        mine = [hit for hit in hits if hit.pad == pad]
        softness = round(sum(hit.velocity for hit in mine) / len(mine))
        out += where_silent(pad, mine, step, softness, beats)
    return out


def stretched(hits: Hits, factor: float, about: float, beats: float) -> list[Hit]:
    """Places and lengths so many times as long, from a beat on; what would lie behind the end goes."""
    out = []
    for hit in hits:
        beat = about + (hit.beat - about) * factor
        if 0 <= beat < beats - LEAST_BEAT:
            out.append(_at(hit, beat, length=hit.length * factor if hit.length else None))
    return out


def repeated_at_end(hits: Hits, pad: int, times: int, over: float, velocity: int, beats: float) -> list[Hit]:
    """One pad so many times over the last beats, evenly, in place of all that stands there."""
    first = beats - over
    before = [hit for hit in hits if hit.beat < first - LEAST_BEAT]
    apart = over / times
    return before + [Hit(pad=pad, beat=round(first + n * apart, 9), velocity=velocity, length=apart) for n in range(times)]


def even(hits: Hits, velocity: int) -> list[Hit]:
    """The hits, all at one velocity."""
    return [hit.model_copy(update={"velocity": velocity}) for hit in hits]


def placed(pad: int, every: float, start: float, velocity: int, beats: float) -> list[Hit]:
    """A hit every so many beats from a beat on."""
    count = max(0, math.ceil((beats - start) / every - LEAST_BEAT))
    return [Hit(pad=pad, beat=round(start + number * every, 6), velocity=velocity) for number in range(count)]


def spread(pad: int, count: int, step: float, turn: int, velocity: int, beats: float) -> list[Hit]:
    """So many hits as evenly as the steps allow (E. Bjorklund, SNS technical note 99, 2003; G. Toussaint, "The Euclidean algorithm
    generates traditional musical rhythms", BRIDGES 2005). turn: steps by which it is turned."""
    steps = max(1, round(beats / step))
    count = min(count, steps)
    at = {(math.floor(number * steps / count) + turn) % steps for number in range(count)}
    return [Hit(pad=pad, beat=round(place * step, 6), velocity=velocity) for place in sorted(at)]


def stuttered(hits: Hits, beats: float, times: int) -> list[Hit]:
    """What begins the last beat is struck so many times in it, in place of what else is there."""
    first = beats - 1
    last = sorted((hit for hit in hits if hit.beat >= first - LEAST_BEAT), key=lambda hit: hit.beat)
    before = sorted((hit for hit in hits if hit.beat < first - LEAST_BEAT), key=lambda hit: hit.beat)
    if not last and not before:
        return list(hits)
    lead = last[0].beat if last else None
    struck = [hit for hit in last if hit.beat == lead] if last else [before[-1]]
    made = [
        _at(hit, first + number / times, id="" if number or hit not in last else hit.id)
        for number in range(times)
        for hit in struck
    ]  # fmt: skip
    return [*before, *made]


def alternated(hits: Hits, one: int, other: int) -> list[Hit]:
    """The hits of two pads, struck in turn."""
    both = sorted((hit for hit in hits if hit.pad in (one, other)), key=lambda hit: hit.beat)
    rest = [hit for hit in hits if hit.pad not in (one, other)]
    return rest + [hit.model_copy(update={"pad": (one, other)[number % 2]}) for number, hit in enumerate(both)]


def where_silent(pad: int, others: Hits, step: float, velocity: int, beats: float) -> list[Hit]:
    """A hit on every step near which none of the others stands."""
    taken = {round(hit.beat / step) % max(1, round(beats / step)) for hit in others}
    return [
        Hit(pad=pad, beat=round(place * step, 6), velocity=velocity) for place in range(round(beats / step)) if place not in taken
    ]
