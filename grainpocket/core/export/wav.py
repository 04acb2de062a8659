"""24-bit WAV, written so that the same samples always give the same bytes."""

from __future__ import annotations

import struct

import numpy as np

from grainpocket.core.sound.audio import Audio, Samples

FULL_24 = 8388607.0


def whole_numbers(samples: Samples) -> np.ndarray:
    """(n, channels) int32 of 24 bits. Values beyond full scale are clipped; no dither.

    (libsndfile scales floats by 2**23 and rounds in its own way; the exact rounding is part of the promise that the export is
    what was heard, so it is spelled out here.)
    """
    return np.clip(np.rint(samples.astype(np.float64) * FULL_24), -8388608, 8388607).astype("<i4")


def header(rate: int, channels: int, size: int) -> bytes:
    """Of a RIFF WAVE file with so many bytes of 24-bit PCM; without a time stamp."""
    align = 3 * channels
    riff = struct.pack("<4sI4s", b"RIFF", 36 + size + (size & 1), b"WAVE")
    return riff + struct.pack("<4sIHHIIHH4sI", b"fmt ", 16, 1, channels, rate, rate * align, align, 24, b"data", size)


def wav24(audio: Audio) -> bytes:
    """A RIFF WAVE file with 24-bit PCM."""
    data = whole_numbers(audio.samples).reshape(-1, 1).view("u1").reshape(-1, 4)[:, :3].tobytes()
    return header(audio.rate, audio.samples.shape[1], len(data)) + data + b"\0" * (len(data) & 1)
