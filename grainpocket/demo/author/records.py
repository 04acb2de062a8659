"""The demo records, note by note, and what is true of them."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from grainpocket.demo.author.colour import level, room, squeeze, tape
from grainpocket.demo.author.perform import RATE, Groove, Note, Wave, play
from grainpocket.demo.author.singer import Syllable, sing

KICK, SNARE, SIDE, HAT, OPEN, RIDE, LOW_TOM, MID_TOM = 36, 38, 37, 42, 46, 51, 43, 47
ROLES = {KICK: "kick", SNARE: "snare", SIDE: "snare", HAT: "hat", OPEN: "hat", RIDE: "hat"}
ROOM_KIT, STANDARD_KIT = 8, 0
FINGER_BASS, STAGE_KEYS, VIBES = 33, 4, 11


@dataclass
class Record:
    """sound: (n, 2); truth: bpm, bars, hits as (seconds, role) and what else is known."""

    name: str
    sound: Wave
    truth: dict[str, Any] = field(default_factory=dict)


def once_round(notes: list[Note], program: int, seconds: float, drums: bool = False) -> Wave:
    """A loop as it sounds from the second time on: the tails of its end ring into its start."""
    twice = play(notes + [Note(n.at + seconds, n.key, n.velocity, n.length) for n in notes], program, 2 * seconds + 1, drums)
    start = round(seconds * RATE)
    return twice[start : start + round(seconds * RATE)]


def drum_truth(notes: list[Note], until: float = 1e9) -> list[tuple[float, str, int]]:
    return [(round(n.at, 5), ROLES.get(n.key, "perc"), n.velocity) for n in sorted(notes, key=lambda n: n.at) if n.at < until]


def dockside() -> Record:
    """Four bars of a loose, swung break in a tiled room: ghost notes, a dragged snare, a fill at the end."""
    rng = np.random.default_rng(94)
    bpm, bars = 94.02, 4
    groove = Groove(bpm, 0.58, 0.0022, {SNARE: 0.006, HAT: 0.0})
    kicks = [(0, 7, 10), (0, 2, 7, 11), (0, 7, 10), (0, 7, 10)]
    ghosts = [(9, 15), (6, 9, 15), (9, 15), (3, 9)]
    notes: list[Note] = []
    for bar in range(bars):
        base = bar * 16
        for s in kicks[bar]:
            at = 0.0 if bar == 0 and s == 0 else groove.at(base + s, KICK, rng)
            notes.append(Note(at, KICK, int(rng.integers(98, 118)), 0.4))
        for s in (4, 12) if bar < 3 else (4,):
            notes.append(Note(groove.at(base + s, SNARE, rng), SNARE, int(rng.integers(106, 122)), 0.4))
        notes += [Note(groove.at(base + s, SNARE, rng), SNARE, int(rng.integers(34, 48)), 0.3) for s in ghosts[bar]]
        for s in range(0, 16, 2):
            key, hard = (OPEN, 78) if bar % 2 and s == 14 else (HAT, 84 if s % 4 == 0 else 62)
            if not (bar == 3 and s >= 12):
                at = max(0.0005, groove.at(base + s, HAT, rng)) if base + s else 0.001
                notes.append(Note(at, key, hard + int(rng.integers(-6, 7)), 0.25))
    for s, key, hard in ((12, SNARE, 112), (13, SNARE, 70), (14, MID_TOM, 100), (15, LOW_TOM, 108)):
        notes.append(Note(groove.at(48 + s, key, rng), key, hard, 0.4))
    seconds = bars * 240 / bpm
    dry = once_round(notes, ROOM_KIT, seconds, drums=True)
    wet = np.vstack((dry, dry))
    sound = level(tape(squeeze(room(wet, 0.18, 0.16), -22, 3.5, 4), 2.4, 12500, 0.0006, 1)[len(dry) :], -3)
    return Record("Dockside break", sound, {"bpm": bpm, "bars": bars, "hits": drum_truth(notes, seconds)})


def tin_roof() -> Record:
    """Two bars of hand percussion and a shaker."""
    rng = np.random.default_rng(128)
    bpm, bars = 128.0, 2
    groove = Groove(bpm, 0.53, 0.003, {})
    slap, tone, low, shaker, block = 62, 63, 64, 70, 76
    notes: list[Note] = []
    for bar in range(bars):
        for s, key, hard in (
            (0, low, 108),
            (3, tone, 88),
            (6, slap, 96),
            (8, low, 84),
            (10, tone, 92),
            (11, tone, 74),
            (14, slap, 104),
        ):
            if not (bar and s == 11):
                at = 0.0 if bar == 0 and s == 0 else groove.at(bar * 16 + s, key, rng)
                notes.append(Note(at, key, hard + int(rng.integers(-5, 6)), 0.3))
        for s in range(0, 16, 2):
            notes.append(
                Note(
                    max(0.001, groove.at(bar * 16 + s, shaker, rng)),
                    shaker,
                    (92 if s % 4 == 2 else 64) + int(rng.integers(-6, 7)),
                    0.15,
                )
            )
        notes.append(Note(groove.at(bar * 16 + 12, block, rng), block, 80, 0.2))
    seconds = bars * 240 / bpm
    dry = once_round(notes, STANDARD_KIT, seconds, drums=True)
    sound = level(tape(room(np.vstack((dry, dry)), 0.35, 0.22), 1.1, 13500, 0.0005, 2)[len(dry) :], -4)
    return Record("Tin roof rain", sound, {"bpm": bpm, "bars": bars, "hits": drum_truth(notes, seconds)})


def marlo() -> Record:
    """One hummed A3, opening from closed lips, held long enough to loop."""
    voice = sing([Syllable(0.05, 1.2, 57, "mm"), Syllable(1.15, 3.6, 57, "oo")], 5.2, 7, vibrato=0.16, breath=0.03)
    sound = level(tape(room(voice, 0.25, 0.14), 1.05, 11000, 0.0008, 3), -8)
    return Record("Marlo hum", sound.mean(axis=1, keepdims=True), {"key": 57})


PROGRESSION = (
    ("Dm7", 38, (53, 57, 60, 65)),
    ("Gm7", 43, (53, 58, 62, 65)),
    ("Bbmaj7", 46, (53, 57, 62, 65)),
    ("A7", 45, (52, 55, 61, 67)),
)
TUNE = (
    (0, 2.5, 69, "oo", True), (3, 1, 67, "ah", False), (4, 3, 65, "oh", True), (8, 1.5, 70, "ah", True), (10, 1, 69, "oo", False),
    (11, 2, 67, "oh", False), (13.5, 2, 64, "ah", True),
)  # fmt: skip


def chords_on_keys(first_bar: int, bars: int, bpm: float, rng: np.random.Generator) -> tuple[list[Note], list[tuple[float, str]]]:
    """Stage piano: a chord on the one, a shorter answer before the third beat; and when the chords change."""
    beat, notes, changes = 60 / bpm, [], []
    for bar in range(first_bar, first_bar + bars):
        name, _, keys = PROGRESSION[bar % 4]
        changes.append((round(bar * 4 * beat, 5), name))
        for at, length, hard in ((0, 2.1, 78), (2.5, 1.3, 62)):
            for i, key in enumerate(keys):
                notes.append(
                    Note(
                        (bar * 4 + at) * beat + i * 0.006 + abs(rng.normal(0, 0.004)),
                        key,
                        hard + int(rng.integers(-6, 7)),
                        length * beat,
                    )
                )
    return notes, changes


def bass_line(first_bar: int, bars: int, bpm: float, rng: np.random.Generator) -> list[Note]:
    beat, notes = 60 / bpm, []
    for bar in range(first_bar, first_bar + bars):
        root = PROGRESSION[bar % 4][1]
        for at, key, length in (
            (0, root, 1.3),
            (1.75, root, 0.4),
            (2.5, root + 7, 0.8),
            (3.5, root + 12 if bar % 2 else root - 2, 0.4),
        ):
            key = key - 12 if key > 48 else key
            notes.append(
                Note((bar * 4 + at) * beat + abs(rng.normal(0.004, 0.004)), key, 96 + int(rng.integers(-8, 9)), length * beat)
            )
    return notes


def lantern() -> Record:
    """Twenty-four bars: bare drums, then bass and keys, then a voice and a lead, two bare bars, and all again."""
    rng = np.random.default_rng(884)
    bpm, bars = 88.4, 24
    beat = 60 / bpm
    seconds = bars * 4 * beat + 1.6
    groove = Groove(bpm, 0.56, 0.003, {SNARE: 0.004})
    drums: list[Note] = []
    for bar in range(bars):
        base = bar * 16
        drums += [
            Note(groove.at(base + s, KICK, rng), KICK, int(rng.integers(92, 112)), 0.4) for s in ((0, 6, 10) if bar % 2 else (0, 7))
        ]
        drums += [Note(groove.at(base + s, SNARE, rng), SNARE, int(rng.integers(98, 116)), 0.4) for s in (4, 12)]
        drums += [Note(groove.at(base + s, SNARE, rng), SNARE, 38, 0.3) for s in (9,) if bar % 2]
        drums += [
            Note(groove.at(base + s, HAT, rng), HAT, (76 if s % 4 == 0 else 56) + int(rng.integers(-6, 7)), 0.2)
            for s in range(0, 16, 2)
        ]
        if bar % 8 == 7:
            drums += [Note(groove.at(base + s, k, rng), k, 100, 0.4) for s, k in ((13, MID_TOM), (14, MID_TOM), (15, LOW_TOM))]
    first, bare = 4, (14, 15)
    playing = [(first, 14 - first), (16, bars - 16)]
    keys: list[Note] = []
    bass: list[Note] = []
    changes: list[tuple[float, str]] = []
    for start, count in playing:
        notes, when = chords_on_keys(start, count, bpm, rng)
        keys, changes = keys + notes, changes + when
        bass += bass_line(start, count, bpm, rng)
    song = [
        Syllable((bar * 4 + at * 0.5) * beat + 0.01, length * 0.5 * beat * 0.94, key, vowel, hard)
        for bar in (8, 10, 12, 16, 20)
        for at, length, key, vowel, hard in TUNE
    ]
    lead = [
        Note((bar * 4 + at) * beat + abs(rng.normal(0, 0.006)), key, 84 + int(rng.integers(-6, 7)), length * beat)
        for bar in (18, 22)
        for at, key, length in ((0, 77, 1), (1, 76, 0.5), (1.5, 74, 1.5), (3.5, 72, 0.5), (4, 74, 2), (6.5, 69, 1.2))
    ]
    parts = {
        "drums": room(play(drums, STANDARD_KIT, seconds, drums=True), 0.2, 0.12) * 1.0,
        "bass": play(bass, FINGER_BASS, seconds) * 0.95,
        "keys": room(play(keys, STAGE_KEYS, seconds), 0.3, 0.14) * 0.75,
        "lead": room(play(lead, VIBES, seconds), 0.5, 0.22) * 0.55,
        "vocals": room(squeeze(level(sing(song, seconds, 11), -10), -20, 3), 0.45, 0.2) * 0.55,
    }
    together = np.sum(list(parts.values()), axis=0)
    # An old mixing desk: nearly mono below, never very wide.
    middle = together.mean(axis=1, keepdims=True)
    mix = level(tape(squeeze(middle + 0.6 * (together - middle), -16, 2.2, 15, 160), 1.15, 10500, 0.00012, 4), -12.5)
    end = round(seconds * RATE)
    mix[-round(0.8 * RATE) :] *= np.linspace(1, 0, round(0.8 * RATE))[:, None] ** 2
    truth = {
        "bpm": bpm, "bars": bars, "key": "D minor", "hits": drum_truth(drums), "chords": changes,
        "bare drum bars": [*range(first), *bare], "voice bars": [8, 16],
    }  # fmt: skip
    return Record("Lantern street", mix[:end], truth)


def galley() -> Record:
    """Four bars of stage piano and bass alone, no drums: for cutting where the chords change."""
    rng = np.random.default_rng(5)
    bpm, bars = 88.4, 4
    keys, changes = chords_on_keys(0, bars, bpm, rng)
    seconds = bars * 240 / bpm
    both = once_round(keys, STAGE_KEYS, seconds) * 0.8 + once_round(bass_line(0, bars, bpm, rng), FINGER_BASS, seconds) * 0.7
    sound = level(tape(room(np.vstack((both, both)), 0.4, 0.2), 1.2, 9500, 0.0006, 6)[len(both) :], -6)
    return Record("Galley keys", sound, {"bpm": bpm, "bars": bars, "key": "D minor", "chords": changes})


ALL = (dockside, lantern, tin_roof, marlo, galley)
