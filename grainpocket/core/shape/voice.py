"""One pad hit to sound.

Edges. A chop that starts or ends in the open is faded so that it cannot click: the fade in lies *before* its start, over
the record's own samples there, so that the attack stays whole; the fade out lies before its end. Where two chops that
were neighbours in the record are played back to back, the join is left bare on both sides: the record simply goes on,
and their sum is the record to the last bit.
"""

from __future__ import annotations

import functools
import hashlib
import json
import math
from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass, field, replace
from typing import Protocol

import numpy as np
import soxr

from grainpocket.core.chop.kin import cuts_of
from grainpocket.core.document.sound import NEUTRAL, Sound, bends, changed, moved_by
from grainpocket.core.notes import CHORDS, SCALES
from grainpocket.core.params import Value
from grainpocket.core.pocket import RATE, Chop, Pad, Pocket, Source
from grainpocket.core.shape.edges import fade_in, ramp
from grainpocket.core.shape.playing import in_key, sounding, zone_of
from grainpocket.core.shape.shaped import shaped
from grainpocket.core.shape.timing import source_frames, timing_of
from grainpocket.core.sound.audio import Samples, gain_of, stereo

ENGINE = "4"
_MARGIN = 96
HELD_S = 8.0  # under the hand, what goes round and round does so for this long
HELD_STEP_S = 0.5
VELOCITY_STEP = 8  # one voice for so many velocities, where more than the level depends on them
VELOCITY_STEPS: tuple[int, ...] = (*range(VELOCITY_STEP, 128, VELOCITY_STEP), 127)  # the hardest is itself
PHASES = 32


class Reader(Protocol):
    """Gives stretches of stored audio."""

    def read(self, audio: str, start: int, end: int) -> Samples:
        """(end - start, 1 or 2) float32; positions outside the audio are silence."""

    def frames(self, audio: str) -> int:
        """Length of the audio in samples."""


@dataclass(frozen=True)
class VoiceSpec:
    """Everything that shapes a voice. start and end are samples in `audio`, beyond which is silence; sound: its settings, with
    all levels and pitches that come together in it; fades in ms; joined edges are left bare; layers sound along with it from the
    same hit, each after its delay in samples. The rest is set only where the sound asks for it: tempo in BPM; note: semitones
    above the root, for what follows keys; glide: semitones at which it comes in; phases: rounds that its oscillators have behind
    them; held: samples for which it goes round; marks: samples of the source at which attacks begin;
    scale: pitch classes that its notes are pulled to."""

    audio: str
    start: int
    end: int
    sound: Sound = NEUTRAL
    fade_in_edge: float = 0.7
    fade_out_edge: float = 5.0
    joined_before: bool = False
    joined_after: bool = False
    layers: tuple[VoiceSpec, ...] = ()
    rate: int = RATE
    tempo: float | None = None
    note: int = 0
    glide: float = 0.0
    phases: tuple[float, float] = (0.0, 0.0)
    held: int | None = None
    marks: tuple[int, ...] = ()
    scale: tuple[int, ...] = ()
    delay: int = 0

    @functools.cached_property
    def ratio(self) -> float:
        """Source samples a rendered sample, before anything bends it."""
        time = timing_of(self)
        if time.stretched is not None:
            return source_frames(self) / time.stretched
        return float(2.0 ** (self.sound.pitch / 12.0))

    @functools.cached_property
    def length(self) -> int:
        """Samples from the hit to the end of the voice, its effects included."""
        time = timing_of(self)
        return max((self.delay + time.body + time.tail, *(layer.length for layer in self.layers)))

    def lead(self, rate: int) -> int:
        """Samples of fade in before the hit, as rendered."""
        return lead_frames(self.fade_in_edge, rate)

    def key(self, rate: int) -> str:
        """Names the rendered voice: equal keys, equal bytes."""
        return _key(self, rate)


@functools.lru_cache(maxsize=1 << 16)
def _key(spec: VoiceSpec, rate: int) -> str:
    text = json.dumps(["voice", ENGINE, rate, asdict(spec)], sort_keys=True, default=lambda sound: sound.model_dump())
    return hashlib.sha256(text.encode()).hexdigest()[:32]


