"""Effects: one file and one table of settings each; everything else about them follows from here."""

from __future__ import annotations

import numpy as np

from grainpocket.core.effects import (
    aged,
    compressor,
    crush,
    duck,
    echo,
    eq,
    limiter,
    resonator,
    reverb,
    saturation,
    transient,
    width,
)  # fmt: skip
from grainpocket.core.effects.base import TICK, Controls, Effect, run, start_state

EFFECTS: dict[str, Effect] = {
    one.kind: one
    for one in (
        eq.EFFECT, compressor.EFFECT, saturation.EFFECT, reverb.EFFECT, echo.EFFECT, duck.EFFECT, width.EFFECT, limiter.EFFECT,
        transient.EFFECT, crush.EFFECT, resonator.EFFECT, aged.EFFECT,
    )
}  # fmt: skip


def warm(rate: int) -> None:
    """Run every effect once over next to nothing: what is loaded or compiled for it, no musician waits for."""
    block = np.zeros((TICK, 2), np.float32)
    for effect in EFFECTS.values():
        controls = Controls(effect.defaults(), rate)
        run(effect, block, controls, start_state(effect, rate, controls), block)


__all__ = ["EFFECTS", "Effect", "warm"]
