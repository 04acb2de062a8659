"""Where to cut: each policy proposes places, from what analysis found and from the grid. Nothing is cut here."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.chop.cuts import LEAST_SLICE, LONGEST_HEAD_S, transient_cuts
from grainpocket.core.chop.kin import cuts_of, related, root_of
from grainpocket.core.chop.phrases import phrases
from grainpocket.core.chop.snap import Snapper
from grainpocket.core.listen.drums.roles import all_roles, roles_at
from grainpocket.core.listen.hearing import Hearing
from grainpocket.core.listen.tempo.grids import beat_of, lines, place_of
from grainpocket.core.pocket import Cut, Cutting, Pocket, Role, Source
from grainpocket.core.sound.audio import Samples, mono

MOST_CUTS = 4096
# A chord sounds from the attack that begins it; analysis knows the beat.
CHORD_REACH_S = 0.12
# A slice shorter than this in which nothing is louder than that is nothing anyone would play.
SLIVER_S, SLIVER_DB = 0.010, -60.0
Places = NDArray[np.int64]


class NoCuts(Exception):
    """A policy has nothing to cut by; the message says what to do."""


class Heard(Protocol):
    """What policies look up outside the document."""

    def hearing(self, audio: str) -> Hearing:
        """The analysis of an audio by content hash."""

    def read(self, audio: str, start: int, end: int) -> Samples:
        """(end - start, channels) float32."""


@dataclass(frozen=True)
class Proposal:
    """at: sample of the source; role: what begins there; name: given with it by another source."""

    at: int
    role: Role | None = None
    name: str | None = None


@dataclass(frozen=True)
class _Asked:
    pocket: Pocket
    source: Source
    cutting: Cutting
    hearing: Hearing
    library: Heard
    start: int
    end: int


def propose(
    pocket: Pocket, source: Source, cutting: Cutting, library: Heard, start: int | None = None, end: int | None = None
) -> list[Proposal]:
    """The places to cut a source at, or a stretch of it, rising. Raises NoCuts.

    All but the transients begin a slice with the stretch itself, so that nothing of it is lost.
    """
    low, high = max(0, start or 0), min(source.frames, end if end is not None else source.frames)
    asked = _Asked(pocket, source, cutting, library.hearing(source.audio), library, low, high)
    given: dict[int, Cut] = {}
    if cutting.by == "copied":
        at, given = _copied(asked)
    else:
        at = _PLACES[cutting.by](asked)
    at = at[(at >= low) & (at < high - LEAST_SLICE)]
    if cutting.snap != "off" and cutting.by != "transients" and len(at):
        snapper = Snapper(asked.hearing, source, pocket.rate, library)
        # Where the stretch begins is where the musician said.
        at = np.array([p if p == low else snapper.snap(p, cutting.snap, cutting.step) for p in at.tolist()], np.int64)
    if cutting.by != "transients" and (not len(at) or at[0] > low):
        # A line just behind the start is the start: no slice of a few milliseconds stands before it.
        head = at[1:] if len(at) and at[0] - low < SLIVER_S * pocket.rate else at
        at = np.concatenate(([low], head))
    at = _without_slivers(_apart(np.unique(at), cutting, asked.hearing, pocket.rate), high, asked)
    if len(at) > MOST_CUTS:
        raise NoCuts(f"That would be {len(at)} slices; {MOST_CUTS} are the most. Choose longer ones, or select a part.")
    roles = roles_at(asked.hearing.onsets, at, round(pocket.rate * LONGEST_HEAD_S / 2))
    # What a cut is called goes with it; what it is too, unless this record says otherwise.
    return [
        Proposal(p, role or (given[p].role if p in given else None), given[p].name if p in given else None)
        for p, role in zip(at.tolist(), roles, strict=True)
    ]


def _transients(asked: _Asked) -> Places:
    at = transient_cuts(asked.hearing, asked.cutting.sensitivity)
    if asked.cutting.roles:
        onsets, wanted = asked.hearing.onsets, set(asked.cutting.roles)
        near = np.array([int(np.abs(onsets.at - p).argmin()) for p in at.tolist()], int) if len(onsets.at) else np.zeros(0, int)
        at = at[[bool(wanted & set(all_roles(onsets.roles[i]))) for i in near.tolist()]] if len(near) else at[:0]
    if not len(at):
        raise NoCuts("There is no such transient here. Raise the sensitivity, or keep more roles.")
    return at


def _grid(asked: _Asked) -> Places:
    if asked.source.grid is None:
        raise NoCuts(f"{asked.source.name} has no tempo yet. Set one in Listen, or cut into equal parts.")
    step = asked.cutting.step
    beats = np.abs(beat_of(asked.source.grid, asked.pocket.rate, np.array([asked.start, asked.end], np.float64)))
    if beats.sum() / step > 4 * MOST_CUTS:
        raise NoCuts(f"Slices of {step:g} beats are too many here. Choose longer ones, or select a part.")
    return lines(asked.source.grid, asked.source.frames, asked.pocket.rate, step)


def _parts(asked: _Asked) -> Places:
    edges = asked.start + (asked.end - asked.start) * np.arange(asked.cutting.parts) / asked.cutting.parts
    if (asked.end - asked.start) / asked.cutting.parts < LEAST_SLICE:
        raise NoCuts("Those parts would be too short to play. Choose fewer.")
    return np.round(edges).astype(np.int64)


def _chords(asked: _Asked) -> Places:
    chords, rate = asked.hearing.chords, asked.pocket.rate
    changes = [b.start for a, b in itertools.pairwise(chords) if a.label != b.label]
    if not changes:
        raise NoCuts("No chord changes were heard here. Cut on the grid, or by hand.")
    at = np.round(np.array(changes) * rate).astype(np.int64)
    onsets = asked.hearing.onsets.above(0.5)
    if not len(onsets):
        return at
    near = onsets[np.abs(onsets[None] - at[:, None]).argmin(axis=1)]
    return np.where(np.abs(near - at) <= CHORD_REACH_S * rate, near, at)


def _phrases(asked: _Asked) -> Places:
    samples = mono(asked.library.read(asked.source.audio, asked.start, asked.end))
    found = phrases(samples, asked.pocket.rate, asked.hearing.onsets.above(0.5) - asked.start)
    if not found:
        raise NoCuts("There is no pause to cut at. This works on a voice by itself: a vocal stem, or a passage without the band.")
    endings = asked.cutting.phrase == "endings"
    places = [(p.ending if endings else p.start, p.end) for p in found]
    return asked.start + np.array(sorted({x for pair in places for x in pair}), np.int64)


def _copied(asked: _Asked) -> tuple[Places, dict[int, Cut]]:
    other = asked.pocket.sources.get(asked.cutting.other or "")
    if other is None:
        raise NoCuts("Choose the find whose cuts are to be copied.")
    if related(asked.pocket, asked.source, other):
        root, _ = root_of(asked.pocket, other)
        raise NoCuts(f"Both belong to {root.name}, and share its cuts already.")
    cuts = cuts_of(asked.pocket, other)
    if not cuts:
        raise NoCuts(f"{other.name} has no cuts to copy.")
    at = np.array([cut.at for cut in cuts], np.float64)
    if asked.cutting.align == "offset":
        places = at - asked.cutting.offset
    else:
        if other.grid is None or asked.source.grid is None:
            missing = other if other.grid is None else asked.source
            raise NoCuts(f"{missing.name} has no tempo to align by. Set one in Listen, or align by offset.")
        rate = asked.pocket.rate
        places = place_of(asked.source.grid, rate, beat_of(other.grid, rate, at))
    whole = np.round(places).astype(np.int64)
    return whole, dict(zip(whole.tolist(), cuts, strict=True))


_PLACES: dict[str, Callable[[_Asked], Places]] = {
    "transients": _transients,
    "grid": _grid,
    "parts": _parts,
    "chords": _chords,
    "phrases": _phrases,
}


def _apart(at: Places, cutting: Cutting, hearing: Hearing, rate: int) -> Places:
    """Without those too near to a stronger one."""
    least = max(LEAST_SLICE, round(cutting.shortest * rate / 1000))
    if len(at) < 2 or np.diff(at).min() >= least:
        return at
    strength = _strengths(at, hearing)
    # The first of all holds the head.
    strength[0] = 2.0
    kept: list[int] = []
    for i in np.argsort(-strength, kind="stable").tolist():
        place = int(at[i])
        near = int(np.searchsorted(kept, place))
        if all(abs(place - k) >= least for k in kept[max(0, near - 1) : near + 1]):
            kept.insert(near, place)
    return np.array(kept, np.int64)


def _without_slivers(at: Places, end: int, asked: _Asked) -> Places:
    """Without the cuts that begin a sliver: what it holds ends the slice before it."""
    lengths = np.diff(np.append(at, end))
    silent = []
    for i in np.flatnonzero(lengths < SLIVER_S * asked.pocket.rate).tolist():
        sound = asked.library.read(asked.source.audio, int(at[i]), int(at[i] + lengths[i]))
        if i and (not sound.size or float(np.abs(sound).max()) < 10 ** (SLIVER_DB / 20)):
            silent.append(i)
    return np.delete(at, silent)


def _strengths(at: Sequence[int] | Places, hearing: Hearing) -> NDArray[np.float64]:
    onsets = hearing.onsets
    if not len(onsets.at):
        return np.zeros(len(at))
    near = np.clip(np.searchsorted(onsets.at, at), 0, len(onsets.at) - 1)
    before = np.maximum(near - 1, 0)
    best = np.where(np.abs(onsets.at[before] - at) < np.abs(onsets.at[near] - at), before, near)
    return np.where(np.abs(onsets.at[best] - at) < 0.005 * hearing.rate, onsets.strength[best], 0.0).astype(np.float64)
