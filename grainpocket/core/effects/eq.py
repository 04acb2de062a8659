"""Parametric EQ: low cut, low shelf, three peaks, high shelf, high cut, one after the other.

Second-order sections after R. Bristow-Johnson, "Cookbook formulae for audio equalizer biquad filter coefficients" (bilinear
transform), in transposed direct form II. A section at 0 dB, or a cut switched off, is left out of the sum exactly.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from grainpocket.core.effects.base import TICK, Controls, Effect, Row, State
from grainpocket.core.setting import Choice, Parameter, Setting
from grainpocket.core.sound.audio import Samples

SLOPES = {"off": 0, "12": 1, "24": 2}  # sections of a cut
BUTTERWORTH = {1: (0.7071067811865476,), 2: (0.541196100146197, 1.3065629648763766)}  # Q of each section
SECTIONS = 9  # two of each cut, two shelves, three peaks


def _band(name: str, label: str, hz: float, step: float = 10.0) -> Parameter:
    about = f"Where the {label.lower()} works"
    return Parameter(f"{name}_hz", f"{label} at", "Hz", 20.0, 20000.0, hz, step, 0, about, "log")


def _gain(name: str, label: str) -> Parameter:
    return Parameter(f"{name}_db", label, "dB", -24.0, 24.0, 0.0, 0.5, 1, f"How much the {label.lower()} lifts or lowers")


def _q(name: str, label: str) -> Parameter:
    return Parameter(
        f"{name}_q", f"{label} width", "Q", 0.1, 18.0, 1.0, 0.1, 2, "How narrow it is: the higher, the narrower", "log"
    )


_CUT = (("off", "off"), ("12", "12 dB an octave"), ("24", "24 dB an octave"))
SETTINGS: tuple[Setting, ...] = (
    Choice("low_cut", "Low cut", _CUT, "off", "Takes away what lies below"), _band("low_cut", "Low cut", 30.0, 1.0),
    _gain("low", "Low shelf"), _band("low", "Low shelf", 120.0),
    *(p for k, hz in ((1, 250.0), (2, 1000.0), (3, 4000.0)) for p in (
        _gain(f"peak{k}", f"Peak {k}"), _band(f"peak{k}", f"Peak {k}", hz), _q(f"peak{k}", f"Peak {k}"))),
    _gain("high", "High shelf"), _band("high", "High shelf", 6000.0, 100.0),
    Choice("high_cut", "High cut", _CUT, "off", "Takes away what lies above"), _band("high_cut", "High cut", 16000.0, 100.0),
)  # fmt: skip


def sections(controls: Controls, start: int, frames: int) -> NDArray[np.float64]:
    """(ticks, SECTIONS, 5) b0, b1, b2, a1, a2 of each section at each tick."""
    rate = controls.rate

    def hz(name: str) -> Row:
        return np.minimum(controls.ticks(f"{name}_hz", start, frames), 0.49 * rate)

    count = len(hz("low"))
    out = np.zeros((count, SECTIONS, 5))
    out[:, :, 0] = 1.0
    at = 0
    for name, kind in (("low_cut", "high_pass"), ("high_cut", "low_pass")):
        for q in BUTTERWORTH.get(SLOPES[str(controls.settings[name])], ()):
            out[:, at] = _pass(kind, hz(name), np.full(count, q), rate)
            at += 1
    for name in ("low", "high"):
        out[:, at] = _shelf(name, hz(name), controls.ticks(f"{name}_db", start, frames), rate)
        at += 1
    for name in ("peak1", "peak2", "peak3"):
        db, width = controls.ticks(f"{name}_db", start, frames), controls.ticks(f"{name}_q", start, frames)
        out[:, at] = _peak(hz(name), db, width, rate)
        at += 1
    return out


def _normal(b: tuple[Row, Row, Row], a: tuple[Row, Row, Row]) -> NDArray[np.float64]:
    return np.stack([b[0] / a[0], b[1] / a[0], b[2] / a[0], a[1] / a[0], a[2] / a[0]], axis=-1)


def _pass(kind: str, hz: Row, q: Row, rate: int) -> NDArray[np.float64]:
    w = 2 * np.pi * hz / rate
    cos, alpha = np.cos(w), np.sin(w) / (2 * q)
    side = (1 - cos) / 2 if kind == "low_pass" else (1 + cos) / 2
    middle = 1 - cos if kind == "low_pass" else -(1 + cos)
    return _normal((side, middle, side), (1 + alpha, -2 * cos, 1 - alpha))


def _peak(hz: Row, db: Row, q: Row, rate: int) -> NDArray[np.float64]:
    a = 10 ** (db / 40)
    w = 2 * np.pi * hz / rate
    cos, alpha = np.cos(w), np.sin(w) / (2 * q)
    return _normal((1 + alpha * a, -2 * cos, 1 - alpha * a), (1 + alpha / a, -2 * cos, 1 - alpha / a))


def _shelf(which: str, hz: Row, db: Row, rate: int) -> NDArray[np.float64]:
    a = 10 ** (db / 40)
    w = 2 * np.pi * hz / rate
    cos, root = np.cos(w), 2 * np.sqrt(a) * np.sin(w) / 2 * np.sqrt(2.0)  # shelf slope 1
    sign = 1.0 if which == "low" else -1.0
    up, down = (a + 1) - sign * (a - 1) * cos, (a + 1) + sign * (a - 1) * cos
    b1 = sign * 2 * a * ((a - 1) - sign * (a + 1) * cos)
    a1 = -sign * 2 * ((a - 1) + sign * (a + 1) * cos)
    return _normal((a * (up + root), b1, a * (up - root)), (down + root, a1, down - root))


def response_db(controls: Controls, hz: Row) -> Row:
    """(k,) dB at frequencies: the picture of the settings as they stand."""
    z = np.exp(-2j * np.pi * hz / controls.rate)
    total = np.ones(len(hz), complex)
    for b0, b1, b2, a1, a2 in sections(controls, 0, 1)[0]:
        total *= (b0 + b1 * z + b2 * z**2) / (1 + a1 * z + a2 * z**2)
    return np.asarray(20 * np.log10(np.maximum(np.abs(total), 1e-12)))


def _begin(rate: int, controls: Controls) -> State:
    return {"memory": np.zeros((SECTIONS, 2, 2))}


def _process(block: Samples, controls: Controls, state: State, key: Samples | None) -> Samples:
    out = block.astype(np.float64)
    every, memory = sections(controls, state["at"], len(block)), state["memory"]
    # Sections that do nothing, and have nothing left to say, are passed over.
    flat = (every[:, :, 0] == 1.0) & (every[:, :, 1] == every[:, :, 3]) & (every[:, :, 2] == every[:, :, 4])
    active = np.flatnonzero(~flat.all(axis=0) | memory.any(axis=(1, 2)))
    if not len(active):
        return block.copy()
    kept = memory[active]
    _filter(out, np.ascontiguousarray(every[:, active]), state["at"] % TICK, kept)
    memory[active] = kept
    return out.astype(np.float32)


@njit(cache=True, nogil=True)
def _filter(x, coefficients, offset, memory):  # type: ignore[no-untyped-def]
    for i in range(x.shape[0]):
        tick = (offset + i) // TICK
        part = ((offset + i) % TICK) / TICK
        for s in range(coefficients.shape[1]):
            # Straight from tick to tick: a step of the coefficients would be heard.
            b0 = coefficients[tick, s, 0] + (coefficients[tick + 1, s, 0] - coefficients[tick, s, 0]) * part
            b1 = coefficients[tick, s, 1] + (coefficients[tick + 1, s, 1] - coefficients[tick, s, 1]) * part
            b2 = coefficients[tick, s, 2] + (coefficients[tick + 1, s, 2] - coefficients[tick, s, 2]) * part
            a1 = coefficients[tick, s, 3] + (coefficients[tick + 1, s, 3] - coefficients[tick, s, 3]) * part
            a2 = coefficients[tick, s, 4] + (coefficients[tick + 1, s, 4] - coefficients[tick, s, 4]) * part
            flat = b0 == 1.0 and b1 == a1 and b2 == a2
            for c in range(2):
                if flat and memory[s, c, 0] == 0.0 and memory[s, c, 1] == 0.0:
                    continue
                y = b0 * x[i, c] + memory[s, c, 0]
                first = b1 * x[i, c] - a1 * y + memory[s, c, 1]
                second = b2 * x[i, c] - a2 * y
                # What is far under hearing is nothing: denormal numbers are slow, and a silent state has one form.
                memory[s, c, 0] = first if abs(first) > 1e-20 else 0.0
                memory[s, c, 1] = second if abs(second) > 1e-20 else 0.0
                x[i, c] = y


EFFECT = Effect("eq", "EQ", SETTINGS, _begin, _process, rings=lambda controls: controls.rate // 2)
