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
from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from types import MappingProxyType
from typing import Protocol

import numpy as np
import soxr

from grainpocket.core.document.sound import NEUTRAL, Sound, changed
from grainpocket.core.params import Value
from grainpocket.core.pocket import Chop, Pad, Pocket
from grainpocket.core.sound.audio import Samples, gain_of, stereo

ENGINE = "3"
# Without any sound before it to fade in over, a start is ramped over this many samples.
BARE_RAMP = 8
_MARGIN = 96
NOTHING: Mapping[str, Value] = MappingProxyType({})


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
    same hit."""

    audio: str
    start: int
    end: int
    sound: Sound = NEUTRAL
    fade_in_edge: float = 0.7
    fade_out_edge: float = 5.0
    joined_before: bool = False
    joined_after: bool = False
    layers: tuple[VoiceSpec, ...] = ()

    @functools.cached_property
    def ratio(self) -> float:
        """Source samples a rendered sample."""
        return float(2.0 ** (self.sound.pitch / 12.0))

    @functools.cached_property
    def length(self) -> int:
        """Samples from the hit to the end of the voice."""
        own = max(1, int(round((self.end - self.start) / self.ratio)))
        return max((own, *(layer.length for layer in self.layers)))

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
    return int(round(fade_in_edge * rate / 1000.0))


def spec_of(pocket: Pocket, pad: Pad, take: int = 0, note: int = 0, own: Mapping[str, Value] = NOTHING) -> VoiceSpec:
    """The voice of a pad as it sounds by itself, or in a hit. take: which of its chops, 0 for its own (one that it has not is its
    own); note: semitones above the pad's pitch; own: settings of the hit that stand in place of the pad's."""
    sound = changed(pad.sound, own) if own else pad.sound
    if note:
        sound = sound.model_copy(update={"pitch": sound.pitch + note})
    layers = tuple(_spec(pocket, layer.chop, _on_top(sound, layer.sound)) for layer in pad.layers)
    spec = _spec(pocket, pad.takes[take - 1] if 0 < take <= len(pad.takes) else pad.chop, sound)
    return replace(spec, layers=layers) if layers else spec


def _on_top(sound: Sound, layer: Sound) -> Sound:
    return layer.model_copy(update={"level": sound.level + layer.level, "pitch": sound.pitch + layer.pitch})


def _spec(pocket: Pocket, chop: Chop, sound: Sound) -> VoiceSpec:
    source = pocket.sources[chop.source]
    return VoiceSpec(
        audio=source.audio,
        start=chop.start,
        end=chop.end,
        sound=sound.model_copy(update={"level": sound.level + source.trim}),
        fade_in_edge=pocket.fade_in_edge,
        fade_out_edge=pocket.fade_out_edge,
    )


def render(spec: VoiceSpec, reader: Reader, rate: int) -> Samples:
    """(lead + length, 2) float32: `spec.lead(rate)` samples of fade in, then the voice from its hit on."""
    if spec.layers:
        out = np.zeros((spec.lead(rate) + spec.length, 2), np.float32)
        for one in (replace(spec, layers=()), *spec.layers):
            sound = render(one, reader, rate)
            out[: len(sound)] += sound
        return out
    lead, length = spec.lead(rate), spec.length
    wanted = lead + length
    before, body = _source_stretch(spec, reader, lead)
    if spec.sound.pitch:
        body = soxr.resample(body, spec.ratio, 1.0, quality="VHQ")
        skip = int(round(_MARGIN / spec.ratio))
        body = body[skip : skip + wanted]
    out = np.zeros((wanted, 2), np.float32)
    out[: len(body)] = stereo(np.ascontiguousarray(body[:wanted], dtype=np.float32))
    _fade_in(out, lead, 0 if spec.joined_before else min(lead, int(before / spec.ratio)), spec.joined_before)
    _fade_out(out, lead, spec, rate)
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


def _fade_in(out: Samples, lead: int, real: int, joined: bool) -> None:
    """Silence the lead but for a raised-cosine fade over the `real` samples before the hit."""
    out[: lead - real] = 0
    if real > 0:
        out[lead - real : lead] *= _ramp(real)[:, None]
    elif not joined:
        bare = min(BARE_RAMP, len(out) - lead)
        out[lead : lead + bare] *= _ramp(bare)[:, None]


def _fade_out(out: Samples, lead: int, spec: VoiceSpec, rate: int) -> None:
    ms = max(spec.sound.fade_out, 0.0 if spec.joined_after else spec.fade_out_edge)
    count = min(int(round(ms * rate / 1000.0)), len(out) - lead)
    if count > 0:
        out[-count:] *= _ramp(count)[::-1, None]


def _ramp(count: int) -> Samples:
    """Raised cosine from just above 0 to just below 1; with its mirror image it sums to one."""
    x = (np.arange(count, dtype=np.float64) + 0.5) / count
    return np.asarray(0.5 - 0.5 * np.cos(np.pi * x), dtype=np.float32)
