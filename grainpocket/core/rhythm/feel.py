"""Feel: timing and accents by step, taken from a record or our own, laid over hits; and what strays by a seed.

Timing is a bend of the line of time: the lines of the feel's grid come late or early, and what stands between two of them goes
along. Nothing that is written moves until it is asked for.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.pocket import Feel, FeelUse, Hit, Pattern, Pocket
from grainpocket.core.rhythm.lanes import PLAIN, share
from grainpocket.core.rhythm.timing import swung

Floats = NDArray[np.float64]
# A hit further than this from its line, in steps, is that of another line.
REACH = 0.5
# How far accents go down and up: a feel never makes silent or doubles.
SOFTEST, HARDEST = 0.35, 1.4


def _feel(key: str, name: str, step: float, offsets: Sequence[float], accents: Sequence[float] = ()) -> Feel:
    return Feel(id=key, name=name, step=step, offsets=tuple(offsets), accents=tuple(accents))


def _late(share_: float) -> float:
    """Beats that the second of two sixteenths comes late when the first takes so much of the pair."""
    return 0.5 * (share_ - 0.5)


# Made by us from what is told of playing in general: swing of both kinds, a backbeat behind, hats ahead, a heel-and-toe of accents.
OURS: Mapping[str, Feel] = {
    feel.id: feel
    for feel in (
        _feel("leaning", "Leaning", 0.25, (0, _late(0.54)), (1.05, 0.8, 1.0, 0.85)),
        _feel("rolling", "Rolling", 0.25, (0, _late(0.6)), (1.1, 0.7, 0.95, 0.75)),
        _feel("long-short", "Long and short 8ths", 0.25, (0, 1 / 24, 1 / 6, 1 / 12), (1.1, 0.8, 0.9, 0.8)),
        _feel("behind", "Backbeat behind", 0.25, (0, 0, 0, 0, 0.035, 0.01, 0, 0), (1, 0.8, 0.95, 0.8, 1.15, 0.8, 0.95, 0.8)),
        _feel("ahead", "Off-beats ahead", 0.25, (0, -0.01, -0.025, -0.01), (1, 0.85, 1.1, 0.85)),
        _feel("heel-toe", "Heel and toe", 0.5, (0, 0.012), (1.15, 0.7)),
        _feel(
            "stumbling", "Stumbling", 0.25, (0, 0.05, -0.01, 0.06, 0.03, 0.045, -0.02, 0.02),
            (1.1, 0.8, 0.9, 0.75, 1.1, 0.7, 0.95, 0.85),
        ),
        _feel(
            "one", "Weight on one", 0.25, (0,) * 16,
            (1.3, 0.8, 0.9, 0.8, 1, 0.8, 0.9, 0.8, 1.1, 0.8, 0.9, 0.8, 1, 0.8, 0.9, 0.8),
        ),
    )
}  # fmt: skip


def feel_of(pocket: Pocket, key: str) -> Feel | None:
    """A feel of the pocket, or one of our own."""
    return pocket.feels.get(key) or OURS.get(key)


def late(feel: Feel, beats: Floats) -> Floats:
    """Beats that each place comes late: on a step its offset, between two steps between their offsets."""
    grid = np.arange(len(feel.offsets)) * feel.step
    return np.asarray(np.interp(beats, grid, np.array(feel.offsets), period=len(feel.offsets) * feel.step), np.float64)


def accent(feel: Feel, beats: Floats) -> Floats:
    """Factor of the velocity at each place: that of the nearest step."""
    if not feel.accents:
        return np.ones(len(beats))
    return np.array(feel.accents)[np.rint(beats / feel.step).astype(np.int64) % len(feel.accents)]


def lifted(key: str, name: str, at: Floats, levels: Floats, beats: float, step: float, most: float) -> Feel:
    """The feel of a record. at: beats from its first bar line at which it was struck; levels: how loud, linear, (n,) each; beats:
    of the stretch; step: of its grid; most: beats after which it begins again.

    Each step takes the place of the hit nearest to it, of several rounds their mean. A step that nothing strikes goes as the other
    steps at its place of the beat do (the median), so that what is laid there swings along.
    """
    steps = max(1, round(min(beats, most) / step))
    near = np.rint(at / step)
    off = at - near * step
    where = near.astype(np.int64) % steps
    struck = np.abs(off) < REACH * step
    place, loud = np.full(steps, np.nan), np.full(steps, np.nan)
    for number in range(steps):
        mine = struck & (where == number)
        if mine.any():
            place[number], loud[number] = float(off[mine].mean()), float(levels[mine].mean())
    loud = loud / np.nanmean(loud) if np.isfinite(loud).any() else np.ones(steps)
    a_beat = max(1, round(1 / step))
    for column in (place, loud):
        for number in np.flatnonzero(np.isnan(column)).tolist():
            # Beside it stand the steps at the same place of the beat; if none is struck, those of the same half.
            for group in (a_beat, 2):
                alike = column[number % group :: group]
                if np.isfinite(alike).any():
                    column[number] = float(np.nanmedian(alike))
                    break
    place = np.where(np.isnan(place), 0.0, place)
    # Velocity goes with the root of the level (core/rhythm/schedule.velocity_gain).
    accents = np.clip(np.sqrt(np.where(np.isnan(loud), 1.0, loud)), SOFTEST, HARDEST)
    return Feel(id=key, name=name, step=step, offsets=tuple(place.round(9).tolist()), accents=tuple(accents.round(4).tolist()))


def used(pocket: Pocket, pattern: Pattern) -> tuple[Feel, ...]:
    """The feels that lie over a pattern or its lanes."""
    uses = [pattern.feel, *(lane.feel for lane in pattern.lanes.values())]
    return tuple(feel for use in uses if use is not None and (feel := feel_of(pocket, use.feel)) is not None)


def is_felt(pattern: Pattern) -> bool:
    """Whether anything lies over the hits but swing."""
    return bool(pattern.feel or pattern.loose or pattern.uneven or any(lane.feel for lane in pattern.lanes.values()))


def accented(pattern: Pattern, hits: Sequence[Hit], feels: Mapping[str, Feel]) -> list[Hit]:
    """Hits with the accents of what lies over them, and uneven where that is asked for."""
    if not is_felt(pattern):
        return list(hits)
    out = []
    for number, hit in enumerate(hits):
        use = _use(pattern, hit.pad)
        factor = 1.0
        if use is not None and use.feel in feels:
            factor += (float(accent(feels[use.feel], np.array([hit.beat]))[0]) - 1.0) * use.accent / 100
        stray = pattern.uneven * _stray(pattern.seed, f"velocity {hit.id} {number}") if pattern.uneven else 0.0
        velocity = max(1, min(127, round(hit.velocity * factor + stray)))
        out.append(hit if velocity == hit.velocity else hit.model_copy(update={"velocity": velocity}))
    return out


def played_at(pattern: Pattern, hits: Sequence[Hit], feels: Mapping[str, Feel], tempo: float) -> Floats:
    """(n,) beats at which hits are heard: swing, feel and what strays."""
    beats = np.array([hit.beat for hit in hits])
    if not pattern.lanes and not is_felt(pattern):
        return swung(beats, pattern.swing, pattern.swing_step)
    at = beats.copy()
    pads = np.array([hit.pad for hit in hits], np.int64)
    for pad in np.unique(pads).tolist():
        mine = pads == pad
        lane = pattern.lanes.get(pad, PLAIN)
        swing = pattern.swing if lane.swing is None else lane.swing
        at[mine] = swung(beats[mine], swing, pattern.swing_step)
        use = _use(pattern, pad)
        if use is not None and use.feel in feels and use.place:
            at[mine] += late(feels[use.feel], beats[mine]) * use.place / 100
    if pattern.loose:
        ms = tempo / 60_000
        at += np.array([_stray(pattern.seed, f"place {hit.id} {n}") for n, hit in enumerate(hits)]) * pattern.loose * ms
    return at


def lines(pocket: Pocket, pattern: Pattern, step: float = 0.25) -> list[float]:
    """The beats at which the steps of a pattern are heard: its grid as swing and feel bend it."""
    hits = [Hit(pad=0, beat=number * step) for number in range(round(pattern.beats / step))]
    straight = pattern.model_copy(update={"lanes": {}, "loose": 0.0})
    heard: list[float] = played_at(straight, hits, {one.id: one for one in used(pocket, pattern)}, pocket.tempo).round(5).tolist()
    return heard


def _use(pattern: Pattern, pad: int) -> FeelUse | None:
    lane = pattern.lanes.get(pad)
    return lane.feel if lane is not None and lane.feel is not None else pattern.feel


def _stray(seed: int, what: str) -> float:
    """From -1 to 1, most often near 0."""
    return share(seed, what) + share(seed, f"{what} again") - 1.0
