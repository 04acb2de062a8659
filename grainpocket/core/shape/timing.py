"""How long a voice is, and what its pitch does, before any of it is rendered."""

from __future__ import annotations

import functools
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from grainpocket.core.effects.chains import tail_of, way_of
from grainpocket.core.shape.curves import Row, falls, filled, oscillator, over_ticks, sounds_for

if TYPE_CHECKING:
    from grainpocket.core.shape.voice import VoiceSpec

LEAST_CHOP = 32  # samples that trimming leaves
USUAL_TEMPO = 120.0
LONGEST_S = 60.0  # of a voice that is bent down


@dataclass(frozen=True, eq=False)
class Timing:
    """body: samples from the hit to the end of the chop as it is played; tail: those that its effects ring on; bend: (lead + body,)
    semitones that move, None where nothing does; stretched: samples of the body before it is bent, where time and pitch part."""

    body: int
    tail: int
    bend: Row | None
    stretched: int | None


def span(spec: VoiceSpec) -> tuple[int, int]:
    """Samples of the source between which it is played: the chop less what is trimmed."""
    sound, rate = spec.sound, spec.rate
    first = spec.start + round(sound.start * rate / 1000)
    last = spec.end - round(sound.end * rate / 1000)
    if last - first < LEAST_CHOP:
        first = min(first, max(spec.start, spec.end - LEAST_CHOP))
        last = min(spec.end, first + LEAST_CHOP)
    return first, last


def part_of(spec: VoiceSpec) -> tuple[int, int]:
    """Samples after the start of the span between which a part has its own settings; none: both the same."""
    first, last = span(spec)
    sound = spec.sound
    a = min(round(sound.part_from * spec.rate / 1000), last - first)
    b = min(round(sound.part_to * spec.rate / 1000), last - first)
    return (a, b) if b > a else (0, 0)


def source_frames(spec: VoiceSpec) -> int:
    """Samples of the chop in playing order, its part as long as it is."""
    first, last = span(spec)
    a, b = part_of(spec)
    return int(last - first + round((b - a) * (spec.sound.part_time / 100 - 1)))


@functools.lru_cache(maxsize=4096)
def timing_of(spec: VoiceSpec) -> Timing:
    """How long each stage of a voice lasts, in samples, before any of it is rendered."""
    sound, rate, lead = spec.sound, spec.rate, spec.lead(spec.rate)
    count = source_frames(spec)
    held = spec.held if sound.play == "loop" else None
    ratio = 2.0 ** (sound.pitch / 12)
    if sound.time == "fit":
        stretched: int | None = max(1, round(sound.beats * 60 / (spec.tempo or USUAL_TEMPO) * rate))
    elif sound.time == "keep":
        stretched = max(1, round(count / (sound.speed / 100)))
    else:
        stretched = None
    usual = stretched if stretched is not None else max(1, round(count / ratio))
    most = held if held is not None else usual
    bend = None
    if _moves(spec):
        # Bent down it lasts longer: as far as the deepest bend could make it.
        reach = most
        if held is None and stretched is None:
            reach = min(int(most * 2.0 ** (_deepest(spec) / 12)) + 1, int(LONGEST_S * rate))
        bend = _bend(spec, lead + reach, lead)
        if held is None and stretched is None:
            passed = np.cumsum(2.0 ** ((sound.pitch + bend[lead:]) / 12))
            most = int(np.searchsorted(passed, count)) + 1
            most = min(most, reach)
        bend = bend[: lead + most]
    ends = sounds_for(sound)
    if ends is not None:
        most = min(most, max(1, int(ends * rate) + 1))
        bend = bend[: lead + most] if bend is not None else None
    tail = tail_of(way_of(sound.chain, rate, 60 / (spec.tempo or USUAL_TEMPO) * rate), rate) if sound.chain else 0
    return Timing(most, tail, bend, stretched if held is None or stretched is None else held)


def _moves(spec: VoiceSpec) -> bool:
    s = spec.sound
    return bool(s.lfo1_pitch or s.lfo2_pitch or s.pitch_amount or s.motion_pitch or spec.glide)


def _deepest(spec: VoiceSpec) -> float:
    s = spec.sound
    down = s.lfo1_pitch + s.lfo2_pitch + max(0.0, -s.pitch_amount) + max(0.0, -s.motion_pitch) + max(0.0, -spec.glide)
    return float(down)


def _bend(spec: VoiceSpec, frames: int, lead: int) -> Row:
    """(frames,) semitones by which the pitch is off its own."""
    sound = spec.sound
    at, t = over_ticks(frames, lead, spec.rate)
    total = np.zeros(len(at))
    for number in (1, 2):
        depth = getattr(sound, f"lfo{number}_pitch")
        if depth:
            total += depth * oscillator(sound, number, t, spec.tempo or USUAL_TEMPO, spec.phases[number - 1])
    if sound.pitch_amount:
        total += sound.pitch_amount * falls(t, sound.pitch_attack, sound.pitch_decay)
    if sound.motion_pitch:
        total += sound.motion_pitch * falls(t, sound.motion_attack, sound.motion_decay, sound.motion_sustain / 100)
    if spec.glide and sound.glide:
        total += spec.glide * np.maximum(0.0, 1 - t / (sound.glide / 1000))
    return filled(at, total, frames)
