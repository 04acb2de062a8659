"""Pads as one-shots: each its own 24-bit file, without what is silent at its end."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterable

import numpy as np

from grainpocket.core.export.wav import wav24
from grainpocket.core.pocket import Pocket
from grainpocket.core.shape.voice import VoiceSpec, spec_of, under_the_hand
from grainpocket.core.sound.audio import Audio, Samples
from grainpocket.core.text import file_name

SILENCE = 1.6e-5  # -96 dBFS
LEAST_FRAMES = 64


def trimmed(sound: Samples, lead: int) -> Samples:
    """(m, channels) of (n, channels): from the hit on, to the last sample that can be heard."""
    out = sound[lead:]
    loud = np.flatnonzero(np.abs(out).max(axis=1) > SILENCE)
    return out[: max(LEAST_FRAMES, int(loud[-1]) + 1 if len(loud) else 0)]


def voice_of(pocket: Pocket, pad: int) -> VoiceSpec:
    """The voice of a pad as it sounds under the hand at full velocity. Raises KeyError for an empty pad."""
    played = pocket.pads[pad]
    return spec_of(pocket, played, under_the_hand(played))


def packed(files: Iterable[tuple[str, Samples]], rate: int) -> bytes:
    """A ZIP of WAV files of (n, channels) each, under names that differ; the same sounds give the same bytes."""
    out, taken = io.BytesIO(), set[str]()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for name, sound in files:
            base = file_name(name) or "pad"
            free, number = base, 2
            while free.lower() in taken:
                free, number = f"{base} {number}", number + 1
            taken.add(free.lower())
            archive.writestr(zipfile.ZipInfo(f"{free}.wav"), wav24(Audio(sound, rate)))
    return out.getvalue()
