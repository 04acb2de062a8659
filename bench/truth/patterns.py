"""An arranger of our own: bars made of many kinds of drum, bass and chord patterns, drawn at random, as a MIDI file.

The arranger of `grooves` knows hundreds of grooves of dance bands. What it lacks is here: patterns in threes over a bar of
sixteen, half time and double time, drums that do not say where the beat is, layers that come and go.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import mido
import numpy as np

TICKS = 480
# Sixteenths in a quarter note: what all patterns are written in.
PER_QUARTER = 4
METRES = {"4/4": (4, 4), "3/4": (3, 4), "6/8": (6, 8)}
KICK, SIDE, SNARE, CLAP, CLOSED, PEDAL, OPEN, CRASH, RIDE = 36, 37, 38, 39, 42, 44, 46, 49, 51
TOMS, SHAKER, TAMBOURINE, BELL, CONGAS, BLOCK = (48, 45, 43), 70, 54, 56, (62, 63, 64), 76
_NAMES = ("C", "Db", "D", "Eb", "E", "F", "Gb", "G", "Ab", "A", "Bb", "B")
_QUALITIES = {
    "": (0, 4, 7),
    "m": (0, 3, 7),
    "7": (0, 4, 7, 10),
    "M7": (0, 4, 7, 11),
    "m7": (0, 3, 7, 10),
    "sus4": (0, 5, 7),
    "sus2": (0, 2, 7),
}
_BASSES = (32, 33, 34, 35, 36, 38, 39)
_COMPS = (0, 1, 4, 5, 7, 16, 17, 18, 24, 25, 26, 27, 28, 30, 61, 62, 80, 81)
_PADS = (48, 49, 50, 52, 88, 89, 90, 91)
Rng = np.random.Generator
Pattern = list[tuple[float, int]]
# (place in quarter notes, channel, key, velocity, length in quarter notes)
Event = tuple[float, int, int, int, float]


@dataclass(frozen=True)
class Style:
    """bpm: slowest and fastest; drums: (steps in the bar, rng) to hits (step, note, velocity); swung: whether it may swing."""

    bpm: tuple[float, float]
    drums: Callable[[int, Rng], list[tuple[float, int, int]]]
    swung: bool = True


def _some(rng: Rng, places: tuple[int, ...], share: float) -> list[int]:
    return [p for p in places if rng.random() < share]


def _line(
    places: list[int] | range, note: int, rng: Rng, low: int = 70, high: int = 110, share: float = 1.0
) -> list[tuple[float, int, int]]:
    return [(float(p), note, int(rng.integers(low, high))) for p in places if rng.random() < share]


def _hats(steps: int, rng: Rng, every: int = 0) -> list[tuple[float, int, int]]:
    each = every or int(rng.choice([1, 2, 2, 2, 4]))
    note = int(rng.choice([CLOSED, CLOSED, CLOSED, RIDE, SHAKER]))
    accent = int(rng.choice([2, 4, 4]))
    return [(float(p), note, int(rng.integers(70, 105)) - (25 if p % accent else 0)) for p in range(0, steps, each)]


def _rock(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    kicks = sorted({0, *([8] if n == 16 else []), *_some(rng, (3, 6, 7, 10, 11, 14), 0.25)})
    return (
        _line([k for k in kicks if k < n], KICK, rng) + _line([4, 12] if n == 16 else [4, 8], SNARE, rng, 90, 125) + _hats(n, rng)
    )


def _four(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    out = _line(range(0, n, 4), KICK, rng, 90, 120)
    out += _line(range(2, n, 4), int(rng.choice([OPEN, CLOSED, SHAKER])), rng)
    if rng.random() < 0.7:
        out += _line(range(4, n, 8), int(rng.choice([CLAP, SNARE])), rng, 85, 120)
    return out + (_hats(n, rng, 1) if rng.random() < 0.4 else [])


def _half(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    out = _line([0, *_some(rng, (3, 6, 7, 10, 11, 14), 0.3)], KICK, rng, 85, 120) + _line([8], SNARE, rng, 95, 125)
    return out + _hats(n, rng)


def _double(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    return _line(range(0, n, 4), KICK, rng) + _line(range(2, n, 4), SNARE, rng, 85, 120) + _hats(n, rng, int(rng.choice([1, 2])))


def _funk(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    kicks = [0, *_some(rng, (2, 3, 6, 7, 9, 10, 11, 13, 14, 15), 0.33)]
    out = _line([k for k in kicks if k < n], KICK, rng) + _line([4, 12] if n == 16 else [4, 8], SNARE, rng, 95, 125)
    return out + _line([p for p in range(n) if p % 4], SNARE, rng, 25, 50, 0.2) + _hats(n, rng, int(rng.choice([1, 2])))


def _broken(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    return (
        _line([0, 10, *_some(rng, (2, 7, 14), 0.3)], KICK, rng)
        + _line([4, 12, *_some(rng, (7, 9, 15), 0.3)], SNARE, rng)
        + _hats(n, rng)
    )


def _threes(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    """3 + 3 + 2: the bar says one thing, its accents another."""
    cell = [0, 3, 6, 8, 11, 14]
    out = _line(range(0, n, 4), KICK, rng, share=0.8) if rng.random() < 0.5 else _line([0, 8], KICK, rng)
    out += _line([p for p in cell if p % 8], int(rng.choice([SNARE, SIDE, CLAP, *TOMS])), rng)
    return out + (_hats(n, rng) if rng.random() < 0.6 else [])


def _dotted(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    out = _rock(n, rng) if rng.random() < 0.5 else _four(n, rng)
    return out + _line(range(0, n, 3), int(rng.choice([BELL, BLOCK, TAMBOURINE, SIDE, RIDE])), rng)


def _one_drop(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    return _line([8], KICK, rng, 90, 120) + _line([8], SIDE, rng) + _hats(n, rng, 2) + _line([4, 12], CLOSED, rng)


def _latin(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    out = _line([0, 6, 8, 14], KICK, rng) + _line([0, 3, 6, 10, 13], SIDE, rng) + _line(range(0, n, 2), CLOSED, rng, 50, 90)
    if rng.random() < 0.5:
        out += [(float(p), int(rng.choice(CONGAS)), int(rng.integers(60, 105))) for p in range(n) if rng.random() < 0.5]
    return out


def _march(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    out = _line(range(0, n, int(rng.choice([4, 8]))), KICK, rng)
    return out + [(float(p), SNARE, 100 if p % 4 == 0 else int(rng.integers(45, 75))) for p in range(0, n, int(rng.choice([1, 2])))]


def _train(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    return _line(range(0, n, 4), KICK, rng) + [
        (float(p), SNARE, 105 if p % 4 == 2 else int(rng.integers(40, 70))) for p in range(0, n, 1)
    ]


def _polka(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    return _line(range(0, n, 8), KICK, rng) + _line(range(4, n, 8), SNARE, rng) + (_hats(n, rng, 2) if rng.random() < 0.5 else [])


def _jazz(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    ride = [p for p in (0, 4, 6, 8, 12, 14) if p < n]
    out = _line(ride, RIDE, rng, 70, 105) + _line([4, 12] if n == 16 else [4, 8], PEDAL, rng)
    return out + _line(_some(rng, (2, 6, 10, 14), 0.25), SNARE, rng, 35, 80) + _line([0], KICK, rng, 50, 90, 0.6)


def _shuffle(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    note = int(rng.choice([CLOSED, RIDE]))
    out = [(float(p), note, int(rng.integers(70, 105)) - (20 if p % 4 else 0)) for p in range(0, n, 2)]
    return out + _line([0, 8, *_some(rng, (6, 14), 0.4)], KICK, rng) + _line([4, 12], SNARE, rng, 90, 120)


def _slow_threes(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    """Twelve eighths in the bar, written as triplets."""
    out = [(k * 4 / 3, CLOSED, int(rng.integers(65, 100)) - (20 if k % 3 else 0)) for k in range(n * 3 // 4)]
    return out + _line([0, 8], KICK, rng) + _line([4, 12], SNARE, rng, 90, 120)


def _rolls(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    out = _line([0, *_some(rng, (3, 5, 6, 7, 10, 11, 13, 14), 0.3)], KICK, rng) + _line([8], CLAP, rng) + _hats(n, rng, 2)
    first = float(rng.choice([4, 6, 12, 14]))
    return out + [(first + k * float(rng.choice([0.5, 2 / 3])), CLOSED, 70) for k in range(4)]


def _toms(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    hits = [0, *_some(rng, tuple(range(2, n, 2)), 0.55), *_some(rng, tuple(range(1, n, 2)), 0.12)]
    return [(float(p), int(rng.choice(TOMS)), int(rng.integers(75, 115))) for p in hits] + _line([0], KICK, rng)


def _hands(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    out = [
        (float(p), int(rng.choice(CONGAS)), int(rng.integers(60, 110)))
        for p in range(n)
        if rng.random() < (0.8 if p % 2 == 0 else 0.4)
    ]
    return out + _line(range(0, n, int(rng.choice([1, 2]))), int(rng.choice([SHAKER, TAMBOURINE])), rng, 60, 95)


def _sparse(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    return _line([0, *_some(rng, (6, 8, 10), 0.4)], KICK, rng) + _line(
        range(0, n, int(rng.choice([4, 8]))), int(rng.choice([CLOSED, RIDE, SIDE])), rng
    )


def _random(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    """What no book of grooves has: each drum where it falls, again in every bar."""
    out = _line([0, *_some(rng, tuple(range(2, n)), 0.2)], KICK, rng)
    out += _line(_some(rng, tuple(range(0, n, 4)), 0.4), SNARE, rng) + _line(_some(rng, tuple(range(n)), 0.12), SNARE, rng)
    return out + _hats(n, rng)


def _waltz(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    return (
        _line([0], KICK, rng)
        + _line([4, 8], int(rng.choice([SNARE, CLOSED, SIDE])), rng)
        + (_hats(n, rng) if rng.random() < 0.6 else [])
    )


def _six(n: int, rng: Rng) -> list[tuple[float, int, int]]:
    out = _line([0, *_some(rng, (4, 8, 10), 0.3)], KICK, rng) + _line([6], SNARE, rng, 90, 120)
    return out + _hats(n, rng, int(rng.choice([1, 2, 2])))


_FOURS = (
    Style((75, 175), _rock), Style((75, 175), _rock), Style((105, 150), _four), Style((105, 150), _four),
    Style((60, 175), _half), Style((70, 115), _double), Style((78, 125), _funk), Style((90, 180), _broken),
    Style((80, 150), _threes), Style((90, 150), _dotted), Style((65, 95), _one_drop), Style((90, 170), _latin),
    Style((85, 135), _march), Style((85, 140), _train), Style((95, 140), _polka), Style((100, 220), _jazz),
    Style((80, 150), _shuffle), Style((50, 85), _slow_threes, False), Style((60, 85), _rolls), Style((125, 165), _rolls),
    Style((80, 150), _toms), Style((80, 140), _hands), Style((60, 120), _sparse), Style((75, 150), _random),
)  # fmt: skip
_THREES = (Style((80, 190), _waltz), Style((80, 160), _rock), Style((80, 150), _sparse))
_SIXES = (Style((75, 190), _six),)


def compose(metre: str, chords: list[str], rng: Rng) -> tuple[mido.MidiFile, float]:
    """(file, BPM) of one bar a chord."""
    style = _pick({"4/4": _FOURS, "3/4": _THREES, "6/8": _SIXES}[metre], rng)
    bpm = float(np.round(np.exp(rng.uniform(np.log(style.bpm[0]), np.log(style.bpm[1]))), 2))
    steps = 16 if metre == "4/4" else 12
    swing = _swing(style, bpm, rng)
    events = _drums(style, steps, len(chords), rng)
    programs: dict[int, int] = {}
    early = 2 if rng.random() < 0.2 else 0
    for channel in range(1 + int(rng.integers(1, 5))):
        part, program = _bass(steps, chords, rng) if channel == 0 else _accompaniment(steps, chords, rng, early)
        programs[channel] = program
        on = _layers(len(chords), rng)
        events += [
            (at, channel, key, v, length) for at, key, v, length in part if on[min(int(at * PER_QUARTER / steps), len(on) - 1)]
        ]
    return _file([(swing(e[0]), *e[1:]) for e in events], programs, METRES[metre], bpm), bpm


def _pick(styles: tuple[Style, ...], rng: Rng) -> Style:
    return styles[int(rng.integers(len(styles)))]


def _swing(style: Style, bpm: float, rng: Rng) -> Callable[[float], float]:
    must = style.drums in (_jazz, _shuffle)
    if not style.swung or not (must or rng.random() < 0.2):
        return lambda at: at
    # Eighths swing, or in slower music the sixteenths.
    unit = 1.0 if must or bpm > 100 or rng.random() < 0.4 else 0.5
    late = float(rng.uniform(0.54, 0.69))

    def swung(at: float) -> float:
        whole, share = divmod(at / unit, 1.0)
        share = share * late / 0.5 if share < 0.5 else late + (share - 0.5) * (1 - late) / 0.5
        return float((whole + share) * unit)

    return swung


def _drums(style: Style, steps: int, bars: int, rng: Rng) -> list[Event]:
    two = [style.drums(steps, rng) for _ in range(2)]
    if rng.random() < 0.5:
        two[1] = [h for h in two[0] if rng.random() < 0.9]
    phrase, crashes = int(rng.choice([4, 8, 8, 16])), rng.random() < 0.5
    out: list[Event] = []
    for bar in range(bars):
        hits = list(two[bar % 2])
        if bar % phrase == phrase - 1 and rng.random() < 0.6:
            first = int(rng.choice([steps - 4, steps - 8]))
            hits = [h for h in hits if h[0] < first]
            hits += [
                (float(p), int(rng.choice([SNARE, *TOMS])), int(rng.integers(80, 118)))
                for p in range(first, steps)
                if rng.random() < 0.7
            ]
        if crashes and bar % phrase == 0:
            hits.append((0.0, CRASH, 100))
        out += [
            ((bar * steps + p) / PER_QUARTER, 9, note, int(np.clip(v + rng.integers(-8, 9), 15, 127)), 0.2) for p, note, v in hits
        ]
    return out


def _layers(bars: int, rng: Rng) -> list[bool]:
    """Whether a part sounds, bar by bar: it comes and goes by the four."""
    out: list[bool] = []
    while len(out) < bars:
        out += [bool(rng.random() < 0.82)] * int(rng.choice([4, 8]))
    return out[:bars]


def _rhythm(steps: int, rng: Rng) -> list[float]:
    """Where in the bar an accompaniment strikes."""
    kind = int(rng.integers(13))
    fixed: list[list[float]] = [
        [0.0], [0.0, steps / 2], [float(p) for p in range(0, steps, 4)], [float(p) for p in range(0, steps, 2)],
        [float(p) for p in range(2, steps, 4)], [float(p) for p in range(4, steps, 8)], [0.0, 6.0],
        [p for p in (0.0, 3.0, 6.0, 8.0, 11.0, 14.0) if p < steps], [p for p in (0.0, 6.0, 12.0) if p < steps],
        [float(p) for p in range(0, steps, 3)], [float(p) for p in range(steps)],
    ]  # fmt: skip
    if kind < len(fixed):
        return fixed[kind]
    share = float(rng.uniform(0.2, 0.5))
    return sorted(
        {
            0.0 if rng.random() < 0.75 else 2.0,
            *(float(p) for p in range(1, steps) if rng.random() < share * (1.3 if p % 2 == 0 else 0.5)),
        }
    )


def _tones(chord: str) -> list[int]:
    root = next(n for n in sorted(_NAMES, key=len, reverse=True) if chord.startswith(n))
    return [_NAMES.index(root) + t for t in _QUALITIES[chord[len(root) :]]]


def _bass(steps: int, chords: list[str], rng: Rng) -> tuple[list[tuple[float, int, int, float]], int]:
    rhythm, walking, octaves = _rhythm(steps, rng), rng.random() < 0.2, rng.random() < 0.3
    steady = [0.0, *[p for p in rhythm if p]] if rng.random() < 0.85 else rhythm
    rhythm = [float(p) for p in range(0, steps, 4)] if walking else steady
    hold = float(rng.choice([0.3, 0.6, 0.95]))
    out: list[tuple[float, int, int, float]] = []
    for bar, chord in enumerate(chords):
        tones = _tones(chord)
        for i, p in enumerate(rhythm):
            until = rhythm[i + 1] if i + 1 < len(rhythm) else steps
            key = 36 + tones[0] % 12 + (12 if octaves and i % 2 else 0)
            if walking and i:
                key = 36 + int(rng.choice(tones)) % 12
            elif i and rng.random() < 0.12:
                key = 36 + tones[2] % 12
            out.append(((bar * steps + p) / PER_QUARTER, key, int(rng.integers(75, 115)), (until - p) / PER_QUARTER * hold))
    return out, int(rng.choice(_BASSES))


def _accompaniment(steps: int, chords: list[str], rng: Rng, early: int) -> tuple[list[tuple[float, int, int, float]], int]:
    kind = str(rng.choice(["chords", "chords", "arpeggio", "riff", "pad"]))
    low = int(rng.integers(50, 66))
    out: list[tuple[float, int, int, float]] = []
    rhythm, hold = _rhythm(steps, rng), float(rng.choice([0.2, 0.5, 0.95]))
    each, cycle, offset = float(rng.choice([1, 2, 2, 4 / 3])), int(rng.choice([3, 4, 4, 6, 8])), int(rng.integers(8))
    riff = [(p, int(rng.integers(0, 8))) for p in rhythm]
    count = 0
    for bar, chord in enumerate(chords):
        keys = sorted(low + (t - low) % 12 for t in _tones(chord))
        start = bar * steps
        if kind == "pad":
            out += [(start / PER_QUARTER, k, int(rng.integers(50, 90)), steps / PER_QUARTER) for k in keys]
        elif kind == "arpeggio":
            ladder = [*keys, *(k + 12 for k in keys)]
            for i in range(round(steps / each)):
                key = ladder[(count % cycle + offset) % len(ladder)]
                out.append(((start + i * each) / PER_QUARTER, key, int(rng.integers(60, 100)), each / PER_QUARTER * 0.9))
                count += 1
        else:
            for i, (p, degree) in enumerate(riff):
                at = start + p - (early if p == 0 and bar else 0)
                until = riff[i + 1][0] if i + 1 < len(riff) else steps
                length = max(0.1, (until - p) / PER_QUARTER * hold)
                chosen = keys if kind == "chords" else [[*keys, *(k + 12 for k in keys)][degree % (2 * len(keys))]]
                out += [(at / PER_QUARTER, k, int(rng.integers(60, 105)), length) for k in chosen]
    return out, int(rng.choice(_PADS if kind == "pad" else _COMPS))


def _file(events: list[Event], programs: dict[int, int], metre: tuple[int, int], bpm: float) -> mido.MidiFile:
    file = mido.MidiFile(ticks_per_beat=TICKS)
    track = mido.MidiTrack()
    file.tracks.append(track)
    track.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(bpm)))
    track.append(mido.MetaMessage("time_signature", numerator=metre[0], denominator=metre[1]))
    track += [mido.Message("program_change", channel=c, program=p) for c, p in programs.items()]
    rows: list[tuple[int, int, mido.Message]] = []
    for at, channel, key, velocity, length in events:
        first = round(max(0.0, at) * TICKS)
        last = max(first + 10, round((at + length) * TICKS))
        rows.append((first, 1, mido.Message("note_on", channel=channel, note=key, velocity=velocity)))
        rows.append((last, 0, mido.Message("note_off", channel=channel, note=key)))
    now = 0
    for tick, _, message in sorted(rows, key=lambda r: (r[0], r[1])):
        track.append(message.copy(time=tick - now))
        now = tick
    return file
