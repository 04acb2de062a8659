"""Audio files, good and bad, made for the tests."""

from __future__ import annotations

import io
import struct

import numpy as np
import soundfile as sf
from numpy.typing import NDArray

from tests.signals import RATE, drum_loop


def wav(samples: NDArray[np.float32], rate: int = RATE, subtype: str = "FLOAT", container: str = "WAV") -> bytes:
    out = io.BytesIO()
    sf.write(out, samples, rate, subtype=subtype, format=container)
    return out.getvalue()


def flac(samples: NDArray[np.float32]) -> bytes:
    """A fifth of the size, for what has to go through a browser's file picker."""
    return wav(samples, subtype="PCM_16", container="FLAC")


def tone(seconds: float, rate: int = RATE, channels: int = 1, hertz: float = 330.0) -> NDArray[np.float32]:
    t = np.arange(round(seconds * rate)) / rate
    return np.repeat((0.5 * np.sin(2 * np.pi * hertz * t))[:, None], channels, axis=1).astype(np.float32)


def raw_wav(channels: int, frames: int, declared: int | None = None) -> bytes:
    """A 16-bit WAV header written by hand, with any number of channels and any claim about its length."""
    data = np.zeros(frames * channels, "<i2")
    data[: channels * 40] = 12000
    size = (declared if declared is not None else frames) * channels * 2
    head = struct.pack("<4sI4s4sIHHIIHH4sI", b"RIFF", 36 + size, b"WAVE", b"fmt ", 16, 1, channels, RATE, RATE * channels * 2,
                       channels * 2, 16, b"data", size)  # fmt: skip
    return head + data.tobytes()


def with_nonsense() -> bytes:
    samples = tone(0.5)
    samples[100:105] = np.nan
    samples[200] = np.inf
    samples[201] = -np.inf
    return wav(samples)


GOOD: dict[str, bytes] = {
    "plain.wav": wav(drum_loop().samples),
    "24 bit.aiff": wav(tone(0.6, channels=2), subtype="PCM_24", container="AIFF"),
    "flac.flac": wav(tone(0.6), subtype="PCM_16", container="FLAC"),
    "vorbis.ogg": wav(tone(0.6, channels=2), subtype="VORBIS", container="OGG"),
    "mp3.mp3": wav(tone(0.8, channels=2), subtype="MPEG_LAYER_III", container="MP3"),
    "8 kHz.wav": wav(tone(0.7, rate=8000), rate=8000, subtype="PCM_16"),
    "192 kHz.wav": wav(tone(0.3, rate=192000, channels=2), rate=192000),
    "eight channels.wav": raw_wav(8, 4000),
    "nonsense numbers.wav": with_nonsense(),
    "truncated.wav": raw_wav(2, 5000, declared=50000),
    "truncated.flac": wav(drum_loop().samples, subtype="PCM_16", container="FLAC")[:60000],
    "../../../etc/passwd.wav": wav(tone(0.2)),
    "..\\..\\boot.wav": wav(tone(0.21)),
    "🥁👨‍👩‍👧 beat é.wav": wav(tone(0.22)),
    "a\x00b\nc.wav": wav(tone(0.23)),
    "no ending": wav(tone(0.24)),
    "one sample.wav": wav(tone(1 / RATE)),
    "silence.wav": wav(np.zeros((5000, 2), np.float32)),
}
BAD: dict[str, tuple[bytes, str]] = {
    "empty.wav": (b"", "empty"),
    "text.wav": (b"this is a shopping list, not a record\n" * 40, "not audio"),
    "header only.wav": (raw_wav(2, 0), "no samples"),
    "nine channels.wav": (raw_wav(9, 4000), "9 channels"),
    "half a header.wav": (raw_wav(2, 4000)[:20], "not audio"),
    "noise.mp3": (np.random.default_rng(1).integers(0, 255, 900, dtype=np.uint8).tobytes(), "audio"),
    "too long.wav": (raw_wav(1, RATE * 121), "longer than 2 minutes"),
}
