"""Saturation: a bent transfer line, eight times oversampled, with its antiderivative against what would still fold back.

Antiderivative antialiasing of first order: Parker, Zavalishin & Le Bivic, "Reducing the aliasing of nonlinear waveshaping using
continuous-time convolution", DAFx 2016. Oversampling by a linear-phase low pass (Kaiser window, 100 dB), whose delay is the
latency.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from grainpocket.core.effects.base import Controls, Effect, Row, State, gains, low_pass
from grainpocket.core.setting import Choice, Parameter, Setting
from grainpocket.core.sound.audio import Samples

TIMES, TAPS = 8, 513
LATENCY = (TAPS - 1) // TIMES  # both passes of the filter, in samples
FLAT = 1e-5  # steps smaller than this are bent by the line itself
BIAS = 0.35  # of the uneven colour: how far off its middle the line is
SETTINGS: tuple[Setting, ...] = (
    Choice(
        "colour", "Colour", (("soft", "soft"), ("uneven", "uneven"), ("hard", "hard")), "soft",
        "soft: odd overtones that come gently; uneven: even ones too; hard: clipped",
    ),
    Parameter("drive", "Drive", "dB", 0.0, 36.0, 6.0, 0.5, 1, "How far it is driven into the bend"),
    Parameter("output", "Output", "dB", -36.0, 12.0, 0.0, 0.5, 1, "Level after it"),
)  # fmt: skip
COLOURS = ("soft", "uneven", "hard")


def _phases() -> tuple[Row, Row]:
    """((taps, TIMES) of the way up, (rows, TIMES) of the way down): coefficients by sample of the past, then by fine sample.

    The line's steps lie half a fine sample late; the way down, of even length, is half a one early: together they are whole."""
    up = low_pass(TAPS, 0.94 / TIMES, 10.06) * TIMES
    rows = -(-TAPS // TIMES)
    ahead = np.zeros(rows * TIMES)
    ahead[:TAPS] = up
    down = low_pass(TAPS - 1, 0.94 / TIMES, 10.06)
    # y[m] = sum over j of down[j] * bent[8 m - j]: the newest fine sample that counts is the first of the newest row.
    back = np.zeros(((TAPS - 1 + TIMES - 1) // TIMES + 1, TIMES))
    for j, value in enumerate(down):
        row, phase = divmod(-j, TIMES)
        back[-row, phase] = value
    return ahead.reshape(rows, TIMES), back


_UP, _DOWN = _phases()


def line(colour: str, x: Row) -> Row:
    """The transfer line of a colour: its slope at zero is one."""
    if colour == "hard":
        return np.clip(x, -1.0, 1.0)
    if colour == "uneven":
        return np.asarray((np.tanh(x + BIAS) - np.tanh(BIAS)) / (1 - np.tanh(BIAS) ** 2))
    return np.tanh(x)


def _begin(rate: int, controls: Controls) -> State:
    # What went in, driven; what the line made of it, finely; its last input and integral; and of the filter against an offset.
    return {
        "past": np.zeros((2, len(_UP) - 1)), "bent": np.zeros((2, len(_DOWN) - 1, TIMES)), "last": np.zeros((2, 2)),
        "offset": np.zeros((2, 2)),
    }  # fmt: skip


def _process(block: Samples, controls: Controls, state: State, key: Samples | None) -> Samples:
    start, frames = state["at"], len(block)
    colour = str(controls.settings["colour"])
    driven = block * gains(controls.samples("drive", start, frames))[:, None]
    wet = np.empty((frames, 2))
    _bend(driven, wet, COLOURS.index(colour), _UP, _DOWN, state["past"], state["bent"], state["last"])
    if colour == "uneven":
        wet = _without_offset(wet, controls.rate, state["offset"])
    return np.asarray(wet * gains(controls.samples("output", start, frames))[:, None], np.float32)


# log cosh and its slope at even steps: between them a cubic is within 1e-12, and ten times as quick as two logarithms.
_STEPS, _REACH = 256, 16
_NODES = np.arange(_STEPS * _REACH + 2) / _STEPS
_LOG_COSH = _NODES + np.log1p(np.exp(-2 * _NODES)) - np.log(2.0)
_SLOPES = np.tanh(_NODES) / _STEPS


@njit(cache=True, nogil=True)
def _log_cosh_of(x):  # type: ignore[no-untyped-def]
    size = abs(x)
    if size >= _REACH:
        return size - 0.6931471805599453
    place = size * _STEPS
    k = int(place)
    t = place - k
    y0, y1, s0, s1 = _LOG_COSH[k], _LOG_COSH[k + 1], _SLOPES[k], _SLOPES[k + 1]
    rise = y1 - y0
    return y0 + t * (s0 + t * (3 * rise - 2 * s0 - s1 + t * (s0 + s1 - 2 * rise)))


@njit(cache=True, nogil=True)
def _area(colour, x):  # type: ignore[no-untyped-def]
    if colour == 2:
        size = abs(x)
        return x * x / 2 if size <= 1.0 else size - 0.5
    if colour == 1:
        tilt = np.tanh(BIAS)
        return (_log_cosh_of(x + BIAS) - x * tilt) / (1 - tilt * tilt)
    return _log_cosh_of(x)


@njit(cache=True, nogil=True)
def _height(colour, x):  # type: ignore[no-untyped-def]
    if colour == 2:
        return min(1.0, max(-1.0, x))
    if colour == 1:
        tilt = np.tanh(BIAS)
        return (np.tanh(x + BIAS) - tilt) / (1 - tilt * tilt)
    return np.tanh(x)


@njit(cache=True, nogil=True)
def _bend(x, out, colour, up, down, past, bent, last):  # type: ignore[no-untyped-def]
    """Both filters phase by phase: eight sums (TIMES) side by side, by name, so that they stay in registers."""
    taps, rows, frames = up.shape[0], down.shape[0], x.shape[0]
    driven = np.empty(taps - 1 + frames)
    fine = np.empty((rows - 1 + frames, TIMES))
    for c in range(2):
        driven[: taps - 1] = past[c]
        driven[taps - 1 :] = x[:, c]
        fine[: rows - 1] = bent[c]
        for i in range(frames):
            t0, t1, t2, t3, t4, t5, t6, t7 = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
            for k in range(taps):
                value = driven[i + taps - 1 - k]
                t0 += value * up[k, 0]
                t1 += value * up[k, 1]
                t2 += value * up[k, 2]
                t3 += value * up[k, 3]
                t4 += value * up[k, 4]
                t5 += value * up[k, 5]
                t6 += value * up[k, 6]
                t7 += value * up[k, 7]
            for p, now in enumerate((t0, t1, t2, t3, t4, t5, t6, t7)):
                before, integral = last[c, 0], last[c, 1]
                area = _area(colour, now)
                step = now - before
                height = _height(colour, (now + before) / 2) if abs(step) < FLAT else (area - integral) / step
                fine[rows - 1 + i, p] = height
                last[c, 0], last[c, 1] = now, area
        for i in range(frames):
            t0, t1, t2, t3, t4, t5, t6, t7 = 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
            for k in range(rows):
                j = i + rows - 1 - k
                t0 += fine[j, 0] * down[k, 0]
                t1 += fine[j, 1] * down[k, 1]
                t2 += fine[j, 2] * down[k, 2]
                t3 += fine[j, 3] * down[k, 3]
                t4 += fine[j, 4] * down[k, 4]
                t5 += fine[j, 5] * down[k, 5]
                t6 += fine[j, 6] * down[k, 6]
                t7 += fine[j, 7] * down[k, 7]
            out[i, c] = ((t0 + t1) + (t2 + t3)) + ((t4 + t5) + (t6 + t7))
        past[c] = driven[frames:]
        bent[c] = fine[frames:]


def _without_offset(x: Row, rate: int, memory: Row) -> Row:
    from scipy import signal

    pole = np.exp(-2 * np.pi * 8.0 / rate)
    out, last = signal.lfilter([1.0, -1.0], [1.0, -pole], x, axis=0, zi=memory[:1])
    memory[:1] = np.where(np.abs(last) < 1e-20, 0.0, last)
    return np.asarray(out)


EFFECT = Effect("saturation", "Saturation", SETTINGS, _begin, _process, rings=lambda c: 2 * LATENCY, latency=LATENCY)