def lead_frames(fade_in_edge: float, rate: int) -> int:
    """Samples that a fade of so many milliseconds before the attack takes, at a rate in Hz."""
    return int(round(fade_in_edge * rate / 1000.0))


@dataclass(frozen=True)
class Stroke:
    """What a hit asks of a voice. take: which of the pad's chops, 0 for its own (one that it has not is its own); note: semitones
    above the pad's pitch; own: settings that stand in place of the pad's; velocity: 1 to 127; turn: how many hits of this pad came
    before; glide: semitones from the note before; phases: rounds that free oscillators have behind them; held: samples until it is
    let go, its release included."""

    take: int = 0
    note: int = 0
    own: Mapping[str, Value] = field(default_factory=dict)
    velocity: int = 127
    turn: int = 0
    glide: float = 0.0
    phases: tuple[float, float] = (0.0, 0.0)
    held: int | None = None


PLAIN = Stroke()


def under_the_hand(pad: Pad, note: int = 0) -> Stroke:
    """A pad or key pressed for nobody knows how long."""
    held = int(HELD_S * RATE) if pad.sound.play == "loop" else None
    return Stroke(note=note, held=held)


def spec_of(pocket: Pocket, pad: Pad, stroke: Stroke = PLAIN) -> VoiceSpec:
    """The voice of a pad as it sounds by itself, or in a hit."""
    sound = changed(pad.sound, stroke.own) if stroke.own else pad.sound
    sound = _played(sound, stroke)
    note = in_key(pocket, sound, stroke.note)
    chop, zone = zone_of(pad, sound, note, stroke.take)
    pitched = sound.model_copy(update={"pitch": sound.pitch + zone}) if zone else sound
    spec = _spec(pocket, chop, pitched, note, stroke)
    whole = [spec]
    for layer in sounding(pad.layers, stroke):
        own = _on_top(pitched, _played(layer.sound, stroke))
        whole.append(replace(_spec(pocket, layer.chop, own, note, stroke), delay=round(layer.delay * pocket.rate / 1000)))
    for spread in (_chord, _copies):
        whole = [one for each in whole for one in spread(each, sound)]
    return replace(whole[0], layers=tuple(whole[1:])) if len(whole) > 1 else whole[0]


def _played(sound: Sound, stroke: Stroke) -> Sound:
    if sound.by_velocity:
        sound = moved_by(sound, sound.by_velocity, stroke.velocity / 127 - 1)
    if sound.by_wheel and sound.wheel:
        sound = moved_by(sound, sound.by_wheel, sound.wheel / 100)
    return sound


def _chord(spec: VoiceSpec, sound: Sound) -> Iterator[VoiceSpec]:
    yield spec
    for interval in CHORDS[sound.chord][1:] if sound.chord != "off" else ():
        yield replace(spec, sound=spec.sound.model_copy(update={"pitch": spec.sound.pitch + interval}), note=spec.note + interval)


def _copies(spec: VoiceSpec, sound: Sound) -> Iterator[VoiceSpec]:
    """Detuned copies, from left to right, together as loud as one."""
    count = round(sound.copies)
    if not sound.spread or count < 2:
        yield spec
        return
    for number in range(count):
        place = 2 * number / (count - 1) - 1
        own = {
            "pitch": spec.sound.pitch + place * sound.spread / 100,
            "pan": max(-100.0, min(100.0, spec.sound.pan + place * 60)),
            "level": spec.sound.level - 10 * math.log10(count),
        }
        yield replace(spec, sound=spec.sound.model_copy(update=own))


def _on_top(sound: Sound, layer: Sound) -> Sound:
    return layer.model_copy(update={"level": sound.level + layer.level, "pitch": sound.pitch + layer.pitch})


