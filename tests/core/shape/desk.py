"""What tests of voices do again and again."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.document.sound import Sound
from grainpocket.core.shape.voice import VoiceSpec, render
from tests.files import tone
from tests.signals import RATE, ArrayReader, drum_loop


def _harmonics(hz: float, seconds: float = 3.0) -> NDArray[np.float32]:
    t = np.arange(int(seconds * RATE)) / RATE
    wave = sum(np.sin(2 * np.pi * hz * k * t + k) / k for k in range(1, 9)) * 0.2
    return np.asarray(np.stack((wave, wave), 1), np.float32)


LOOP = drum_loop()
READER = ArrayReader(
    loop=LOOP.samples, tone=tone(3.0, channels=2), mono=tone(1.0), constant=np.full((RATE, 2), 0.25, np.float32),
    reed=_harmonics(196.0), noise=np.asarray(0.1 * np.random.default_rng(4).standard_normal((2 * RATE, 2)), np.float32),
)  # fmt: skip
SPEC_FIELDS = ("tempo", "held", "glide", "note", "marks", "phases", "delay", "scale")


def spec(audio: str, first: int = 4000, last: int = 4000 + RATE, **settings: Any) -> VoiceSpec:
    """Settings of the sound by name; those of the stroke go into the spec."""
    own = {name: settings.pop(name) for name in SPEC_FIELDS if name in settings}
    return VoiceSpec(audio, first, last, Sound(**settings), **own)


def solid(one: VoiceSpec) -> NDArray[np.float32]:
    """From its hit on."""
    return render(one, READER, RATE)[one.lead(RATE) :]


def hertz(sound: NDArray[np.float32]) -> float:
    """The strongest partial, by the phase of two windows (after Flanagan & Golden, 1966)."""
    size, hop = 16384, 64
    window = np.hanning(size)
    first = max(0, (len(sound) - size) // 2 - hop)
    a, b = (np.fft.rfft(window * np.resize(sound[at : at + size, 0], size)) for at in (first, first + hop))
    peak = int(np.argmax(np.abs(a)))
    turned = np.angle(b[peak]) - np.angle(a[peak]) - 2 * np.pi * peak * hop / size
    return float((peak / size + (turned - 2 * np.pi * np.round(turned / (2 * np.pi))) / (2 * np.pi * hop)) * RATE)
