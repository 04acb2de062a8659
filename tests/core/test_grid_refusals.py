"""Edits to a grid that make no sense are refused with words, and those along a drifting performance keep its beats."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from grainpocket.core.edits import EditModel, Refusal
from grainpocket.core.edits.gridding import MoveGrid, SetGrid, TapTempo
from grainpocket.core.listen.tempo.grids import FASTEST, SLOWEST, beat_places
from grainpocket.core.pocket import Grid
from tests.core.test_rebuild import Bench
from tests.signals import RATE, drum_loop

FRAMES = round(2 * 240 / 97.3 * RATE)


@pytest.fixture(scope="module")
def loop() -> Bench:
    return Bench(drum_loop())


@pytest.fixture
def bench(loop: Bench) -> Bench:
    """The same loop for every test, as it was."""
    fresh = Bench.__new__(Bench)
    fresh.__dict__.update(loop.__dict__)
    return fresh


def grid_of(bench: Bench) -> Grid:
    grid = bench.pocket.sources["s1"].grid
    assert grid is not None
    return grid


def without_grid(bench: Bench) -> None:
    source = bench.pocket.sources["s1"]
    bench.pocket = bench.pocket.with_source(source.model_copy(update={"grid": None}))


def drifting(bench: Bench, beats: tuple[int, ...]) -> None:
    source = bench.pocket.sources["s1"]
    bench.pocket = bench.pocket.with_source(source.model_copy(update={"grid": Grid(bpm=97.3, bar_one=beats[0], beats=beats)}))


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (SetGrid(source="s1", bars=64), "BPM; it must be"),
        (SetGrid(source="s1", beats=1), "1 beats in .* BPM"),
        (SetGrid(source="s1", bar_one=FRAMES + 9), "behind the end"),
        (MoveGrid(source="s1", by=FRAMES + 9), "outside the find"),
        (MoveGrid(source="s1", by=-FRAMES), "outside the find"),
        (TapTempo(source="s1", taps=(0, 90, 180, 270)), "Those taps are .* BPM"),
        (TapTempo(source="s1", taps=(10**9, 10**9 + 1, 10**9 + 2)), "at least 3"),
    ],
)
def test_what_is_no_grid_is_refused_and_leaves_the_one_there_is(bench: Bench, edit: EditModel, words: str) -> None:
    before = bench.pocket
    with pytest.raises(Refusal, match=words):
        bench.make(edit)
    assert bench.pocket is before


@pytest.mark.parametrize("edit", [SetGrid(source="s1", metre="3/4"), SetGrid(source="s1", bar_one=9), MoveGrid(source="s1", by=5)])
def test_without_a_tempo_it_says_how_to_get_one(bench: Bench, edit: EditModel) -> None:
    without_grid(bench)
    with pytest.raises(Refusal, match="set one, tap it, or say how many bars it lasts"):
        bench.make(edit)


@pytest.mark.parametrize(("ratio", "edge"), [("half", SLOWEST), ("double", FASTEST)])
def test_halving_and_doubling_stop_at_the_edge(bench: Bench, ratio: str, edge: float) -> None:
    bench.make(SetGrid(source="s1", bpm=edge))
    with pytest.raises(Refusal, match="it must be"):
        bench.make(MoveGrid.model_validate({"source": "s1", "ratio": ratio}))
    assert grid_of(bench).bpm == edge


def test_without_a_tempo_a_length_a_number_or_taps_make_one(bench: Bench) -> None:
    for edit in (
        SetGrid(source="s1", bars=2),
        SetGrid(source="s1", bpm=97.3),
        TapTempo(source="s1", taps=(0, 27190, 54380, 81570)),
    ):
        without_grid(bench)
        bench.make(edit)
        assert grid_of(bench).bpm == pytest.approx(97.3, abs=0.1)
        assert grid_of(bench).by == "hand"


def test_bar_one_of_a_drifting_grid_goes_to_the_nearest_beat_and_takes_all_along(bench: Bench) -> None:
    beats = (1000, 28000, 55500, 82000, 109500, 136000)
    drifting(bench, beats)
    bench.make(SetGrid(source="s1", bar_one=55400))
    assert grid_of(bench).bar_one == 55400
    assert grid_of(bench).beats == tuple(b - 100 for b in beats[2:])


@given(by=st.integers(-20000, 20000))
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=40)
def test_a_nudge_moves_every_line_by_as_much(bench: Bench, by: int) -> None:
    bench.make(SetGrid(source="s1", bars=2, bar_one=30000))
    before, _ = beat_places(grid_of(bench), FRAMES, RATE)
    bench.make(MoveGrid(source="s1", by=by))
    after, _ = beat_places(grid_of(bench), FRAMES, RATE)
    wanted = before + by
    wanted = wanted[(wanted >= 2) & (wanted < FRAMES - 2)]
    assert all(np.abs(after - place).min() <= 1 for place in wanted)
