"""Grids by hand: halved, doubled, moved, tapped."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from grainpocket.core.listen.tempo import grids
from grainpocket.core.listen.tempo.candidates import Tempo
from grainpocket.core.pocket import Grid

RATE = 44100
FRAMES = RATE * 20
STEADY = Grid(bpm=120.0, bar_one=RATE // 2)
DRIFTING = Grid(bpm=100.0, bar_one=30000, beats=(30000, 56000, 83000, 109000, 136000, 162000))


@given(bpm=st.floats(20, 400), bar_one=st.integers(0, FRAMES - 1), quarters=st.sampled_from([3, 4]))
def test_lines_are_evenly_spaced_and_count_from_bar_one(bpm: float, bar_one: int, quarters: int) -> None:
    at, bars = grids.beat_places(Grid(bpm=bpm, bar_one=bar_one, beats_per_bar=quarters), FRAMES, RATE)
    step = 60 * RATE / bpm
    assert bar_one in at
    assert bars[np.flatnonzero(at == bar_one)[0]]
    assert (np.abs(np.diff(at) - step) <= 1).all()
    assert at[0] < step + 1
    assert at[-1] >= FRAMES - step - 1
    assert (np.diff(np.flatnonzero(bars)) == quarters).all()


def test_a_drifting_grid_goes_on_at_both_ends() -> None:
    at, bars = grids.beat_places(DRIFTING, 250000, RATE)
    assert set(DRIFTING.beats) <= set(at.tolist())
    assert at[0] == 4000, "a beat before bar one, as long as the first"
    assert at[-1] == 162000 + 3 * 26000
    assert at[bars].tolist() == [30000, 136000, 240000]


def test_half_and_double_undo_each_other() -> None:
    for grid in (STEADY, Grid(bpm=90, bars=4)):
        there = grids.scaled(grids.scaled(grid, 2.0), 0.5)
        assert (there.bpm, there.bar_one, there.bars) == (grid.bpm, grid.bar_one, grid.bars)
    assert grids.scaled(DRIFTING, 0.5).beats == DRIFTING.beats[::2]
    assert grids.scaled(DRIFTING, 2.0).beats[::2] == DRIFTING.beats
    with pytest.raises(grids.NoGrid, match="must be 20 to 400"):
        grids.scaled(Grid(bpm=300), 2.0)
    assert grids.scaled(Grid(bpm=90, bars=3), 0.5).bars is None, "three bars have no half"


@pytest.mark.parametrize("by", [-100, 250])
def test_moving_moves_every_line(by: int) -> None:
    for grid in (STEADY, DRIFTING):
        before, _ = grids.beat_places(grid, FRAMES, RATE)
        after, _ = grids.beat_places(grids.moved(grid, by, FRAMES, RATE), FRAMES, RATE)
        inside = before[(before > 1000) & (before < FRAMES - 1000)]
        assert set((inside + by).tolist()) <= set(after.tolist())


def test_bar_one_never_leaves_the_find() -> None:
    moved = grids.moved(Grid(bpm=120, bar_one=10), -100, FRAMES, RATE)
    assert moved.bar_one == 10 - 100 + 4 * RATE // 2
    with pytest.raises(grids.NoGrid, match="outside"):
        grids.moved(STEADY, FRAMES, FRAMES, RATE)


def test_taps_make_a_tempo_of_their_own_or_take_the_found_one() -> None:
    rng = np.random.default_rng(4)
    taps = (20000 + np.arange(12) * RATE * 60 / 97.0 + rng.normal(0, 0.012 * RATE, 12)).astype(int).tolist()
    alone = grids.tapped(taps, [], RATE)
    assert abs(alone.bpm / 97.0 - 1) < 0.01
    found = [Tempo(194.8, 0.6), Tempo(97.4, 0.3, bar_one=20100)]
    taken = grids.tapped(taps, found, RATE)
    assert taken.bpm == 97.4
    places, _ = grids.beat_places(grids.found_grid(found[1]), FRAMES, RATE)
    assert taken.bar_one in places
    assert abs(taken.bar_one - taps[0]) < 0.05 * RATE
    assert (alone.by, taken.by) == ("hand", "hand")
    # A missed tap is the beat it was meant for.
    assert abs(grids.tapped(taps[:4] + taps[5:], [], RATE).bpm / 97.0 - 1) < 0.01
    with pytest.raises(grids.NoGrid, match="at least 3"):
        grids.tapped(taps[:2], found, RATE)


def test_a_length_in_bars_is_a_tempo_to_the_sample() -> None:
    assert grids.whole(RATE * 8, RATE, 4, 4) == 120.0
    with pytest.raises(grids.NoGrid, match="BPM"):
        grids.whole(RATE, RATE, 100, 4)
