"""What moves in a voice: envelopes and slow oscillators, as curves over its samples.

Everything slow is read every TICK samples from the hit on and goes in straight lines between, so that even a square wave or an
attack of nothing has no step. (n,) float64 throughout.
"""

from __future__ import annotations

import hashlib

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.document.sound import Sound

TICK = 32
SILENCE_DB = -60.0
BENT = 6.0  # how strongly a curve is bent at 100 %
Row = NDArray[np.float64]


def bent(x: Row, bend: float) -> Row:
    """0..1 to 0..1 along an exponential; bend in %: over 0 slow first, under it fast first, 0 a straight line."""
    k = BENT * bend / 100
    return x if abs(k) < 1e-3 else np.asarray(np.expm1(k * x) / np.expm1(k))


def seconds(frames: int, lead: int, rate: int) -> Row:
    """Seconds after the hit of every sample of a voice; those of the lead count as the hit itself."""
    return np.asarray(np.maximum(np.arange(frames) - lead, 0) / rate)


def amplitude(sound: Sound, t: Row) -> Row:
    """Attack, hold, decay and sustain as gains at seconds after the hit."""
    attack, hold, decay = sound.attack / 1000, sound.hold / 1000, sound.decay / 1000
    low = 0.0 if sound.sustain <= SILENCE_DB else 10 ** (sound.sustain / 20)
    out = np.ones(len(t))
    if attack > 0:
        rising = t < attack
        out[rising] = bent(t[rising] / attack, sound.attack_bend)
    after = t - attack - hold
    falling = after >= 0
    if low < 1.0:
        part = np.clip(after[falling] / decay, 0, 1) if decay > 0 else np.ones(int(falling.sum()))
        out[falling] = 1 - (1 - low) * bent(part, sound.decay_bend)
    return out


def sounds_for(sound: Sound) -> float | None:
    """Seconds after which the envelope has come to silence for good; None when it never does."""
    if sound.sustain > SILENCE_DB or sound.anew:
        return None
    return float(sound.attack + sound.hold + sound.decay) / 1000


def falls(t: Row, attack_ms: float, decay_ms: float, sustain: float = 0.0) -> Row:
    """An envelope of 0..1: rises in a straight line, falls along an exponential to where it stays."""
    attack = attack_ms / 1000
    after = np.maximum(t - attack, 0)
    out = sustain + (1 - sustain) * np.exp(-4.6 * after / max(decay_ms / 1000, 1e-3))
    return np.asarray(np.where(t < attack, t / max(attack, 1e-9), out))


def oscillator(sound: Sound, number: int, t: Row, tempo: float, phase: float) -> Row:
    """A slow oscillator, -1..1. phase: rounds that it has behind it at the hit."""
    place = t * rounds_a_second(sound, number, tempo) + phase
    part = place % 1.0
    shape = getattr(sound, f"lfo{number}_shape")
    if shape == "sine":
        return np.sin(2 * np.pi * part)
    if shape == "triangle":
        return np.asarray(1 - 4 * np.abs((part + 0.25) % 1.0 - 0.5))
    if shape == "square":
        return np.where(part < 0.5, 1.0, -1.0)
    if shape == "ramp":
        return np.asarray(1 - 2 * part)
    turns = np.floor(place).astype(np.int64)
    first = int(turns.min(initial=0))
    values = np.array([_chance(number, turn) for turn in range(first, int(turns.max(initial=0)) + 1)])
    return np.asarray(values[turns - first])


def rounds_a_second(sound: Sound, number: int, tempo: float) -> float:
    """Hz of slow oscillator 1 or 2; tempo: BPM, for one that is synced to note values."""
    if getattr(sound, f"lfo{number}_synced"):
        return tempo / 60 / float(getattr(sound, f"lfo{number}_beats"))
    return float(getattr(sound, f"lfo{number}_hz"))


def _chance(number: int, turn: int) -> float:
    """-1..1, the same each time it is asked for."""
    digest = hashlib.blake2b(f"{number} {turn}".encode(), digest_size=4).digest()
    return int.from_bytes(digest, "big") / 2**31 - 1


def over_ticks(frames: int, lead: int, rate: int) -> tuple[Row, Row]:
    """(samples of the ticks, their seconds after the hit): where slow curves are read."""
    at = np.arange(0, frames + TICK, TICK, dtype=np.float64)
    return at, np.maximum(at - lead, 0) / rate


def filled(at: Row, values: Row, frames: int) -> Row:
    """Ticks to samples."""
    return np.asarray(np.interp(np.arange(frames), at, values))
