"""A voice with all of its settings, in order: chop, part, loop, time and pitch, filter, envelope, motion, effects, level and pan.

The plain voice (core/shape/voice) is the same with nothing set, and is not rendered here.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import soxr

from grainpocket.core.effects.base import balance
from grainpocket.core.effects.chains import through, way_of
from grainpocket.core.shape.correction import corrected
from grainpocket.core.shape.curves import Row, amplitude, falls, filled, oscillator, over_ticks, seconds, sounds_for
from grainpocket.core.shape.drive import driven
from grainpocket.core.shape.edges import fade_in, ramp
from grainpocket.core.shape.filters import band, band_reach, filtered
from grainpocket.core.shape.loops import unrolled
from grainpocket.core.shape.resampling import HALF, read_at
from grainpocket.core.shape.stretching import formants_moved, stretched, with_part
from grainpocket.core.shape.timing import USUAL_TEMPO, Timing, part_of, source_frames, span, timing_of
from grainpocket.core.sound.audio import Samples, gain_of, stereo

if TYPE_CHECKING:
    from grainpocket.core.shape.voice import Reader, VoiceSpec

_MARGIN = 96


def shaped(spec: VoiceSpec, reader: Reader) -> Samples:
    """(lead + length, 2) float32: the lead, the body and what its effects ring on."""
    sound, rate, lead, time = spec.sound, spec.rate, spec.lead(spec.rate), timing_of(spec)
    out = _pitched(spec, reader, time)
    if sound.formant:
        out = formants_moved(out, sound.formant)
    t = seconds(len(out), lead, rate)
    out = _filtered(out, spec, t)
    # Behind the drive: in front of it a fade would be driven away.
    _fades(out, spec, reader, time)
    level = _levels(spec, t)
    if level is not None:
        out *= level[:, None].astype(np.float32)
    if sound.chain:
        beat = 60 / (spec.tempo or USUAL_TEMPO) * rate
        out = through(way_of(sound.chain, rate, beat), np.concatenate((out, np.zeros((time.tail, 2), np.float32))))
        if time.tail:
            # What would ring on longer than it may is faded.
            end = min(time.tail, rate // 20)
            out[-end:] *= ramp(end)[::-1, None]
    out = _panned(out, spec, lead)
    if sound.level:
        out *= gain_of(sound.level)
    return out


def _chop(spec: VoiceSpec, reader: Reader, before: int, after: int) -> tuple[Samples, int]:
    """(samples in playing order with so many before and after, index of the hit)."""
    sound, rate = spec.sound, spec.rate
    first, last = span(spec)
    reach = band_reach(sound.band_from, sound.band_to, rate)
    if sound.reverse:
        before, after = after, before
    x = stereo(reader.read(spec.audio, first - before - reach, last + after + reach)).copy()
    if sound.band_from or sound.band_to:
        x = band(x, sound.band_from, sound.band_to, rate)
    if reach:
        x = x[reach:-reach]
    if sound.normalise:
        peak = float(np.abs(x[before : before + last - first]).max(initial=0.0))
        x = x / np.float32(peak) if peak > 1e-6 else x
    if sound.flip:
        x = -x
    if spec.scale:
        x = corrected(x, rate, spec.scale, sound.tune_strength / 100, sound.tune_ms / 1000)
    a, b = part_of(spec)
    if b > a:
        body = with_part(
            x[before : before + last - first], rate, a, b, sound.part_pitch, sound.part_level, sound.part_time / 100
        )  # fmt: skip
        nominal = source_frames(spec)
        body = body[:nominal] if len(body) >= nominal else np.pad(body, ((0, nominal - len(body)), (0, 0)))
        x = np.concatenate((x[:before], body, x[before + last - first :]))
    return (np.ascontiguousarray(x[::-1]), after) if sound.reverse else (x, before)


def _pitched(spec: VoiceSpec, reader: Reader, time: Timing) -> Samples:
    """(lead + body, 2) at its pitch and speed, edges as they are cut."""
    sound, lead, count = spec.sound, spec.lead(spec.rate), source_frames(spec)
    ratio = 2.0 ** (sound.pitch / 12)
    wanted = lead + time.body
    speeds = None if time.bend is None else 2.0 ** (((sound.pitch if time.stretched is None else 0.0) + time.bend) / 12)
    fastest = ratio if speeds is None else float(speeds.max())
    margin = int(np.ceil(HALF * max(1.0, fastest))) + _MARGIN
    before = int(np.ceil(lead * fastest)) + margin
    x, zero = _chop(spec, reader, before, margin)
    if sound.play == "loop" and spec.held is not None:
        needed = int(np.ceil(time.body * fastest * (sound.speed / 100 if sound.time == "keep" else 1.0))) + margin
        ms = spec.rate / 1000
        end = count if sound.loop_to <= 0 else round(sound.loop_to * ms)
        first, fade = round(sound.loop_from * ms), round(sound.loop_fade * ms)
        body = unrolled(x[zero : zero + count], first, end, fade, sound.loop_way, needed)
        x, count = np.concatenate((x[:zero], body)), max(count, needed - margin)
    if time.stretched is not None:
        y = stretched(x[zero : zero + count], spec.rate, time.stretched, sound.pitch, _marks(spec, count), sound.protect)
        x, zero, ratio = np.concatenate((np.zeros((lead, 2), np.float32), y)), lead, 1.0
    if speeds is not None:
        places = zero - lead * speeds[0] + np.concatenate(([0.0], np.cumsum(speeds[:-1])))
        return read_at(x, places, speeds)
    if ratio != 1.0:
        ahead = int(round(lead * ratio)) + _MARGIN
        x = np.asarray(soxr.resample(x[zero - ahead :], ratio, 1.0, quality="VHQ"), np.float32)
        zero = lead + int(round(_MARGIN / ratio))
    out = np.zeros((wanted, 2), np.float32)
    piece = x[zero - lead : zero - lead + wanted]
    out[: len(piece)] = piece
    return out


def _marks(spec: VoiceSpec, count: int) -> tuple[int, ...]:
    """Where attacks begin in it, in playing order."""
    first, last = span(spec)
    inside = [mark - first for mark in spec.marks if first < mark < last]
    return tuple(sorted(count - mark for mark in inside)) if spec.sound.reverse else tuple(inside)


def _fades(out: Samples, spec: VoiceSpec, reader: Reader, time: Timing) -> None:
    sound, rate, lead = spec.sound, spec.rate, spec.lead(spec.rate)
    first, last = span(spec)
    there = max(0, reader.frames(spec.audio) - last) if sound.reverse else max(0, first)
    apart = time.stretched is not None
    real = 0 if apart else min(lead, int(there / 2.0 ** (sound.pitch / 12)))
    fade_in(out, lead, real, spec.joined_before)
    rise = min(round(sound.fade_in * rate / 1000), len(out) - lead)
    if rise > 0:
        out[:lead] = 0
        out[lead : lead + rise] *= ramp(rise)[:, None]
    # An envelope that has come to silence by itself needs no fade there; it gets one all the same where it is cut off.
    ends_itself = (ends := sounds_for(sound)) is not None and ends * rate <= time.body
    ms = max(sound.fade_out, 0.0 if spec.joined_after or ends_itself else spec.fade_out_edge)
    fall = min(round(ms * rate / 1000), len(out) - lead)
    if fall > 0:
        out[len(out) - fall :] *= ramp(fall)[::-1, None]


def _levels(spec: VoiceSpec, t: Row) -> Row | None:
    """The envelope and what turns the level, as gains; None where nothing does."""
    sound, tempo = spec.sound, spec.tempo or USUAL_TEMPO
    out: Row | None = None
    if sound.attack or sound.hold or sound.decay or sound.sustain < 0:
        out = amplitude(sound, _since_marks(spec, t) if sound.anew else t)
    for number in (1, 2):
        depth = getattr(sound, f"lfo{number}_level") / 100
        if depth:
            at, ticks = over_ticks(len(t), spec.lead(spec.rate), spec.rate)
            turned = 1 - depth * (0.5 - 0.5 * oscillator(sound, number, ticks, tempo, spec.phases[number - 1]))
            out = filled(at, turned, len(t)) if out is None else out * filled(at, turned, len(t))
    return out


def _since_marks(spec: VoiceSpec, t: Row) -> Row:
    """Seconds after the last transient."""
    count, time = source_frames(spec), timing_of(spec)
    places = np.array([0, *_marks(spec, count)]) / max(1, count) * time.body / spec.rate
    return np.asarray(t - places[np.searchsorted(places, t, side="right") - 1])


def _filtered(out: Samples, spec: VoiceSpec, t: Row) -> Samples:
    sound, rate, lead = spec.sound, spec.rate, spec.lead(spec.rate)
    if sound.drive or sound.motion_drive:
        moved = sound.drive + sound.motion_drive * falls(t, sound.motion_attack, sound.motion_decay, sound.motion_sustain / 100)
        out = driven(out, np.clip(moved, 0.0, 36.0))
    if sound.filter == "off":
        return out
    at, ticks = over_ticks(len(out), lead, rate)
    semitones = np.full(len(ticks), sound.filter_key / 100 * spec.note)
    if sound.filter_amount:
        semitones += sound.filter_amount * falls(ticks, sound.filter_attack, sound.filter_decay, sound.filter_sustain / 100)
    if sound.motion_cutoff:
        semitones += sound.motion_cutoff * falls(ticks, sound.motion_attack, sound.motion_decay, sound.motion_sustain / 100)
    for number in (1, 2):
        depth = getattr(sound, f"lfo{number}_cutoff")
        if depth:
            semitones += depth * oscillator(sound, number, ticks, spec.tempo or USUAL_TEMPO, spec.phases[number - 1])
    cutoff = filled(at, sound.cutoff * 2.0 ** (semitones / 12), len(out))
    return filtered(out, sound.filter, sound.slope, cutoff, sound.resonance, rate)


def _panned(out: Samples, spec: VoiceSpec, lead: int) -> Samples:
    sound = spec.sound
    if not (sound.pan or sound.motion_pan or sound.lfo1_pan or sound.lfo2_pan):
        return out
    at, t = over_ticks(len(out), lead, spec.rate)
    place = np.full(len(at), sound.pan / 100)
    if sound.motion_pan:
        place += sound.motion_pan / 100 * falls(t, sound.motion_attack, sound.motion_decay, sound.motion_sustain / 100)
    for number in (1, 2):
        depth = getattr(sound, f"lfo{number}_pan") / 100
        if depth:
            place += depth * oscillator(sound, number, t, spec.tempo or USUAL_TEMPO, spec.phases[number - 1])
    pan = filled(at, np.clip(place, -1, 1), len(out))
    return np.asarray(out * balance(pan), np.float32)
