"""Drum kits as one-shots whose attack is known to the sample: from free sound fonts, and from sums of our own."""

from __future__ import annotations

import functools
import os
import pickle
import tempfile
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import soxr

from bench.truth.synth import MELODIC_KITS, RATE, Note, Wave, midi, render

ROLE = {35: "kick", 36: "kick", 37: "snare", 38: "snare", 39: "snare", 40: "snare", 42: "hat", 44: "hat", 46: "hat"}
CYMBALS = (49, 51, 52, 53, 55, 57, 59)
CHOKED_BY = {46: (42, 44)}
# The sound "begins" where it first passes this share of its peak.
RISE = 0.03
LOUDNESS = {36: 1.0, 38: 0.8, 39: 0.7, 42: 0.35, 46: 0.4, 44: 0.3}


@dataclass(frozen=True)
class OneShot:
    """sound: (n, 2); rise: samples from its first to the one at which it begins."""

    sound: Wave
    rise: int


class Kit:
    """One-shots by General MIDI drum note, several loudnesses each. law: loudness goes with that power of the velocity."""

    law = 1.6

    def __init__(self, name: str, sounds: dict[int, list[tuple[float, list[OneShot]]]]) -> None:
        self.name, self.sounds = name, sounds

    @property
    def notes(self) -> list[int]:
        return sorted(self.sounds)

    def has(self, *notes: int) -> bool:
        return all(n in self.sounds for n in notes)

    def hit(self, note: int, velocity: int, rng: np.random.Generator) -> OneShot:
        """The layer nearest to `velocity` (1..127), turned to its loudness; a random one of a layer's takes."""
        layers = self.sounds[note]
        at, takes = min(layers, key=lambda one: abs(one[0] - velocity))
        shot = takes[rng.integers(len(takes))]
        return OneShot(shot.sound * np.float32((velocity / max(at, 1.0)) ** self.law), shot.rise)


class Sampler(Kit):
    """A kit as a sampler or a drum machine plays it: every drum the same take each time, and half of them but one take, soft
    or loud."""

    def __init__(self, kit: Kit, rng: np.random.Generator) -> None:
        layers = {note: [(at, [takes[rng.integers(len(takes))]]) for at, takes in kit.sounds[note]] for note in kit.notes}
        if rng.random() < 0.5:
            layers = {note: [max(some, key=lambda one: one[0])] for note, some in layers.items()}
        super().__init__(kit.name, layers)


class Varied(Kit):
    """A kit as another drummer tuned it and another engineer recorded it: every drum has its own pitch and tone, and some
    of what is hit shakes the floor."""

    def __init__(self, kit: Kit, rng: np.random.Generator) -> None:
        super().__init__(kit.name, {})
        self._kit, self._seed = kit, int(rng.integers(1 << 40))
        # Some play their ghosts so softly that they are hardly there.
        self.law = float(rng.uniform(1.3, 2.4))
        self._made: dict[int, list[tuple[float, list[OneShot]]]] = {}

    @property
    def notes(self) -> list[int]:
        return self._kit.notes

    def has(self, *notes: int) -> bool:
        return self._kit.has(*notes)

    def hit(self, note: int, velocity: int, rng: np.random.Generator) -> OneShot:
        if note not in self._made:
            self._made[note] = self._vary(note)
            self.sounds[note] = self._made[note]
        return super().hit(note, velocity, rng)

    def _vary(self, note: int) -> list[tuple[float, list[OneShot]]]:
        from scipy import signal

        rng = np.random.default_rng(self._seed + note)
        ratio, gain = float(2 ** rng.normal(0, 0.12)), float(10 ** (rng.normal(0, 2.5) / 20))
        tilt_hz, tilt_db = float(np.exp(rng.uniform(np.log(150), np.log(5000)))), float(rng.normal(0, 4))
        thump = 10 ** (rng.uniform(-34, -10) / 20) if rng.random() < 0.35 and ROLE.get(note) != "kick" else 0.0
        hz, decay = rng.uniform(55, 160), rng.uniform(0.02, 0.08)
        # A first-order shelf: what lies over tilt_hz by tilt_db against what lies under it.
        b, a = signal.butter(1, tilt_hz, fs=RATE)
        out: list[tuple[float, list[OneShot]]] = []
        for velocity, takes in self._kit.sounds[note]:
            shots = []
            for take in takes:
                sound = np.asarray(soxr.resample(take.sound, RATE * ratio, RATE, "MQ"), np.float32)
                low = signal.lfilter(b, a, sound, axis=0)
                sound = np.asarray(low + (sound - low) * 10 ** (tilt_db / 20), np.float32)
                if thump:
                    t = np.maximum(0, (np.arange(len(sound)) - take.rise / ratio) / RATE)
                    wave = thump * np.abs(sound).max() * np.sin(2 * np.pi * hz * t) * np.exp(-t / decay)
                    sound = np.asarray(sound + wave[:, None], np.float32)
                shot = _shot(np.asarray(sound * gain, np.float32))
                if shot is not None:
                    shots.append(shot)
            if shots:
                out.append((velocity, shots))
        return out or self._kit.sounds[note]


