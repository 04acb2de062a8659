"""Audio files in: WAV, AIFF, FLAC, Ogg (Vorbis, Opus) and MP3, decoded in blocks so that length costs no memory."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import soundfile as sf
import soxr

from grainpocket.core.sound.audio import BadAudio, Samples
from grainpocket.core.sound.containers import declared_frames
from grainpocket.core.sound.downmix import MOST_CHANNELS, downmix

BLOCK = 1 << 16
READABLE = "WAV, AIFF, FLAC, Ogg or MP3"
_LOSSY_SUBTYPES = ("VORBIS", "OPUS", "MPEG", "ADPCM", "GSM", "ULAW", "ALAW")


@dataclass
class Reading:
    """What is known of a file before decoding, and what decoding found.

    frames: as the file counts them, at its own rate (0 when it does not say). replaced: samples that were not finite
    numbers and became silence. ended_early: the file is shorter than its header says, or broke off while decoding.
    """

    rate: int
    channels: int
    frames: int
    format: str
    lossy: bool
    replaced: int = 0
    ended_early: bool = False
    notes: list[str] = field(default_factory=list)


def probe(path: Path) -> Reading:
    """Look at a file without decoding it.

    Raises BadAudio when it is empty, is no audio, holds no samples, or has more than 8 channels.
    """
    if path.stat().st_size == 0:
        raise BadAudio("The file is empty.")
    try:
        info = sf.info(str(path))
    except sf.LibsndfileError as error:
        raise BadAudio(f"This is not audio that can be read: it should be {READABLE}.") from error
    if info.channels > MOST_CHANNELS or info.channels < 1:
        raise BadAudio(f"The file has {info.channels} channels; Grain Pocket reads 1 to {MOST_CHANNELS}.")
    if info.frames <= 0:
        raise BadAudio("The file has a header but no samples.")
    lossy = info.format == "MP3" or any(word in info.subtype for word in _LOSSY_SUBTYPES)
    reading = Reading(info.samplerate, info.channels, info.frames, f"{info.format} {info.subtype}", lossy)
    declared = declared_frames(path)
    if declared is not None and declared > info.frames:
        reading.ended_early = True
        reading.notes.append(
            f"The file ends early: {info.frames / info.samplerate:.2f} s of {declared / info.samplerate:.2f} s are there."
        )
    return reading


def blocks(path: Path, rate: int, reading: Reading) -> Iterator[tuple[Samples, float]]:
    """Decode a file to mono or stereo at `rate`.

    Yields (samples (n, 1 or 2) float32, share of the file decoded 0..1). More than two channels are mixed down by
    ITU-R BS.775; other rates are converted by soxr at its very high quality. Fills in `reading.replaced`, `.ended_early`
    and `.notes`. Raises BadAudio when nothing at all can be decoded.
    """
    channels = min(reading.channels, 2)
    convert = soxr.ResampleStream(reading.rate, rate, channels, dtype="float32", quality="VHQ") if reading.rate != rate else None
    done = 0
    with sf.SoundFile(str(path)) as file:
        while True:
            try:
                raw = file.read(BLOCK, dtype="float32", always_2d=True)
            except sf.LibsndfileError as error:
                if not done:
                    raise BadAudio("The file's header is sound but its audio is damaged from the start.") from error
                _broke_off(reading, done)
                break
            if not len(raw):
                break
            done += len(raw)
            mixed = downmix(_finite(raw, reading))
            out = convert.resample_chunk(mixed) if convert else mixed
            yield np.ascontiguousarray(out, dtype=np.float32), min(1.0, done / max(1, reading.frames))
    if convert:
        rest = convert.resample_chunk(np.zeros((0, channels), np.float32), last=True)
        if len(rest):
            yield np.ascontiguousarray(rest, dtype=np.float32), 1.0
    if not done:
        raise BadAudio("No audio could be decoded from the file.")
    if done < reading.frames and not reading.ended_early:
        _broke_off(reading, done)
    if reading.replaced:
        reading.notes.append(f"{reading.replaced} samples were not numbers and were replaced by silence.")


def _broke_off(reading: Reading, done: int) -> None:
    reading.ended_early = True
    reading.notes.append(
        f"The file is damaged after {done / reading.rate:.2f} s of {reading.frames / reading.rate:.2f} s; what came before is kept."
    )


def _finite(raw: Samples, reading: Reading) -> Samples:
    good = np.isfinite(raw)
    if good.all():
        return raw
    reading.replaced += int(raw.size - good.sum())
    return np.where(good, raw, np.float32(0))
