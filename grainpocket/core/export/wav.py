"""24-bit WAV, written so that the same samples always give the same bytes."""

from __future__ import annotations

import io
import struct

import numpy as np

from grainpocket.core.sound.audio import Audio

FULL_24 = 8388607.0


def wav24(audio: Audio) -> bytes:
    """A RIFF WAVE file with 24-bit PCM. Values beyond full scale are clipped; no dither, no time stamp.

    (libsndfile stamps nothing into PCM files either, but scales floats by 2**23 and rounds in its own way; the exact
    rounding is part of the promise that the export is what was heard, so it is spelled out here.)
    """
    channels = audio.samples.shape[1]
    whole = np.clip(np.rint(audio.samples.astype(np.float64) * FULL_24), -8388608, 8388607).astype("<i4")
    data = whole.reshape(-1, 1).view("u1").reshape(-1, 4)[:, :3].tobytes()
    out = io.BytesIO()
    align = 3 * channels
    padded = len(data) + (len(data) & 1)
    out.write(struct.pack("<4sI4s", b"RIFF", 36 + padded, b"WAVE"))
    out.write(struct.pack("<4sIHHIIHH", b"fmt ", 16, 1, channels, audio.rate, audio.rate * align, align, 24))
    out.write(struct.pack("<4sI", b"data", len(data)) + data + b"\0" * (len(data) & 1))
    return out.getvalue()
