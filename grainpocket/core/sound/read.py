"""Audio files in: WAV, AIFF, FLAC, Ogg (Vorbis, Opus) and MP3, decoded in blocks so that length costs no memory."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
import soundfile as sf
import soxr

from grainpocket.core.sound.audio import BadAudio, Samples, peak_of
from grainpocket.core.sound.containers import declared_frames
from grainpocket.core.sound.downmix import MOST_CHANNELS, downmix

if TYPE_CHECKING:
    from grainpocket.core.sound.flac import Mended

BLOCK = 1 << 16
READABLE = "WAV, AIFF, FLAC, Ogg or MP3"
RATES = 4_000, 384_000
UNKNOWN = 1 << 60  # frames, or more: libsndfile's way to say that the header tells no length
MOST_TOLD = 5
LOUDEST = 8.0  # full scale is 1: 18 dB of headroom over it is more than any honest file needs
MOST_TOO_LOUD = 0.01
_LOSSY_SUBTYPES = ("VORBIS", "OPUS", "MPEG", "ADPCM", "GSM", "ULAW", "ALAW")


@dataclass
class Reading:
    """What is known of a file before decoding, and what decoding found.

    frames: as the file counts them, at its own rate. replaced: samples that were not finite numbers and became silence.
    limited: samples far above full scale that were brought down. ended_early: the file is shorter than its header says, or
    broke off while decoding. mended: what is decoded in place of the file when frames of it are damaged.
    """

    rate: int
    channels: int
    frames: int
    format: str
    lossy: bool
    replaced: int = 0
    limited: int = 0
    ended_early: bool = False
    notes: list[str] = field(default_factory=list)
    mended: Mended | None = None


def probe(path: Path) -> Reading:
    """Look at a file without decoding it.

    Raises BadAudio when it is empty, is no audio, holds no samples, has more than 8 channels, or a rate that no sound has.
    """
    if path.stat().st_size == 0:
        raise BadAudio("The file is empty.")
    try:
        info = sf.info(str(path))
    except sf.LibsndfileError as error:
        raise BadAudio(f"This is not audio that can be read: it should be {READABLE}.") from error
    if info.channels > MOST_CHANNELS or info.channels < 1:
        raise BadAudio(f"The file has {info.channels} channels; Grain Pocket reads 1 to {MOST_CHANNELS}.")
    if not RATES[0] <= info.samplerate <= RATES[1]:
        raise BadAudio(
            f"The file says that its rate is {info.samplerate} Hz; Grain Pocket reads {RATES[0]} to {RATES[1]} Hz. "
            "Its header is damaged, or it is no sound."
        )
    if info.frames <= 0:
        raise BadAudio("The file has a header but no samples.")
    lossy = info.format == "MP3" or any(word in info.subtype for word in _LOSSY_SUBTYPES)
    reading = Reading(info.samplerate, info.channels, info.frames, f"{info.format} {info.subtype}", lossy)
    if info.format == "FLAC" and info.frames >= UNKNOWN:
        _mend(path, reading)
        if not reading.mended:
            raise BadAudio("The file's header is sound but its audio is damaged from the start.")
        reading.frames = reading.mended.frames
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
    for raw in _decoded(path, reading):
        done += len(raw)
        mixed = downmix(_tamed(_finite(raw, reading), reading))
        out = convert.resample_chunk(mixed) if convert else mixed
        yield np.ascontiguousarray(out, dtype=np.float32), min(1.0, done / max(1, reading.frames))
    if convert:
        rest = convert.resample_chunk(np.zeros((0, channels), np.float32), last=True)
        if len(rest):
            yield np.ascontiguousarray(rest, dtype=np.float32), 1.0
    if not done:
        raise BadAudio("No audio could be decoded from the file.")
    if reading.limited > MOST_TOO_LOUD * done * reading.channels:
        raise BadAudio(
            f"Most of this file lies far above full scale: its samples are not scaled to ±1 as {reading.format} wants it, "
            "or they are damaged. Export it again at a lower level."
        )
    if reading.mended:
        _tell_silent(reading, reading.mended)
    if done < reading.frames and not reading.ended_early:
        _broke_off(reading, done)
    if reading.replaced:
        reading.notes.append(f"{reading.replaced} samples were not numbers and were replaced by silence.")
    if reading.limited:
        reading.notes.append(f"{reading.limited} samples were more than 18 dB above full scale and were limited to that.")


def _decoded(path: Path, reading: Reading) -> Iterator[Samples]:
    """(n, channels) after (n, channels) as the file holds them; what a FLAC file holds behind some damage too."""
    done = 0
    if not reading.mended:
        with sf.SoundFile(str(path)) as file:
            while True:
                try:
                    raw = file.read(BLOCK, dtype="float32", always_2d=True)
                except sf.LibsndfileError as error:
                    if reading.format.startswith("FLAC"):
                        _mend(path, reading)
                    if reading.mended:
                        break
                    if not done:
                        raise BadAudio("The file's header is sound but its audio is damaged from the start.") from error
                    _broke_off(reading, done)
                    return
                if not len(raw):
                    return
                done += len(raw)
                yield raw
    assert reading.mended
    with reading.mended.file as whole, sf.SoundFile(whole) as file:
        heard = 0
        try:
            while len(raw := file.read(BLOCK, dtype="float32", always_2d=True)):
                heard += len(raw)
                if heard > done:
                    yield raw[max(0, done - heard + len(raw)) :]
        except sf.LibsndfileError as error:
            if not max(heard, done):
                raise BadAudio("The file's header is sound but its audio is damaged from the start.") from error
            _broke_off(reading, max(heard, done))


def _mend(path: Path, reading: Reading) -> None:
    # Only damaged files need it, and with it the compiler of its checksum.
    from grainpocket.core.sound.flac import mend

    reading.mended = mend(path)


def _tell_silent(reading: Reading, mended: Mended) -> None:
    for start, end in mended.silent[:MOST_TOLD]:
        reading.notes.append(
            f"The file is damaged from {start / reading.rate:.2f} s to {end / reading.rate:.2f} s: silence is there now."
        )
    if len(mended.silent) > MOST_TOLD:
        lost = sum(end - start for start, end in mended.silent[MOST_TOLD:]) / reading.rate
        reading.notes.append(f"{len(mended.silent) - MOST_TOLD} more places, {lost:.2f} s, are silent for the same reason.")


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


def _tamed(raw: Samples, reading: Reading) -> Samples:
    """Damaged data decodes to bursts thousands of times full scale; nobody's ears should meet them."""
    if peak_of(raw) <= LOUDEST:
        return raw
    reading.limited += int(np.count_nonzero(np.abs(raw) > LOUDEST))
    return np.clip(raw, -LOUDEST, LOUDEST)
