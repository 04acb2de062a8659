"""A song to timed events: its sections one after the other, each with its patterns round and round."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass

from grainpocket.core.document.song import Section
from grainpocket.core.pocket import Pocket
from grainpocket.core.rhythm.schedule import Placement, Schedule, schedule_of


@dataclass(frozen=True)
class Stretch:
    """One time through a section. at: beat of the song; turn: which of its repeats, from 0."""

    section: Section
    at: float
    turn: int


def stretches(pocket: Pocket) -> Iterator[Stretch]:
    """All of the song in order, repeats written out."""
    at = 0.0
    for key in pocket.song:
        section = pocket.sections.get(key)
        if section is None:
            continue
        for turn in range(section.repeats):
            yield Stretch(section, at, turn)
            at += section.beats


def beats_of(pocket: Pocket) -> float:
    """Length of the song in beats."""
    return float(sum(pocket.sections[key].beats * pocket.sections[key].repeats for key in pocket.song if key in pocket.sections))


def song_schedule(pocket: Pocket, first: float = 0.0, last: float = math.inf) -> Schedule:
    """Events of the song, or of its beats from `first` to `last`, which then begin at beat 0."""
    end = min(last, beats_of(pocket))
    placed = []
    for stretch in stretches(pocket):
        section = stretch.section
        if stretch.at >= end or stretch.at + section.beats <= first:
            continue
        for key in section.patterns:
            pattern = pocket.patterns.get(key)
            if pattern is None:
                continue
            rounds = math.ceil(section.beats / pattern.beats)
            for again in range(rounds):
                at = stretch.at + again * pattern.beats
                until = min(pattern.beats, section.beats - again * pattern.beats, end - at)
                if until > 0 and at + until > first:
                    turn = stretch.turn * rounds + again
                    placed.append(Placement(pattern, at - first, until, section.muted, max(0.0, first - at), turn))
    return schedule_of(pocket, placed, max(0.0, end - first), cyclic=False)