def _spec(pocket: Pocket, chop: Chop, sound: Sound, note: int, stroke: Stroke) -> VoiceSpec:
    source = pocket.sources[chop.source]
    spec = VoiceSpec(
        audio=source.audio,
        start=chop.start,
        end=chop.end,
        sound=sound.model_copy(update={"level": sound.level + source.trim}) if source.trim else sound,
        fade_in_edge=pocket.fade_in_edge,
        fade_out_edge=pocket.fade_out_edge,
        rate=pocket.rate,
    )
    if not bends(sound):
        return spec
    stretches = sound.time != "repitch"
    return replace(
        spec,
        tempo=pocket.tempo if sound.time == "fit" or sound.chain or sound.lfo1_synced or sound.lfo2_synced else None,
        note=note if sound.filter_key else 0,
        glide=stroke.glide if sound.glide else 0.0,
        phases=(stroke.phases[0] if sound.lfo1_free else 0.0, stroke.phases[1] if sound.lfo2_free else 0.0),
        held=stroke.held if sound.play == "loop" else None,
        scale=_scale(pocket, sound) if sound.tune != "off" else (),
        marks=_attacks(pocket, source, chop) if sound.anew or (stretches and sound.protect != "tone") else (),
    )


def _scale(pocket: Pocket, sound: Sound) -> tuple[int, ...]:
    """Pitch classes that correction pulls to: those of the record, so that its own pitch on top leads into the key."""
    if sound.tune == "all" or pocket.key is None:
        return tuple(range(12))
    down = round(sound.pitch) if sound.time != "repitch" else 0
    return tuple(sorted((pocket.key.tonic + step - down) % 12 for step in SCALES[pocket.key.mode]))


def _attacks(pocket: Pocket, source: Source, chop: Chop) -> tuple[int, ...]:
    return tuple(cut.at for cut in cuts_of(pocket, source) if chop.start < cut.at < chop.end)


def render(spec: VoiceSpec, reader: Reader, rate: int) -> Samples:
    """(lead + length, 2) float32: `spec.lead(rate)` samples of fade in, then the voice from its hit on."""
    if spec.layers or spec.delay:
        out = np.zeros((spec.lead(rate) + spec.length, 2), np.float32)
        for one in (replace(spec, layers=()), *spec.layers):
            sound = render(replace(one, delay=0), reader, rate)
            out[one.delay : one.delay + len(sound)] += sound
        return out
    if is_plain(spec):
        return _plain(spec, reader, rate)
    return shaped(spec, reader)


# What the plain voice knows of, and what changes nothing unless something else is set with it.
_PLAINLY = (
    "level", "pitch", "fade_out", "reverse", "release", "root", "wheel", "by_velocity", "by_wheel", "chord", "spread", "copies",
    "in_key", "voices", "most_voices", "glide",
)  # fmt: skip


def is_plain(spec: VoiceSpec) -> bool:
    """Whether a voice is no more than its chop at a level and a speed."""
    loops = spec.sound.play == "loop" and spec.held is not None
    return not loops and not spec.glide and all(name in _PLAINLY or name == "play" for name in spec.sound.differing)


def _plain(spec: VoiceSpec, reader: Reader, rate: int) -> Samples:
    lead, length = spec.lead(rate), spec.length
    wanted = lead + length
    before, body = _source_stretch(spec, reader, lead)
    if spec.sound.pitch:
        body = soxr.resample(body, spec.ratio, 1.0, quality="VHQ")
        skip = int(round(_MARGIN / spec.ratio))
        body = body[skip : skip + wanted]
    out = np.zeros((wanted, 2), np.float32)
    out[: len(body)] = stereo(np.ascontiguousarray(body[:wanted], dtype=np.float32))
    fade_in(out, lead, 0 if spec.joined_before else min(lead, int(before / spec.ratio)), spec.joined_before)
    ms = max(spec.sound.fade_out, 0.0 if spec.joined_after else spec.fade_out_edge)
    count = min(int(round(ms * rate / 1000.0)), len(out) - lead)
    if count > 0:
        out[-count:] *= ramp(count)[::-1, None]
    if spec.sound.level:
        out *= gain_of(spec.sound.level)
    return out


def _source_stretch(spec: VoiceSpec, reader: Reader, lead: int) -> tuple[int, Samples]:
    """The samples to render from, in playing order, and how many real ones stand before the hit."""
    ahead = int(round(lead * spec.ratio))
    extra = _MARGIN if spec.sound.pitch else 0
    if spec.sound.reverse:
        stretch = reader.read(spec.audio, spec.start - extra, spec.end + ahead + extra)[::-1]
        return min(ahead, max(0, reader.frames(spec.audio) - spec.end)), np.ascontiguousarray(stretch)
    return min(ahead, max(0, spec.start)), reader.read(spec.audio, spec.start - ahead - extra, spec.end + extra)
