"""Voices of people to lay over rendered songs: recorded words spoken as they are, or sung to notes of a scale.

The words come from two packages of free recordings, some thirty speakers of as many languages:

    apt-get install klettres-data tuxpaint-stamps-default
    pip install pyworld==0.3.5 "setuptools<80"

Sung words are taken apart and put together again by a vocoder (Morise, Yokomori & Ozawa, "WORLD: a vocoder-based
high-quality speech synthesis system for real-time applications", IEICE Transactions E99-D, 2016).
"""

from __future__ import annotations

import functools
from pathlib import Path

import numpy as np
import pedalboard as pb
import soundfile as sf
import soxr
from numpy.typing import NDArray

from bench.truth.synth import RATE, Wave

LETTERS, STAMPS = Path("/usr/share/klettres"), Path("/usr/share/tuxpaint/stamps")
# Speakers who are only watched, never learnt.
WATCHED = ("letters de", "letters pt_BR", "stamps el", "stamps lt")
FEWEST_WORDS, SHORTEST_S, LONGEST_S, FRAME_MS = 20, 0.25, 6.0, 5.0
Mono = NDArray[np.float32]


@functools.cache
def speakers() -> dict[str, list[Path]]:
    """By name: the recordings of each speaker."""
    found: dict[str, list[Path]] = {}
    for path in sorted(LETTERS.glob("*/*/*.ogg")):
        found.setdefault(f"letters {path.parts[-3]}", []).append(path)
    for path in sorted(STAMPS.rglob("*_desc_*.ogg")):
        found.setdefault(f"stamps {path.stem.rpartition('_')[2]}", []).append(path)
    return {name: paths for name, paths in found.items() if len(paths) >= FEWEST_WORDS}