class Gathered(Kit):
    """Drums out of several kits, as a producer gathers them: each out of another, some of them two stacked, some cut short or
    driven; as loud as those of the first kit."""

    CUT, STACKED, DRIVEN = 0.4, 0.25, 0.3

    def __init__(self, kits: Sequence[Kit], rng: np.random.Generator) -> None:
        super().__init__("+".join(kit.name for kit in kits), {})
        for note in kits[0].notes:
            some = [kit for kit in kits if kit.has(note)]
            loud = _loudest(kits[0].sounds[note])
            first, second = (some[k] for k in rng.integers(len(some), size=2))
            layers = first.sounds[note]
            if rng.random() < self.STACKED:
                under = max(second.sounds[note], key=lambda one: one[0])[1][0]
                layers = [(at, [_stacked(take, under, at / 127) for take in takes]) for at, takes in layers]
            decay = float(np.exp(rng.uniform(np.log(0.02), np.log(0.4)))) if rng.random() < self.CUT else np.inf
            drive = float(rng.uniform(1, 6)) if rng.random() < self.DRIVEN else 0.0
            peak = _loudest(layers)
            self.sounds[note] = [(at, [_bent(take, loud / peak, peak, decay, drive) for take in takes]) for at, takes in layers]


def _loudest(layers: list[tuple[float, list[OneShot]]]) -> float:
    return max(float(np.abs(take.sound).max()) for _, takes in layers for take in takes)


def _stacked(one: OneShot, other: OneShot, share: float) -> OneShot:
    """Both, beginning together, the other 6 dB under it at most."""
    ahead = max(one.rise, other.rise)
    length = ahead + max(len(one.sound) - one.rise, len(other.sound) - other.rise)
    out = np.zeros((length, 2), np.float32)
    gain = 0.5 * share * np.abs(one.sound).max() / max(1e-6, float(np.abs(other.sound).max()))
    for shot, much in ((one, 1.0), (other, gain)):
        out[ahead - shot.rise : ahead - shot.rise + len(shot.sound)] += shot.sound * np.float32(much)
    return OneShot(out, ahead)


def _bent(shot: OneShot, gain: float, peak: float, decay: float, drive: float) -> OneShot:
    after = np.maximum(0, np.arange(len(shot.sound)) - shot.rise - 0.005 * RATE) / RATE
    sound = shot.sound * np.exp(-after / decay)[:, None]
    if drive:
        sound = np.tanh(sound * drive / peak) * peak / np.tanh(drive)
    return OneShot(np.asarray(sound * gain, np.float32), shot.rise)


def perform(kit: Kit, hits: list[tuple[float, int, int]], frames: int, rng: np.random.Generator) -> Wave:
    """(frames, 2): each (seconds, note, velocity) placed so that its sound begins at exactly its time."""
    return np.asarray(sum(perform_apart(kit, hits, frames, rng).values()), np.float32)


def perform_apart(kit: Kit, hits: list[tuple[float, int, int]], frames: int, rng: np.random.Generator) -> dict[str, Wave]:
    """The same, with kick, snare, hat and perc (all else) each for itself."""
    parts = {role: np.zeros((frames, 2), np.float32) for role in ("kick", "snare", "hat", "perc")}
    for at, note, velocity in hits:
        out = parts[ROLE.get(note, "perc")]
        shot = kit.hit(note, velocity, rng)
        first = round(at * RATE) - shot.rise
        sound = shot.sound[max(0, -first) :]
        first = max(0, first)
        ends = [t for t, n, _ in hits if n in CHOKED_BY.get(note, ()) and t > at + 0.01]
        if ends:
            stop = max(0, round((min(ends) - at) * RATE))
            fade = np.clip(1 - (np.arange(len(sound)) - stop) / (0.02 * RATE), 0, 1).astype(np.float32)
            sound = sound * fade[:, None]
        fitting = sound[: frames - first]
        out[first : first + len(fitting)] += fitting
    return parts


def _shot(sound: Wave) -> OneShot | None:
    size = np.abs(sound).max(axis=1)
    if not len(size) or size.max() < 1e-4:
        return None
    rise = int(np.argmax(size > RISE * size.max()))
    # A little of what is before stays: recordings do not begin at a threshold.
    first = max(0, rise - int(0.02 * RATE))
    last = len(size) - int(np.argmax(size[::-1] > 1e-3 * size.max()))
    return OneShot(np.ascontiguousarray(sound[first : min(last, first + int(1.6 * RATE))]), rise - first)


