"""Which voice each hit of a pattern plays: by its pad, note and own settings; and where the pad's sound asks for it, by velocity,
by turn, by when it comes, by how long it is held and by the note before."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.document.sound import Sound, changed
from grainpocket.core.params import Value
from grainpocket.core.pocket import Hit, Pad, Pattern, Pocket
from grainpocket.core.rhythm.timing import Timeline
from grainpocket.core.shape.curves import rounds_a_second
from grainpocket.core.shape.playing import by_velocity, takes_turns
from grainpocket.core.shape.voice import HELD_STEP_S, PHASES, VELOCITY_STEP, VELOCITY_STEPS

Frames = NDArray[np.int64]


class Kind(NamedTuple):
    """Which voice a hit plays. From velocity on only where its pad's sound depends on it."""

    pad: int
    take: int
    note: int
    own: tuple[tuple[str, Value], ...]
    velocity: int = 127
    turn: int = 0
    glide: float = 0.0
    phases: tuple[float, float] = (0.0, 0.0)
    held: int | None = None


@dataclass(frozen=True)
class Columns:
    """The hits of a pattern as columns, (n,) each, rolls as all of their strokes; kind: index into kinds; gate: nan where there is
    none; hits: those that they are."""

    beat: NDArray[np.float64]
    at: NDArray[np.float64]
    velocity: NDArray[np.float64]
    gate: NDArray[np.float64]
    pad: Frames
    kind: Frames
    kinds: tuple[Kind, ...]
    hits: tuple[Hit, ...] = ()


ROLLED = 0.25  # beats of a roll whose hit has no length


def struck(hits: Sequence[Hit]) -> tuple[Hit, ...]:
    """The hits with each roll as its strokes, evenly in its length."""
    if all(hit.roll is None for hit in hits):
        return tuple(hits)
    out: list[Hit] = []
    for hit in hits:
        roll = hit.roll
        if roll is None:
            out.append(hit)
            continue
        apart = (hit.length or ROLLED) / roll.times
        for number in range(roll.times):
            share = number / (roll.times - 1)
            velocity = max(1, min(127, hit.velocity + round(roll.velocity * share)))
            change = {"beat": hit.beat + number * apart, "velocity": velocity, "note": hit.note + round(roll.note * share)}
            out.append(hit.model_copy(update={**change, "length": apart, "roll": None}))
    return tuple(out)


def is_lively(pad: Pad, own: Mapping[str, Value]) -> bool:
    """Whether hits of a pad differ by more than their note and level: by velocity, by turn, by when they come, by length."""
    if not own and not pad.sound.differing and not pad.layers:
        return False
    sound = changed(pad.sound, own) if own else pad.sound
    return bool(
        sound.play == "loop" or sound.lfo1_free or sound.lfo2_free or (sound.glide and sound.voices != "poly")
        or by_velocity(pad) or takes_turns(pad) > 1
    )  # fmt: skip


def lively_kinds(pocket: Pocket, pattern: Pattern, columns: Columns, at: float) -> tuple[tuple[Kind, ...], Frames]:
    """Kinds of a pattern's hits with all that they depend on, and for each hit which one it is."""
    time = Timeline(pocket.tempo, pocket.rate)
    found: dict[Kind, int] = {}
    out = np.zeros(len(columns.beat), np.int64)
    count: dict[int, int] = {}
    last: dict[int, int] = {}
    for place in np.lexsort((columns.pad, columns.beat)).tolist():
        kind, hit = columns.kinds[columns.kind[place]], columns.hits[place]
        pad = pocket.pads.get(kind.pad)
        if pad is not None and is_lively(pad, dict(kind.own)):
            sound = changed(pad.sound, dict(kind.own))
            turn = count[kind.pad] = count.get(kind.pad, -1) + 1
            if hit.turn is not None:
                turn = hit.turn
            before = last.get(kind.pad, kind.note)
            last[kind.pad] = kind.note
            kind = kind._replace(
                velocity=velocity_step(hit.velocity) if by_velocity(pad) else 127,
                turn=turn % takes_turns(pad),
                glide=float(before - kind.note) if sound.glide and sound.voices != "poly" else 0.0,
                phases=phases_at(sound, pocket.tempo, float(columns.at[place]) + at),
                held=None if sound.play != "loop" or hit.length is None else held_frames(sound, time, hit),
            )
        out[place] = found.setdefault(kind, len(found))
    return tuple(found), out


def velocity_step(velocity: int) -> int:
    """The velocity whose voice a hit plays; the hardest is itself."""
    return VELOCITY_STEPS[velocity_place(velocity)]


def velocity_place(velocity: int) -> int:
    """Which of VELOCITY_STEPS, from soft to hard, a velocity of 1 to 127 plays; 0 plays the softest, too."""
    return max(0, -(-velocity // VELOCITY_STEP) - 1)


def phases_at(sound: Sound, tempo: float, beat: float) -> tuple[float, float]:
    """Rounds that the free oscillators have behind them at a beat, to a thirty-second of one."""

    def phase(number: int) -> float:
        if not getattr(sound, f"lfo{number}_free"):
            return 0.0
        rounds = beat * 60 / tempo * rounds_a_second(sound, number, tempo)
        # Which round it is counts for a random one.
        return (
            round(rounds * PHASES) / PHASES
            if getattr(sound, f"lfo{number}_shape") == "random"
            else round(rounds % 1 * PHASES) / PHASES
        )

    return phase(1), phase(2)


def held_frames(sound: Sound, time: Timeline, hit: Hit) -> int:
    """Samples that a voice is rendered for which goes round until a hit ends, its release included."""
    step = int(HELD_STEP_S * time.rate)
    wanted = time.frame(hit.length or 0.0) + round(sound.release * time.rate / 1000)
    return int(max(1, -(-wanted // step)) * step)
