"""A pad's notes one after the other: what samplers of any kind can be fed with."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from grainpocket.core.notes import TONICS
from grainpocket.core.pocket import Pad, Pocket
from grainpocket.core.shape.voice import VoiceSpec, spec_of, under_the_hand
from grainpocket.core.sound.audio import Samples

STEP, REACH = 3, 24  # semitones from one note to the next, and up and down from the root
LONGEST_S, GAP_S, FADE_S = 6.0, 0.05, 0.05


def notes_of(pocket: Pocket, pad: Pad, voice: Callable[[VoiceSpec], Samples]) -> tuple[Samples, tuple[tuple[int, str], ...]]:
    """((n, 2) float32, where each note begins and its name). voice: renders one, its lead included."""
    root = round(pad.sound.root)
    parts: list[Samples] = []
    cuts: list[tuple[int, str]] = []
    at = 0
    for note in range(-REACH, REACH + 1, STEP):
        key = root + note
        if not 0 <= key <= 127:
            continue
        spec = spec_of(pocket, pad, under_the_hand(pad, note))
        sound = voice(spec)[spec.lead(pocket.rate) :][: int(LONGEST_S * pocket.rate)].copy()
        fade = min(int(FADE_S * pocket.rate), len(sound) // 4)
        if fade:
            sound[-fade:] *= np.linspace(1, 0, fade, dtype=np.float32)[:, None]
        cuts.append((at, f"{TONICS[key % 12]}{key // 12 - 1}"))
        parts += [sound, np.zeros((int(GAP_S * pocket.rate), 2), np.float32)]
        at += len(sound) + len(parts[-1])
    return np.concatenate(parts) if parts else np.zeros((0, 2), np.float32), tuple(cuts)