@functools.cache
def from_font(font: str, program: int) -> Kit:
    """One kit of a sound font: every drum at three loudnesses. Kept on disk, because some fonts take a minute to read."""
    kept = Path(tempfile.gettempdir()) / "grain-kits" / f"{font}-{program}.pickle"
    if kept.is_file():
        return Kit(f"{font}-{program}", pickle.loads(kept.read_bytes()))
    channel = 0 if font in MELODIC_KITS else 9
    velocities, gap = (30, 75, 115), 2.1
    notes = [*range(35, 60), *range(60, 82)]
    plan = [(n, v) for n in notes for v in velocities]
    file = midi([Note(0.1 + i * gap, channel, n, v, 1.2) for i, (n, v) in enumerate(plan)], {channel: program})
    whole = render(file, font)
    sounds: dict[int, list[tuple[float, list[OneShot]]]] = {}
    for i, (n, v) in enumerate(plan):
        shot = _shot(whole[int((0.05 + i * gap) * RATE) : int((i + 1) * gap * RATE)])
        if shot is not None:
            sounds.setdefault(n, []).append((v, [shot]))
    kept.parent.mkdir(parents=True, exist_ok=True)
    part = kept.with_suffix(f".{os.getpid()}")
    part.write_bytes(pickle.dumps(sounds))
    part.rename(kept)
    return Kit(f"{font}-{program}", sounds)


def from_sums(seed: int) -> Kit:
    """An electronic kit: swept sines, noise and metallic squares, its settings drawn at random."""
    rng = np.random.default_rng(seed)
    t = np.arange(int(1.2 * RATE)) / RATE

    def noise(low: float, high: float, decay: float) -> Wave:
        from scipy import signal

        sos = signal.butter(2, (low, high), "bandpass", fs=RATE, output="sos")
        return np.asarray(signal.sosfilt(sos, rng.standard_normal(len(t))) * np.exp(-t / decay), np.float32)

    def sweep(start: float, end: float, fall: float, decay: float) -> Wave:
        phase = 2 * np.pi * np.cumsum(end + (start - end) * np.exp(-t / fall)) / RATE
        return np.asarray(np.sin(phase) * np.exp(-t / decay), np.float32)

    def metal(decay: float) -> Wave:
        base = rng.uniform(280, 520)
        tone = sum(np.sign(np.sin(2 * np.pi * base * r * t)) for r in (1, 1.34, 1.61, 1.98, 2.49, 2.74))
        return np.asarray(noise(6000, 14000, decay) * (0.6 + 0.1 * np.asarray(tone)), np.float32)

    u = rng.uniform
    kick = sweep(u(150, 400), u(42, 65), u(0.01, 0.04), u(0.1, 0.4)) + u(0, 0.4) * noise(1500, 7000, 0.004)
    snare = u(0.3, 0.8) * sweep(u(230, 330), u(160, 210), 0.02, u(0.05, 0.12)) + u(0.5, 1) * noise(1200, 9000, u(0.06, 0.2))
    clap = sum(np.roll(noise(900, 4500, 0.009), int(k * u(0.009, 0.013) * RATE)) for k in range(3)) + noise(900, 4500, 0.09)
    parts = {
        36: kick, 38: snare, 39: np.asarray(clap), 42: metal(u(0.015, 0.05)), 46: metal(u(0.15, 0.4)), 44: metal(0.02),
        45: sweep(u(180, 260), u(110, 150), 0.05, 0.2), 43: sweep(u(130, 180), u(80, 105), 0.05, 0.25),
        48: sweep(u(250, 320), u(170, 200), 0.05, 0.18), 37: noise(1500, 3500, 0.012) + 0.5 * sweep(1700, 1650, 0.01, 0.01),
        56: np.asarray(np.sign(np.sin(2 * np.pi * 540 * t)) + np.sign(np.sin(2 * np.pi * 800 * t)), np.float32)
        * np.exp(-t / 0.12).astype(np.float32), 70: noise(4000, 9000, 0.03), 75: sweep(2500, 2480, 0.01, 0.03),
        49: metal(0.9), 51: metal(0.5), 61: sweep(400, 340, 0.02, 0.1), 54: metal(0.08),
    }  # fmt: skip
    sounds: dict[int, list[tuple[float, list[OneShot]]]] = {}
    for note, sound in parts.items():
        lead = np.zeros(int(0.02 * RATE), np.float32)
        wave = np.concatenate((lead, sound / np.abs(sound).max() * LOUDNESS.get(note, 0.5))).astype(np.float32)
        shot = _shot(np.repeat(wave[:, None], 2, axis=1))
        if shot is not None:
            sounds[note] = [(110.0, [shot])]
    return Kit(f"sums-{seed}", sounds)
