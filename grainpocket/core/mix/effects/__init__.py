"""Effects: one file and one table of settings each; everything else about them follows from here."""

from __future__ import annotations

from grainpocket.core.mix.effects import compressor, duck, echo, eq, limiter, reverb, saturation, width
from grainpocket.core.mix.effects.base import Effect

EFFECTS: dict[str, Effect] = {
    one.kind: one
    for one in (
        eq.EFFECT, compressor.EFFECT, saturation.EFFECT, reverb.EFFECT, echo.EFFECT, duck.EFFECT, width.EFFECT, limiter.EFFECT,
    )
}  # fmt: skip

__all__ = ["EFFECTS", "Effect"]
