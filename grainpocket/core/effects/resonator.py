"""Resonance: up to four strings tuned to a note or a chord, set going by what comes in.

Each is a delay of one period with a low pass in its loop (Karplus & Strong, "Digital synthesis of plucked-string and drum
timbres", CMJ 7(2), 1983; loop gain from the decay time: Jaffe & Smith, CMJ 7(2), 1983), read between samples in a straight line.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numba import njit

from grainpocket.core.effects.base import TICK, Controls, Effect, State
from grainpocket.core.notes import CHORDS, Steps
from grainpocket.core.setting import Choice, Parameter, Setting
from grainpocket.core.sound.audio import Samples

STRINGS, LOWEST_HZ = 4, 20.0
SLIDE_S = 0.08  # a string that is tuned anew slides there
# One string alone, or those of a chord.
TUNED: Mapping[str, Steps] = {"note": (0,), **CHORDS}
SETTINGS: tuple[Setting, ...] = (
    Parameter("note", "Note", "key", 24.0, 96.0, 57.0, 1.0, 2, "The lowest string (MIDI; 57 is A3)"),
    Choice("chord", "Strings", tuple((name, name) for name in TUNED), "minor", "Which notes sound over it"),
    Parameter("decay", "Decay", "s", 0.05, 10.0, 1.2, 0.1, 2, "To 60 dB down", "log"),
    Parameter("bright", "Brightness", "Hz", 200.0, 20000.0, 6000.0, 100.0, 0, "What lies above fades sooner", "log"),
)


def _begin(rate: int, controls: Controls) -> State:
    room = int(2 ** np.ceil(np.log2(rate / LOWEST_HZ + 4)))
    return {"ring": np.zeros((STRINGS * 2, room)), "low": np.zeros(STRINGS * 2), "period": np.zeros(STRINGS)}


def _process(block: Samples, controls: Controls, state: State, key: Samples | None) -> Samples:
    start, frames, rate = state["at"], len(block), controls.rate
    steps = np.array(TUNED[str(controls.settings["chord"])], np.float64)
    pole = np.exp(-2 * np.pi * np.minimum(controls.ticks("bright", start, frames), 0.45 * rate) / rate)
    hz = 440.0 * 2 ** ((controls.ticks("note", start, frames)[:, None] + steps - 69) / 12)
    # The low pass lags by so many samples at low frequencies: the string is that much shorter.
    periods = np.clip(rate / np.maximum(hz, LOWEST_HZ) - (pole / (1 - pole))[:, None], 2.0, state["ring"].shape[1] - 3.0)
    feedback = 10 ** (-3 / np.maximum(hz * controls.ticks("decay", start, frames)[:, None], 1e-3))
    out = np.zeros((frames, 2))
    slide = float(np.exp(-1 / (SLIDE_S * rate)))
    _ring(np.asarray(block, np.float64), out, start, periods, feedback, pole, slide, state["ring"], state["low"], state["period"])
    return np.asarray(out / np.sqrt(len(steps)), np.float32)


@njit(cache=True, nogil=True)
def _ring(x, out, start, periods, feedback, pole, slide, ring, low, now_at):  # type: ignore[no-untyped-def]
    room = ring.shape[1]
    strings = periods.shape[1]
    for i in range(x.shape[0]):
        now = start + i
        tick = now // TICK - start // TICK
        part = (now % TICK) / TICK
        for s in range(strings):
            wanted = periods[tick, s] + (periods[tick + 1, s] - periods[tick, s]) * part
            if now_at[s] == 0.0:
                now_at[s] = wanted
            now_at[s] = wanted + (now_at[s] - wanted) * slide
            # So near is there: a steady string is steady to the last bit.
            if abs(now_at[s] - wanted) < 1e-6:
                now_at[s] = wanted
            period = now_at[s]
            gain = feedback[tick, s] + (feedback[tick + 1, s] - feedback[tick, s]) * part
            whole = int(period)
            share = period - whole
            for c in range(2):
                k = 2 * s + c
                y = ring[k, (now - whole) % room] * (1 - share) + ring[k, (now - whole - 1) % room] * share
                low[k] = y * (1 - pole[tick]) + low[k] * pole[tick]
                if abs(low[k]) < 1e-20:
                    low[k] = 0.0
                # As loud however long it rings.
                into = x[i, c] * np.sqrt(1 - gain * gain) + low[k] * gain
                ring[k, now % room] = into if abs(into) > 1e-20 else 0.0
                out[i, c] += into


def _rings(controls: Controls) -> int:
    return int(controls.number("decay") * controls.rate * 1.7)


EFFECT = Effect("resonator", "Resonance", SETTINGS, _begin, _process, rings=_rings, rings_in=("ring",))
