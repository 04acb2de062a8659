"""What the bench takes for true: how much sounds under a hit, and what sounds in a bar, from parts of known energy."""

from __future__ import annotations

import numpy as np
import pytest

from bench.truth import cover
from bench.truth.synth import RATE

KICK, SNARE, HAT, TOM = 36, 38, 42, 45


def steady(level_db: float, seconds: float = 4.0, start: float = 0.0, end: float | None = None) -> np.ndarray:
    """(n, 2): a sine whose mean power is level_db over that of one at full scale, sounding from start to end."""
    t = np.arange(round(seconds * RATE)) / RATE
    wave = 10 ** (level_db / 20) * np.sin(2 * np.pi * 200 * t) * (t >= start) * (t < (end if end is not None else seconds))
    return np.repeat(wave[:, None], 2, axis=1).astype(np.float32)


def apart(**levels: float) -> dict[str, np.ndarray]:
    return {role: steady(levels.get(role, -200.0)) for role in ("kick", "snare", "hat")}


def test_all_else_is_the_music_and_the_other_drums() -> None:
    drums = apart(kick=-6.0, hat=-26.0)
    music = steady(-200.0)
    found = cover.cover([(0.5, KICK, 100), (1.0, HAT, 90)], drums, cover.all_else(drums, sum(drums.values()) + music))
    assert found["kick"] == [(0.5, pytest.approx(-20.0, abs=0.1))]
    assert found["hat"] == [(1.0, pytest.approx(20.0, abs=0.1))]
    assert found["snare"] == []


def test_music_alone_leaves_the_other_drums_out() -> None:
    drums = apart(kick=-6.0, hat=0.0)
    music = steady(-18.0, start=2.0)
    found = cover.cover([(0.5, KICK, 100), (2.5, KICK, 100)], drums, dict.fromkeys(drums, music))
    assert found["kick"] == [(0.5, cover.CLEANEST_DB), (2.5, pytest.approx(-12.0, abs=0.1))]


@pytest.mark.parametrize(("note", "role"), [(35, "kick"), (40, "snare"), (46, "hat"), (TOM, None)])
def test_only_kicks_snares_and_hats_are_asked_for(note: int, role: str | None) -> None:
    drums = apart(kick=0.0, snare=0.0, hat=0.0)
    found = cover.cover([(0.1, note, 100)], drums, cover.all_else(drums, sum(drums.values())))
    assert [name for name, hits in found.items() if hits] == ([role] if role else [])


def test_nothing_is_cleaner_than_the_cleanest_nor_dirtier_than_the_dirtiest() -> None:
    silent = apart()
    loud = cover.cover([(0.5, KICK, 100)], silent, dict.fromkeys(silent, steady(0.0)))
    assert loud["kick"][0][1] == cover.DIRTIEST_DB
    clean = cover.cover([(0.5, KICK, 100)], apart(kick=0.0), dict.fromkeys(silent, np.zeros_like(steady(0.0))))
    assert clean["kick"][0][1] == cover.CLEANEST_DB
    # A hit at the very end has less of a ring, and is no error.
    late = cover.cover([(3.95, KICK, 100)], apart(kick=0.0), dict.fromkeys(silent, steady(-10.0)))
    assert late["kick"][0][1] == pytest.approx(-10.0, abs=0.2)


def test_a_part_sounds_is_silent_or_who_can_say() -> None:
    edges = np.arange(0.0, 4.1, 1.0)
    drums = steady(-6.0, end=2.0)
    # Well under the drums, between present and absent, absent, and alone.
    music = steady(-10.0, end=1.0) + steady(-42.0, start=1.0, end=2.0) + steady(-20.0, start=3.0)
    told = cover.sounding((drums, music), edges, ((), ()))
    assert told[2].tolist() == [0, 0]
    assert told[0].tolist() == [1, 1]
    assert told[1].tolist() == [1, -1]
    assert told[3].tolist() == [0, 1]


@pytest.mark.parametrize(("level", "told_so"), [(-12.0, 1), (-24.0, -1), (-40.0, 0)])
def test_what_is_muted_sounds_as_long_as_its_last_note_rings_loudly(level: float, told_so: int) -> None:
    edges = np.arange(0.0, 4.1, 1.0)
    drums, music = steady(-6.0), steady(-12.0, end=1.0) + steady(level, start=1.0, end=2.0) + steady(-12.0, start=2.0)
    told = cover.sounding((drums, music), edges, ((), ((1.0, 2.0), (2.4, 3.2))))
    # A whole bar is told; half of one is not.
    assert told[:, 1].tolist() == [1, told_so, -1, 1]
    assert told[:, 0].tolist() == [1, 1, 1, 1]
