"""Echo: a delay in note values or milliseconds, with two filters and a guard inside its loop.

The loop writes what comes in and what came out of it, filtered, through the effects that lie in it, and guarded: under full scale
the guard is a straight wire, over it a bend that no feedback gets past (twice full scale at the very most), so that it may be
turned up to where it sings and never runs away. A delay that is changed while it sounds glides, as a tape does; at rest it is whole
samples, exactly.

With effects in the loop it goes round in blocks no longer than the shortest delay; what they lag is read ahead, so that the echoes
stay on the beat, and a delay is never shorter than that and a tick.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from grainpocket.core.effects.base import TICK, Controls, Effect, Row, State, run, start_state
from grainpocket.core.setting import Choice, Parameter, Setting, Switch
from grainpocket.core.sound.audio import Samples

LEAST_S, MOST_S = 0.001, 4.0
SETTINGS: tuple[Setting, ...] = (
    Switch("synced", "Synced", True, "In beats, along with the tempo; off: in milliseconds"),
    Parameter("beats", "Time", "beats", 0.0625, 8.0, 0.75, 0.25, 3, "From one echo to the next; 4 s at most", "log"),
    Parameter("ms", "Time", "ms", 1.0, 4000.0, 300.0, 5.0, 0, "From one echo to the next", "log"),
    Parameter("uneven", "Right side", "%", 50.0, 150.0, 100.0, 1.0, 0, "Time of the right side beside the left's"),
    Choice("path", "Path", (("straight", "straight"), ("cross", "from side to side")), "straight", "Where each echo goes next"),
    Parameter("feedback", "Feedback", "%", 0.0, 110.0, 40.0, 1.0, 0, "How much of each echo comes again; over 100 it sings"),
    Parameter("low_cut", "Lows from", "Hz", 20.0, 2000.0, 120.0, 10.0, 0, "Each echo loses what lies below", "log"),
    Parameter("high_cut", "Highs to", "Hz", 200.0, 20000.0, 5000.0, 100.0, 0, "Each echo loses what lies above", "log"),
)


def delays(controls: Controls, start: int, frames: int) -> Row:
    """(ticks, 2) samples from one echo to the next, by side: whole ones, straight between ticks while they change."""
    if controls.settings["synced"]:
        one = controls.ticks("beats", start, frames) * controls.beat_frames
    else:
        one = controls.ticks("ms", start, frames) / 1000 * controls.rate
    both = np.stack((one, one * controls.ticks("uneven", start, frames) / 100), axis=1)
    least = LEAST_S * controls.rate
    return np.asarray(
        np.round(np.clip(both, max(least, _lag(controls) + TICK) if controls.inside else least, MOST_S * controls.rate))
    )


def _lag(controls: Controls) -> int:
    return sum(effect.latency for effect, _ in controls.inside)


def _begin(rate: int, controls: Controls) -> State:
    # The loop's past, by side; and its filters: low pass, then last in and out of the high pass.
    longest = float(delays(controls, 0, 1).max())
    if controls.curves.keys() & {"beats", "ms", "uneven"}:
        longest = MOST_S * rate
    # Room in powers of two: state is kept at every beat, and a short echo needs little.
    room = min(int(MOST_S * rate), 2 ** int(np.ceil(np.log2(longest + 1)))) + 4
    own: State = {"loop": np.zeros((2, room), np.float32), "filter": np.zeros((2, 3))}
    if controls.inside:
        own["inside"] = [start_state(effect, rate, its) for effect, its in controls.inside]
    return own


def _process(block: Samples, controls: Controls, state: State, key: Samples | None) -> Samples:
    start, frames, rate, lag = state["at"], len(block), controls.rate, _lag(controls)
    times = delays(controls, start, frames)
    low, high = controls.ticks("low_cut", start, frames), controls.ticks("high_cut", start, frames)
    poles = np.exp(-2 * np.pi * np.stack((low, np.minimum(high, 0.45 * rate))) / rate)
    amount = controls.ticks("feedback", start, frames) / 100
    crosses, loop, memory = controls.settings["path"] == "cross", state["loop"], state["filter"]
    came, out = np.asarray(block, np.float64), np.empty((frames, 2))
    if not controls.inside:
        _loop(came, out, start, times, amount, poles, crosses, loop, memory)
        return out.astype(np.float32)
    longest = int(times.min()) - lag
    for at in range(0, frames, longest):
        here, first = out[at : at + longest], (start + at) // TICK - start // TICK
        _read(here, start + at, times[first:], poles[:, first:], lag, loop, memory)
        through = here.astype(np.float32)
        for (effect, its), own in zip(controls.inside, state["inside"], strict=True):
            through = run(effect, through, its, own)
        here[:] = through
        _write(came[at : at + longest], here, start + at, amount[first:], crosses, loop)
    return out.astype(np.float32)


@njit(cache=True, nogil=True)
def _loop(x, out, start, times, feedback, poles, crosses, loop, memory):  # type: ignore[no-untyped-def]
    for i in range(x.shape[0]):
        _read(
            out[i : i + 1],
            start + i,
            times[(start + i) // TICK - start // TICK :],
            poles[:, (start + i) // TICK - start // TICK :],
            0,
            loop,
            memory,
        )
        _write(x[i : i + 1], out[i : i + 1], start + i, feedback[(start + i) // TICK - start // TICK :], crosses, loop)


@njit(cache=True, nogil=True)
def _read(out, start, times, poles, ahead, loop, memory):  # type: ignore[no-untyped-def]
    """What comes round at the samples from start on, filtered. times (ticks, 2), poles (low and high cut, ticks): from the tick on
    that start lies in; ahead: samples by which it is wanted early."""
    ring = loop.shape[1]
    for i in range(out.shape[0]):
        now = start + i
        tick = now // TICK - start // TICK
        part = (now % TICK) / TICK
        for c in range(2):
            late = times[tick, c] + (times[tick + 1, c] - times[tick, c]) * part
            whole = int(late)
            share = late - whole
            y = float(loop[c, (now + ahead - whole) % ring])
            if share > 0.0:
                y = y * (1 - share) + loop[c, (now + ahead - whole - 1) % ring] * share
            memory[c, 0] = y * (1 - poles[1, tick]) + memory[c, 0] * poles[1, tick]
            high = memory[c, 0] - memory[c, 1] + poles[0, tick] * memory[c, 2]
            memory[c, 1] = memory[c, 0]
            memory[c, 2] = high
            for k in range(3):
                if abs(memory[c, k]) < 1e-20:
                    memory[c, k] = 0.0
            out[i, c] = high


@njit(cache=True, nogil=True)
def _write(x, out, start, feedback, crosses, loop):  # type: ignore[no-untyped-def]
    """What comes in and what goes round again, into the loop."""
    ring = loop.shape[1]
    for i in range(x.shape[0]):
        now = start + i
        tick = now // TICK - start // TICK
        part = (now % TICK) / TICK
        amount = feedback[tick] + (feedback[tick + 1] - feedback[tick]) * part
        for c in range(2):
            fed = out[i, 1 - c if crosses else c] * amount
            size = abs(fed)
            # Straight up to full scale, bent above it towards twice that.
            into = x[i, c] + (fed if size <= 1.0 else np.sign(fed) * (1.0 + np.tanh(size - 1.0)))
            loop[c, now % ring] = into if abs(into) > 1e-20 else 0.0


def _rings(controls: Controls) -> int:
    feedback = controls.number("feedback") / 100
    times = delays(controls, 0, 1)[0].max()
    times += sum(effect.rings(its) for effect, its in controls.inside)
    # What lies in the loop may turn up what comes round.
    echoes = 200 if controls.inside or feedback >= 0.95 else np.ceil(np.log(1e-5) / np.log(max(feedback, 1e-5))) + 1
    return int(times * echoes)


EFFECT = Effect("echo", "Echo", SETTINGS, _begin, _process, rings=_rings, rings_in=("loop",), holds=True, adds=True)