@functools.lru_cache(maxsize=2000)
def word(path: Path) -> Mono:
    """A recording without the silence around it, its peak at 1; empty when there is nothing of use."""
    data, rate = sf.read(path, dtype="float32", always_2d=True)
    mono = np.asarray(soxr.resample(data.mean(axis=1), rate, RATE), np.float32)
    peak = float(np.abs(mono).max(initial=0))
    if peak < 1e-3:
        return np.zeros(0, np.float32)
    loud = np.flatnonzero(np.abs(mono) > 0.03 * peak)
    some = mono[max(0, loud[0] - RATE // 50) : loud[-1] + RATE // 20][: round(LONGEST_S * RATE)]
    return some / np.float32(peak) if len(some) > SHORTEST_S * RATE else np.zeros(0, np.float32)


def scale(tonic: int, minor: bool) -> set[int]:
    """The pitch classes of a major or natural minor scale."""
    return {(tonic + step) % 12 for step in ((0, 2, 3, 5, 7, 8, 10) if minor else (0, 2, 4, 5, 7, 9, 11))}


def voice(rng: np.random.Generator, frames: int, tonic: int, minor: bool, watched: bool = False) -> Wave:
    """(frames, 2): somebody's phrases, some seconds apart, as a studio would treat them; sung in a key, or spoken."""
    names = [n for n in speakers() if (n in WATCHED) == watched]
    paths = speakers()[str(rng.choice(names))]
    sings, out = bool(rng.random() < 0.5), np.zeros(frames, np.float32)
    gaps = rng.uniform(0.0, 0.15), rng.uniform(0.3, 2.0)
    at = round(rng.uniform(0, 1) * RATE)
    higher = float(rng.normal(0, 1.5))
    while at < frames - RATE:
        words = [w for w in (word(paths[int(k)]) for k in rng.integers(len(paths), size=int(rng.integers(1, 6)))) if len(w)]
        phrase = np.concatenate([np.pad(w, (0, round(gaps[0] * RATE))) for w in words] or [np.zeros(RATE, np.float32)])
        if sings:
            phrase = sung(phrase, rng, tonic, minor)
        some = phrase[: frames - at]
        out[at : at + len(some)] += some
        at += len(phrase) + round(float(rng.uniform(0.02, gaps[1])) * RATE)
    if not sings and abs(higher) > 0.5:
        out = np.asarray(pb.Pedalboard([pb.PitchShift(higher)])(out[None], RATE)[0], np.float32)[:frames]
    return treated(np.repeat(np.pad(out, (0, frames - len(out)))[:, None], 2, axis=1), rng)


def sung(
    spoken: Mono, rng: np.random.Generator, tonic: int, minor: bool, formants: float = 1.0, beside: tuple[float, ...] = ()
) -> Mono:
    """The same words slower and on notes: steps along a scale, glides between them, vibrato, a hand that is not quite sure.
    formants: how much higher those of the throat lie; beside: further voices so many semitones off, each a little late."""
    import pyworld

    x = spoken.astype(np.float64)
    pitch, when = pyworld.dio(x, RATE, frame_period=FRAME_MS)
    pitch = pyworld.stonemask(x, pitch, when, RATE)
    envelope, breath = pyworld.cheaptrick(x, pitch, when, RATE), pyworld.d4c(x, pitch, when, RATE)
    slower = float(rng.uniform(1.0, 2.6))
    frame = np.minimum((np.arange(int(len(pitch) * slower)) / slower).astype(int), len(pitch) - 1)
    usual = float(np.median(pitch[pitch > 0])) if (pitch > 0).any() else 180.0
    centre = 69 + 12 * np.log2(usual / 440) + rng.uniform(-2, 7)
    keys = [k for k in range(36, 90) if k % 12 in scale(tonic, minor) and abs(k - centre) < 9]
    place, notes = len(keys) // 2, np.zeros(len(frame))
    first = 0
    while first < len(frame):
        length = int(rng.choice([0.12, 0.2, 0.3, 0.5, 0.9]) * 1000 / FRAME_MS)
        notes[first : first + length] = keys[place]
        place = int(np.clip(place + rng.integers(-2, 3), 0, len(keys) - 1))
        first += length
    glide = np.exp(-np.arange(60) * FRAME_MS / 1000 / rng.uniform(0.01, 0.06))
    notes = np.convolve(np.pad(notes, (59, 0), mode="edge"), glide / glide.sum(), "valid")
    seconds = np.arange(len(frame)) * FRAME_MS / 1000
    notes += rng.uniform(0, 0.5) * np.sin(2 * np.pi * rng.uniform(4.5, 6.5) * seconds)
    notes += 0.15 * np.convolve(rng.standard_normal(len(frame) + 39), np.ones(40) / 40**0.5, "valid") * rng.uniform(0, 1)
    if formants != 1:
        bins = np.arange(envelope.shape[1])
        envelope = np.ascontiguousarray([np.interp(bins / formants, bins, row) for row in envelope])
    wanted = np.where(pitch[frame] > 0, 440 * 2 ** ((notes - 69) / 12), 0.0)
    out = pyworld.synthesize(wanted, envelope[frame], breath[frame], RATE, FRAME_MS)
    for semitones in beside:
        unsure = 2 ** ((semitones + 0.1 * np.sin(np.arange(len(wanted)) * rng.uniform(0.002, 0.01))) / 12)
        other = pyworld.synthesize(wanted * unsure, envelope[frame], breath[frame], RATE, FRAME_MS)
        late = int(rng.uniform(0.0, 0.03) * RATE)
        out[late:] += rng.uniform(0.4, 0.9) * other[: len(out) - late]
    return np.asarray(out / max(1e-6, float(np.abs(out).max())), np.float32)


def treated(sound: Wave, rng: np.random.Generator) -> Wave:
    """As a voice is put on a record: levelled, brightened or thinned, a room, an echo, at times driven or doubled."""
    u = rng.uniform
    board = pb.Pedalboard([pb.HighpassFilter(u(60, 200)), pb.Compressor(u(-34, -16), u(2, 6), u(1, 10), u(50, 200))])
    board.append(pb.HighShelfFilter(u(3000, 9000), u(-6, 8)))
    if rng.random() < 0.15:
        board.append(pb.Distortion(u(3, 18)))
    if rng.random() < 0.15:
        board.append(pb.LowpassFilter(u(3000, 7000)))
    if rng.random() < 0.25:
        board.append(pb.Chorus(u(0.5, 2), u(0.1, 0.4), u(5, 12), 0.0, u(0.2, 0.5)))
    if rng.random() < 0.3:
        board.append(pb.Delay(u(0.1, 0.5), u(0, 0.4), u(0.05, 0.3)))
    board.append(pb.Reverb(u(0.1, 0.8), wet_level=u(0.02, 0.3), dry_level=u(0.6, 0.9), width=u(0, 1)))
    return np.asarray(board(np.ascontiguousarray(sound.T), RATE).T, np.float32)[: len(sound)]
