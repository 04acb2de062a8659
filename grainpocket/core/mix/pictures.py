"""What an effect does, as a line or as bars: for the eye, from the very formulas that are heard."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np

from grainpocket.core.effects import compressor, duck, echo, eq, saturation
from grainpocket.core.effects.base import Controls, Row

POINTS = 160
LOWEST_DB = -60.0


@dataclass(frozen=True)
class Drawing:
    """x, y: (n,) each; log_x: drawn by ratios; shape: a line through the points, or a bar at each."""

    x: Row
    y: Row
    x_unit: str
    y_unit: str
    low: float
    high: float
    log_x: bool = False
    shape: Literal["line", "bars"] = "line"


def drawing(kind: str, controls: Controls) -> Drawing | None:
    """None for an effect of which there is nothing to see."""
    draw = _DRAW.get(kind)
    return draw(controls) if draw else None


def _eq(controls: Controls) -> Drawing:
    hz = np.geomspace(20, 20000, POINTS)
    return Drawing(hz, eq.response_db(controls, hz), "Hz", "dB", -24, 24, log_x=True)


def _compressor(controls: Controls) -> Drawing:
    came = np.linspace(LOWEST_DB, 0, POINTS)
    same = [np.full(POINTS, controls.number(name)) for name in ("threshold", "ratio", "knee")]
    gone = compressor.reduction_db(came, *same)
    return Drawing(came, came - np.abs(gone) + controls.number("makeup"), "dB", "dB", LOWEST_DB, 12)


def _saturation(controls: Controls) -> Drawing:
    x = np.linspace(-1, 1, POINTS)
    drive = 10 ** (controls.number("drive") / 20)
    return Drawing(x, saturation.line(str(controls.settings["colour"]), x * drive), "", "", -1.2, 1.2)


def _echo(controls: Controls) -> Drawing:
    left, right = echo.delays(controls, 0, 1)[0] / controls.rate
    share = controls.number("feedback") / 100
    count = 12
    times = np.array([(k + 1) * (left + right) / 2 for k in range(count)])
    return Drawing(times, np.array([min(1.0, share**k) for k in range(count)]), "s", "", 0, 1, shape="bars")


def _reverb(controls: Controls) -> Drawing:
    before, decay = controls.number("before") / 1000, controls.number("decay")
    t = np.linspace(0, before + decay, POINTS)
    return Drawing(t, np.where(t < before, LOWEST_DB, -60 * (t - before) / decay), "s", "dB", LOWEST_DB, 0)


def _duck(controls: Controls) -> Drawing:
    """One stroke of a tenth of a second."""
    rate = controls.rate
    attack, hold, release = (controls.number(n) / 1000 for n in ("attack", "hold", "release"))
    struck = 0.1
    t = np.linspace(-0.02, struck + hold + release + 0.05, POINTS)
    down = np.clip(t / max(attack, 1 / rate), 0, 1)
    back = np.clip((t - struck - hold) / release, 0, 1)
    share = np.where(t < 0, 0.0, np.minimum(down, 0.5 * (1 + np.cos(np.pi * back))))
    return Drawing(t * 1000, -controls.number("depth") * share, "ms", "dB", -max(12.0, controls.number("depth")), 0)


_DRAW: dict[str, Callable[[Controls], Drawing]] = {
    eq.EFFECT.kind: _eq, compressor.EFFECT.kind: _compressor, saturation.EFFECT.kind: _saturation, echo.EFFECT.kind: _echo,
    "reverb": _reverb, duck.EFFECT.kind: _duck,
}  # fmt: skip
