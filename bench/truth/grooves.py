"""Songs: an accompaniment in one of hundreds of grooves over a chord progression, a lead above it, and all of it known.

The parts come from the arranger MMA (Debian package `mma`); we choose groove, key, chords, form and tempo, play the drums
on our own kits, and mute parts bar by bar so that bare drums, no drums and voice alone are known too.
"""

from __future__ import annotations

import functools
import itertools
import json
import subprocess
import tempfile
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import mido
import numpy as np

from bench.truth import colour, patterns
from bench.truth.kits import Kit, Varied, perform_apart
from bench.truth.synth import RATE, Note, Wave, fit, midi, render

LIBRARY = Path("/usr/share/mma/lib/stdlib")
KEYS = ("C", "Db", "D", "Eb", "E", "F", "Gb", "G", "Ab", "A", "Bb", "B")
LEADS = (0, 4, 11, 21, 25, 27, 52, 53, 56, 64, 65, 66, 71, 73, 80, 81)
# Behind it come percussion and effects.
LAST_INSTRUMENT = 111
# Degrees of the scale as semitones over the tonic, with the quality the chart writes.
_MAJOR = {1: (0, ""), 2: (2, "m"), 3: (4, "m"), 4: (5, ""), 5: (7, ""), 6: (9, "m")}
_MINOR = {1: (0, "m"), 3: (3, ""), 4: (5, "m"), 5: (7, ""), 6: (8, ""), 7: (10, "")}
_SEVENTHS = {"": "M7", "m": "m7"}
_PROGRESSIONS = (
    (1, 6, 4, 5), (1, 4, 5, 1), (1, 5, 6, 4), (1, 4, 1, 5), (6, 4, 1, 5), (1, 3, 4, 5), (1, 1, 4, 5), (2, 5, 1, 1), (1, 7, 6, 5),
    (1, 4, 7, 3), (1, 6, 3, 7), (1, 5, 4, 4),
)  # fmt: skip


@dataclass(frozen=True)
class Song:
    """Truth in seconds. hits: (at, note, velocity) of the drums; notes: onsets of everything else; chords: (start, end,
    label); parts: by name, same length; apart: the drums by role; bare: (start, end) of bars with drums and nothing else."""

    parts: dict[str, Wave]
    apart: dict[str, Wave]
    hits: list[tuple[float, int, int]]
    notes: list[tuple[float, int]]
    beats: list[float]
    bars: list[float]
    chords: list[tuple[float, float, str]]
    key: str
    bpm: float
    metre: tuple[int, int]
    groove: str
    bare: list[tuple[float, float]] = field(default_factory=list)
    drumless: list[tuple[float, float]] = field(default_factory=list)

    @property
    def mix(self) -> Wave:
        return np.asarray(sum(self.parts.values()), np.float32)


@functools.cache
def styles() -> list[tuple[str, str]]:
    """(library file, groove) of every groove that has drums, found by asking the arranger."""
    out: list[tuple[str, str]] = []
    for file in sorted(LIBRARY.glob("*.mma")):
        text = subprocess.run(["mma", "-w", "-Djs", str(file)], capture_output=True, text=True, check=False).stdout
        start = text.find("[")
        if start < 0 or file.stem.startswith(("metronome", "none")):
            continue
        for one in json.loads(text[start:]):
            drums = any(t["track"].startswith("DRUM") for t in one["tracks"])
            if drums and one.get("size", 0) >= 1 and not one["groove"].endswith(("End", "Intro")):
                out.append((file.stem, one["groove"]))
    return out


def progression(rng: np.random.Generator, bars: int) -> tuple[str, list[str]]:
    """(key such as "Eb minor", one chord a bar)."""
    tonic, minor = int(rng.integers(12)), bool(rng.random() < 0.5)
    table = _MINOR if minor else _MAJOR
    sevenths = rng.random() < 0.35
    out: list[str] = []
    while len(out) < bars:
        degrees = [d for d in _PROGRESSIONS[rng.integers(len(_PROGRESSIONS))] if d in table]
        for degree in degrees:
            step, quality = table[degree]
            if sevenths and rng.random() < 0.7:
                quality = "7" if degree == 5 else _SEVENTHS[quality]
            elif rng.random() < 0.12:
                quality = str(rng.choice(["sus4", "sus2", "7"]))
            out.append(KEYS[(tonic + step) % 12] + quality)
    out = out[:bars]
    out[0] = out[-1] = KEYS[tonic] + table[1][1]
    return f"{KEYS[tonic]} {'minor' if minor else 'major'}", out


def arrange(groove: str, bpm: float, chords: list[str], seed: int) -> mido.MidiFile:
    """The arranger leaves notes out and varies others by chance: the same for the same seed."""
    with tempfile.TemporaryDirectory() as folder:
        chart, out = Path(folder) / "a.mma", Path(folder) / "a.mid"
        lines = [f"RndSeed {seed}", f"Tempo {bpm}", f"Groove {groove}", *(f"{i + 1} {c}" for i, c in enumerate(chords))]
        chart.write_text("\n".join(lines) + "\n")
        done = subprocess.run(["mma", "-w", "-f", str(out), str(chart)], capture_output=True, text=True, check=False)
        if done.returncode or not out.is_file():
            raise ValueError(f"{groove}: {done.stdout[-200:]}")
        return mido.MidiFile(out)


