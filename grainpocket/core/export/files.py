"""Sound to a file, block by block: nothing of it need be in memory, and the same samples always give the same bytes."""

from __future__ import annotations

from pathlib import Path
from typing import Literal, Protocol

import numpy as np
import soundfile as sf

from grainpocket.core.export.wav import header, whole_numbers
from grainpocket.core.sound.audio import Samples, db_of

Format = Literal["wav", "flac"]
MOST_WAV = (1 << 32) - 64  # bytes that a RIFF file can say it has


class TooLong(ValueError):
    """More than the format can hold."""


class _Sink(Protocol):
    def write(self, whole: np.ndarray) -> None: ...
    def close(self) -> None: ...


class SoundWriter:
    """24-bit stereo at `path`. peak and clipped tell of what was written: linear, and how many samples lay beyond full scale."""

    def __init__(self, path: Path, rate: int, format_: Format) -> None:
        self.frames, self.peak, self.clipped = 0, 0.0, 0
        self._sink: _Sink = _Wav(path, rate) if format_ == "wav" else _Flac(path, rate)

    def write(self, block: Samples) -> None:
        """(n, 2) float32."""
        if len(block):
            size = np.abs(block)
            self.peak = max(self.peak, float(size.max()))
            self.clipped += int((size > 1.0).sum())
            self.frames += len(block)
            self._sink.write(whole_numbers(block))

    @property
    def peak_db(self) -> float | None:
        return db_of(self.peak) if self.peak > 0 else None

    def close(self) -> None:
        self._sink.close()


class _Wav:
    def __init__(self, path: Path, rate: int) -> None:
        self._file = path.open("wb")
        self._rate, self._bytes = rate, 0
        self._file.write(header(rate, 2, 0))

    def write(self, whole: np.ndarray) -> None:
        data = whole.reshape(-1, 1).view("u1").reshape(-1, 4)[:, :3].tobytes()
        self._bytes += len(data)
        if self._bytes > MOST_WAV:
            raise TooLong("A WAV file holds 4 GB at most. Choose FLAC, or less of it.")
        self._file.write(data)

    def close(self) -> None:
        self._file.write(b"\0" * (self._bytes & 1))
        self._file.seek(0)
        self._file.write(header(self._rate, 2, self._bytes))
        self._file.close()


class _Flac:
    def __init__(self, path: Path, rate: int) -> None:
        self._file = sf.SoundFile(str(path), "w", rate, 2, subtype="PCM_24", format="FLAC")

    def write(self, whole: np.ndarray) -> None:
        # libsndfile takes the upper 24 bits.
        self._file.write(np.left_shift(whole, 8))

    def close(self) -> None:
        self._file.close()


__all__ = ["Format", "SoundWriter", "TooLong"]
