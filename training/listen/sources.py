"""Breaks and songs to learn from, rendered, with what begins in them and when.

Kits and seeds of the bench's own truth set are left out (see bench.truth.build).
"""

from __future__ import annotations

import subprocess
import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import soundfile as sf
import soxr

from bench.truth import breaks, colour, grooves
from bench.truth.kits import ROLE, Kit, from_font, from_sums
from bench.truth.synth import RATE, Wave
from grainpocket.core.listen.onsets.classifier import OUTPUTS

# Held out: the bench is scored with these.
QUIET = 20
# (seconds, output index, or -1 for a hit too quiet to ask for)
Event = tuple[float, int]
Span = tuple[float, float]
Example = tuple[Wave, int, list[Event], list[Span]]
_WORDS = (
    "night", "ferry", "lantern", "rain", "hold", "on", "to", "me", "now", "baby", "slow", "river", "take", "it", "back", "home",
    "lights", "are", "low", "and", "the", "water", "keeps", "moving", "one", "more", "time", "yeah", "oh", "come", "down", "walk",
)  # fmt: skip


def all_kits(rng: np.random.Generator) -> list[Kit]:
    fonts = [from_font(f, p) for f in ("fluid", "score") for p in (0, 8, 16, 24, 25, 32, 40)]
    sums = [from_sums(int(rng.integers(1 << 30))) for _ in range(16)]
    return [k for k in [*fonts, *sums] if len(k.notes) >= 3]


def role_of(note: int) -> int:
    return OUTPUTS.index(ROLE.get(note, "perc"))


def speech(rng: np.random.Generator, frames: int) -> tuple[Wave, list[float]]:
    """((frames, 2), seconds at which a phrase begins) of a made-up voice saying made-up words."""
    out, starts, at, seconds = np.zeros((frames, 2), np.float32), [], float(rng.uniform(0, 1)), frames / RATE
    with tempfile.TemporaryDirectory() as folder:
        file = str(Path(folder) / "v.wav")
        while at < seconds - 2:
            words = " ".join(rng.choice(_WORDS, int(rng.integers(1, 6))))
            voice = f"en+{rng.choice(['m1', 'm3', 'm7', 'f1', 'f2', 'f4'])}"
            pitch, speed = str(rng.integers(20, 80)), str(rng.integers(100, 190))
            command = ["espeak-ng", "-v", voice, "-p", pitch, "-s", speed, "-w", file, words]
            subprocess.run(command, check=True, capture_output=True)
            data, rate = sf.read(file, dtype="float32")
            data = np.asarray(soxr.resample(data, rate, RATE), np.float32)
            loud = np.flatnonzero(np.abs(data) > 0.05 * np.abs(data).max())
            first = int(at * RATE)
            data = data[: len(out) - first]
            out[first : first + len(data)] += data[:, None]
            starts.append(at + loud[0] / RATE)
            at += len(data) / RATE + float(rng.uniform(0.1, 1.5))
    return out, starts


def drum_events(hits: list[breaks.Hit]) -> list[Event]:
    return [(t, role_of(n) if v > QUIET else -1) for t, n, v in hits]


def from_breaks(kits: list[Kit], rng: np.random.Generator, count: int, sampled: float = 0.0) -> Iterator[Example]:
    """sampled: share of them in which a drum is the same take each time."""
    for i in range(count):
        flavour = breaks.FLAVOURS[i % 3]
        plain, varied = bool(rng.random() < 0.5), bool(rng.random() < 0.8)
        same = sampled > 0 and bool(rng.random() < sampled)
        one = breaks.make_break(kits, rng, flavour, plain=plain, varied=varied, sampled=same)
        if not one.hits:
            continue
        sound = one.sound
        if rng.random() < 0.1:
            sound = colour.lossy(sound, rng)
        rate = RATE
        if rng.random() < 0.1:
            rate = int(rng.choice([22050, 32000, 48000]))
            sound = np.asarray(soxr.resample(sound, RATE, rate), np.float32)
        beat = 60 / one.bpm
        extra: list[Event] = []
        if flavour == "bleed":  # Notes of the backing begin on the half bars.
            extra = [(k * beat * 2, OUTPUTS.index("tonal")) for k in range(int(len(sound) / rate / beat / 2) + 1)]
        yield sound, rate, drum_events(one.hits) + extra, []


def from_songs(kits: list[Kit], rng: np.random.Generator, count: int) -> Iterator[Example]:
    for i in range(count):
        yield from songs_heard(grooves.make_song(kits, rng, bars=16, drift=float(rng.choice([0, 0.01]))), rng, i % 2 == 0)


def songs_heard(song: grooves.Song, rng: np.random.Generator, spoken: bool = True) -> Iterator[Example]:
    """Its drums, all of it, and its music; spoken: with a voice over it as well, and that voice alone."""
    tonal, vocal = OUTPUTS.index("tonal"), OUTPUTS.index("vocal")
    yield colour.level(song.parts["drums"]), RATE, drum_events(song.hits), []
    events = drum_events(song.hits) + [(t, tonal) for t, _ in song.notes]
    yield grooves.finished(song, rng), RATE, events, []
    music = np.asarray(song.mix - song.parts["drums"], np.float32)
    yield colour.level(music), RATE, [(t, tonal) for t, _ in song.notes], []
    if spoken:
        voice, starts = speech(rng, len(music))
        gain = np.float32(rng.uniform(0.4, 1.2) / max(1e-6, float(np.abs(voice).max())))
        mix = colour.level(song.mix) + gain * voice
        spans = _sounding(voice)
        yield mix, RATE, events + [(t, vocal) for t in starts], spans
        yield colour.level(voice), RATE, [(t, vocal) for t in starts], spans


def rendered(rng: np.random.Generator, breaks: int, songs: int, sampled: float = 0.0) -> Iterator[Example]:
    """So many breaks, then so many songs, on all kits."""
    kits = all_kits(rng)
    yield from from_breaks(kits, rng, breaks, sampled)
    yield from from_songs(kits, rng, songs)


def _sounding(voice: Wave) -> list[Span]:
    hop = RATE // 50
    loud = np.abs(voice[: len(voice) // hop * hop, 0]).reshape(-1, hop).max(axis=1) > 0.02 * np.abs(voice).max()
    edges = np.flatnonzero(np.diff(np.concatenate(([0], loud.astype(int), [0]))))
    return [(a * hop / RATE, b * hop / RATE) for a, b in zip(edges[::2], edges[1::2], strict=True)]