def make_song(
    kits: list[Kit], rng: np.random.Generator, bars: int = 24, font: str = "fluid", drift: float = 0.0, varied: bool = False
) -> Song:
    """drift: standard deviation of the tempo's slow wander, as a share (0 is a machine)."""
    known = styles()
    while True:
        _, groove = known[rng.integers(len(known))]
        key, chords = progression(rng, bars)
        bpm = float(np.round(rng.uniform(68, 165), 2))
        try:
            file = arrange(groove, bpm, chords, int(rng.integers(1 << 31)))
        except ValueError:
            continue
        song = _realise(file, groove, key, chords, bpm, kits, rng, font, drift, varied)
        if song is not None:
            return song


def make_pattern_song(
    kits: list[Kit], rng: np.random.Generator, bars: int = 24, font: str = "fluid", drift: float = 0.0, together: bool = True
) -> Song:
    """The same by our own arranger (see `patterns`), on kits varied as nobody else would. together: all but the drums as one
    part, which is quicker."""
    while True:
        metre = str(rng.choice(["4/4", "3/4", "6/8"], p=[0.84, 0.09, 0.07]))
        key, chords = progression(rng, bars)
        if rng.random() < 0.25:
            chords = [chords[k // 2] for k in range(bars)]
        file, bpm = patterns.compose(metre, chords, rng)
        song = _realise(file, "own", key, chords, bpm, kits, rng, font, drift, True, together)
        if song is not None:
            return song


def _realise(
    file: mido.MidiFile, groove: str, key: str, chords: list[str], bpm: float, kits: list[Kit], rng: np.random.Generator,
    font: str, drift: float, varied: bool, together: bool = False,
) -> Song | None:  # fmt: skip
    signatures = {(m.numerator, m.denominator) for t in file.tracks for m in t if m.type == "time_signature"}
    tempi = {m.tempo for t in file.tracks for m in t if m.type == "set_tempo"}
    if len(signatures) != 1 or len(tempi) != 1:
        return None
    metre = signatures.pop()
    per_beat = 60 / bpm
    quarters = metre[0] * 4 / metre[1]
    warp = warped(drift, len(chords) * quarters, rng)

    def seconds(tick: float) -> float:
        return warp(tick / file.ticks_per_beat) * per_beat

    notes, programs = notes_of(file, seconds)
    if varied:
        programs = _other_instruments(programs, rng)
    end = seconds(len(chords) * quarters * file.ticks_per_beat)
    bars = [seconds(k * quarters * file.ticks_per_beat) for k in range(len(chords) + 1)]
    drums = [n for n in notes if n.channel == 9 and n.at < end]
    if len(drums) < 2 * len(chords):
        return None
    beat_ticks = file.ticks_per_beat
    beats = [seconds(k * beat_ticks) for k in range(int(len(chords) * quarters) + 1)]
    lead, lead_program = lead_over(key, chords, bars, rng)
    others = [n for n in notes if n.channel != 9 and n.at < end]
    bass = {c for c, p in programs.items() if 32 <= p <= 39}
    silent_drums, bare = _form(len(chords), rng)
    keep = [n for n in others if not bare[_bar(n.at, bars)]]
    lead = [n for n in lead if not bare[_bar(n.at, bars)]]
    hits = sorted(
        (max(0.0, n.at + float(rng.normal(0, 0.003))), n.key, n.velocity) for n in drums if not silent_drums[_bar(n.at, bars)]
    )
    able = [k for k in kits if all(k.has(n) for n in (36, 38, 42))]
    kit = able[rng.integers(len(able))]
    kit = Varied(kit, rng) if varied else kit
    hits = [(t, nearest(kit, n), v) for t, n, v in hits]
    frames = round((end + 1.0) * RATE)
    apart = perform_apart(kit, hits, frames, rng)
    parts = {"drums": np.asarray(sum(apart.values()), np.float32)}
    groups = {"bass": [n for n in keep if n.channel in bass], "other": [n for n in keep if n.channel not in bass], "lead": lead}
    if together:
        groups = {"other": [*keep, *lead]}
    for name, group in groups.items():
        parts[name] = fit(render(midi(group, programs | {15: lead_program}), font, reverb=True), frames)
    loud = float(np.abs(parts["drums"]).max()) or 1.0
    music = sum(parts[k] for k in groups)
    gain = np.float32(loud * rng.uniform(0.6, 1.3) / max(1e-3, float(np.abs(music).max())))
    parts = {k: (p if k == "drums" else p * gain) for k, p in parts.items()}
    top = np.float32(0.9 / max(1e-6, float(np.abs(sum(parts.values())).max())))
    spans = list(itertools.pairwise(bars))
    return Song(
        parts={k: p * top for k, p in parts.items()},
        apart={k: p * top for k, p in apart.items()},
        hits=hits,
        notes=sorted((n.at, n.key) for n in [*keep, *lead]),
        beats=[b for b in beats if b < end],
        bars=bars[:-1],
        chords=[(a, b, c) for (a, b), c in zip(spans, chords, strict=True)],
        key=key,
        bpm=bpm,
        metre=metre,
        groove=groove,
        bare=[s for s, is_bare, quiet in zip(spans, bare, silent_drums, strict=True) if is_bare and not quiet],
        drumless=[s for s, quiet in zip(spans, silent_drums, strict=True) if quiet],
    )


def _bar(at: float, bars: list[float]) -> int:
    return int(np.clip(np.searchsorted(bars, at + 0.03) - 1, 0, len(bars) - 2))


def _form(bars: int, rng: np.random.Generator) -> tuple[list[bool], list[bool]]:
    """(bars without drums, bars with nothing but drums)."""
    silent, bare = [False] * bars, [False] * bars
    if rng.random() < 0.3:
        for k in range(int(rng.integers(2, 5))):
            silent[k] = True
    if rng.random() < 0.5:
        first, count = int(rng.integers(4, bars - 4)), int(rng.choice([1, 2, 2, 4]))
        for k in range(first, min(bars - 1, first + count)):
            bare[k], silent[k] = True, False
    return silent, bare


def warped(drift: float, quarters: float, rng: np.random.Generator) -> Callable[[float], float]:
    """Quarter notes of the score to quarter notes of the performance, whose tempo wanders slowly."""
    grid = np.arange(0, quarters + 9, 0.25)
    wander = np.zeros(len(grid))
    if drift:
        wander = np.convolve(rng.standard_normal(len(grid) + 64), np.hanning(64) / np.sqrt((np.hanning(64) ** 2).sum()), "same")
        wander = drift * wander[: len(grid)]
    at = np.concatenate(([0], np.cumsum(0.25 * np.exp(wander))))[:-1]
    return lambda q: float(np.interp(q, grid, at))


def notes_of(file: mido.MidiFile, seconds: Callable[[float], float]) -> tuple[list[Note], dict[int, int]]:
    notes: list[Note] = []
    programs: dict[int, int] = {}
    for track in file.tracks:
        tick, sounding = 0, {}
        for message in track:
            tick += message.time
            if message.type == "program_change":
                programs.setdefault(message.channel, message.program)
            elif message.type == "note_on" and message.velocity:
                sounding[(message.channel, message.note)] = (tick, message.velocity)
            elif message.type in ("note_on", "note_off"):
                start = sounding.pop((message.channel, message.note), None)
                if start is not None:
                    at, end = seconds(start[0]), seconds(tick)
                    notes.append(Note(max(0.0, at), message.channel, message.note, start[1], max(0.03, end - at)))
    return notes, {c: p for c, p in programs.items() if c != 9}


def _other_instruments(programs: dict[int, int], rng: np.random.Generator) -> dict[int, int]:
    """Half of them play something else of General MIDI, though no sound effects; a bass stays a bass."""
    bass = range(32, 40)
    return {
        channel: p if rng.random() < 0.5 else int(rng.choice(bass)) if p in bass else int(rng.integers(LAST_INSTRUMENT + 1))
        for channel, p in programs.items()
    }


def nearest(kit: Kit, note: int) -> int:
    """What this kit has that comes nearest to a drum of the standard set."""
    if kit.has(note):
        return note
    same = {35: 36, 40: 38, 41: 43, 47: 45, 50: 48, 57: 49, 52: 49, 55: 49, 59: 51, 53: 51}
    for other in (same.get(note, 0), 42 if note in (44, 46, 51, 53, 59, 54, 69, 70, 82) else 0, 43 if 60 <= note <= 68 else 0):
        if other and kit.has(other):
            return other
    return 42 if note >= 49 else 38


def lead_over(key: str, chords: list[str], bars: list[float], rng: np.random.Generator) -> tuple[list[Note], int]:
    """A melody of chord and scale tones, some bars empty."""
    tonic, mode = key.split()
    scale = [(KEYS.index(tonic) + s) % 12 for s in ((0, 2, 3, 5, 7, 8, 10) if mode == "minor" else (0, 2, 4, 5, 7, 9, 11))]
    place = int(rng.integers(60, 76))
    out: list[Note] = []
    for k in range(len(chords)):
        if rng.random() < 0.35:
            continue
        length = bars[k + 1] - bars[k]
        count = int(rng.choice([1, 2, 3, 4, 6]))
        for i in sorted(rng.choice(8, count, replace=False)):
            steps = [n for n in range(place - 5, place + 6) if n % 12 in scale]
            place = int(np.clip(steps[rng.integers(len(steps))], 55, 84))
            held = length / 8 * float(rng.uniform(0.5, 1.5))
            out.append(Note(bars[k] + length * i / 8, 15, place, int(rng.integers(60, 110)), held))
    return out, int(rng.choice(LEADS))


def finished(song: Song, rng: np.random.Generator) -> Wave:
    """The mix as a record would have it."""
    mix = colour.mastered(song.mix, rng)
    return colour.level(colour.lossy(mix, rng) if rng.random() < 0.2 else mix, float(rng.uniform(0.5, 1.0)))
