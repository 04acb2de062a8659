"""A balance of stems: each with its level, place and three bands, added up again."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence

import numpy as np
from pydantic import Field

from grainpocket.core.document.base import Frozen
from grainpocket.core.effects import EFFECTS
from grainpocket.core.effects.base import Controls, balance, run, start_state
from grainpocket.core.listen.measures.loudness import LoudnessMeter
from grainpocket.core.params import of
from grainpocket.core.sound.audio import Samples, gain_of, peak_of

BLOCK_S = 4.0
TILT_DB = 18.0
MOST_EVENED_DB = 12.0


class StemLevel(Frozen):
    """source: the stem, a find; low, middle, high: dB below 250 Hz, round 1.2 kHz
    and above 5 kHz."""

    source: str
    level: float = of("bus", "level").field()
    pan: float = of("bus", "pan").field()
    low: float = Field(default=0.0, ge=-TILT_DB, le=TILT_DB)
    middle: float = Field(default=0.0, ge=-TILT_DB, le=TILT_DB)
    high: float = Field(default=0.0, ge=-TILT_DB, le=TILT_DB)

    @property
    def bent(self) -> bool:
        return bool(self.low or self.middle or self.high)


Read = Callable[[StemLevel, int, int], Samples]


def balanced(stems: Sequence[StemLevel], read: Read, start: int, end: int, rate: int) -> Iterator[Samples]:
    """(n, 2) blocks from one sample of the record to another. read(stem, first, last): what of a stem lies there. Untouched stems
    added up are the record, to the sample."""
    ways = [_bands(stem, rate) for stem in stems]
    eq = EFFECTS["eq"]
    states = [start_state(eq, rate, way) if way is not None else None for way in ways]
    step = int(BLOCK_S * rate)
    for first in range(start, end, step):
        last = min(end, first + step)
        out = np.zeros((last - first, 2), np.float32)
        for stem, way, state in zip(stems, ways, states, strict=True):
            block = read(stem, first, last)
            if way is not None and state is not None:
                block = run(eq, block, way, state)
            if stem.level or stem.pan:
                block = block * (balance(np.array([stem.pan / 100]))[0] * gain_of(stem.level)).astype(np.float32)
            out += block
        yield out


def evened(sound: Samples, record: Samples, rate: int) -> float:
    """The factor by which (n, 2) sounds as loud as (n, 2) of its record (ITU-R BS.1770), so that neither is liked better for being
    louder: at most MOST_EVENED_DB up or down, and never over full scale for it. 1 where either is silent or too short to tell."""
    told = []
    for one in (sound, record):
        meter = LoudnessMeter(rate)
        meter.feed(np.asarray(one, np.float32))
        told.append(meter.finish().lufs)
    if told[0] is None or told[1] is None:
        return 1.0
    factor = float(gain_of(float(np.clip(told[1] - told[0], -MOST_EVENED_DB, MOST_EVENED_DB))))
    peak = peak_of(sound)
    return max(1.0, 1.0 / peak) if factor > 1.0 and peak * factor > 1.0 and peak > 0 else factor


def _bands(stem: StemLevel, rate: int) -> Controls | None:
    if not stem.bent:
        return None
    eq = EFFECTS["eq"]
    settings = {**eq.defaults(), "low_db": stem.low, "low_hz": 250.0, "high_db": stem.high, "high_hz": 5000.0}
    settings |= {"peak2_db": stem.middle, "peak2_hz": 1200.0, "peak2_q": 0.5}
    return Controls(settings, rate, rate / 2)
