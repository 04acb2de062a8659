"""Edits to the grid and credits of a find, and slices that know what they are."""

from __future__ import annotations

import numpy as np
import pytest

from grainpocket.core.edits import Refusal
from grainpocket.core.edits.cutting import CutAtMarks, NameSlice, Recut
from grainpocket.core.edits.gridding import MoveGrid, SetGrid, TakeTempo, TapTempo
from grainpocket.core.edits.pocket_wide import SetCredits
from grainpocket.core.listen.tempo.grids import beat_places
from grainpocket.core.pocket import QUARTERS, Credits, Cutting, Grid, Mark, Metre
from tests.core.test_rebuild import Bench
from tests.signals import RATE, drum_loop


@pytest.fixture
def bench() -> Bench:
    return Bench(drum_loop())


def grid_of(bench: Bench) -> Grid:
    grid = bench.pocket.sources["s1"].grid
    assert grid is not None
    return grid


def test_a_stretch_that_is_n_bars_or_beats_sets_the_tempo_to_the_sample(bench: Bench) -> None:
    frames = bench.pocket.sources["s1"].frames
    start, end = frames // 4, frames // 2
    bench.make(SetGrid(source="s1", bars=1, start=start, end=end))
    assert (grid_of(bench).bpm, grid_of(bench).bar_one) == (4 * 60 * RATE / (end - start), start)
    bench.make(SetGrid(source="s1", beats=2, start=start, end=end))
    assert grid_of(bench).bpm == 2 * 60 * RATE / (end - start)
    bench.make(SetGrid(source="s1", metre="3/4"))
    assert (grid_of(bench).metre, grid_of(bench).beats_per_bar) == ("3/4", 3)
    for bad in (SetGrid(source="s1", bars=1, start=end, end=start), SetGrid(source="s1", bars=1, start=0, end=10**9)):
        with pytest.raises(Refusal, match="inside"):
            bench.make(bad)


@pytest.mark.parametrize(("metre", "quarters"), QUARTERS.items())
def test_every_metre_has_its_quarters_and_a_stretch_of_its_bars_its_tempo(bench: Bench, metre: Metre, quarters: int) -> None:
    frames = bench.pocket.sources["s1"].frames
    bench.make(SetGrid(source="s1", metre=metre))
    assert (grid_of(bench).metre, grid_of(bench).beats_per_bar) == (metre, quarters)
    bench.make(SetGrid(source="s1", bars=1, start=0, end=frames // 2))
    assert grid_of(bench).bpm == pytest.approx(quarters * 60 * RATE / (frames // 2))
    places, bars = beat_places(grid_of(bench), frames, RATE)
    assert np.flatnonzero(bars).tolist() == [k for k in range(len(places)) if k % quarters == 0]


def test_a_found_tempo_can_be_taken_again_after_a_hand_set_one(bench: Bench) -> None:
    found = grid_of(bench)
    bench.make(SetGrid(source="s1", bpm=77.0))
    bench.make(TakeTempo(source="s1", candidate=0))
    assert grid_of(bench) == found.model_copy(update={"by": "hand"})
    with pytest.raises(Refusal, match="no such tempo"):
        bench.make(TakeTempo(source="s1", candidate=99))


def test_nudging_halving_and_tapping(bench: Bench) -> None:
    frames = bench.pocket.sources["s1"].frames
    bench.make(SetGrid(source="s1", bars=2))
    bench.make(MoveGrid(source="s1", by=441))
    assert grid_of(bench).bar_one == 441
    tempo = grid_of(bench).bpm
    bench.make(MoveGrid(source="s1", ratio="double"))
    assert grid_of(bench).bpm == 2 * tempo
    beats, _ = beat_places(grid_of(bench), frames, RATE)
    bench.make(TapTempo(source="s1", taps=tuple(beats[:8:2].tolist())))
    assert abs(grid_of(bench).bpm / tempo - 1) < 1e-3
    with pytest.raises(Refusal, match="at least 3"):
        bench.make(TapTempo(source="s1", taps=(1, 2000)))


def test_a_new_sensitivity_leaves_the_grid_that_was_set_by_hand(bench: Bench) -> None:
    bench.make(SetGrid(source="s1", bpm=77.0))
    bench.make(Recut(source="s1", cutting=Cutting(sensitivity=80)))
    assert (grid_of(bench).bpm, grid_of(bench).by) == (77.0, "hand")


def test_slices_know_what_they_are_and_let_themselves_be_told_better(bench: Bench) -> None:
    truth = dict(zip(bench.loop.at.tolist(), bench.loop.names, strict=True))
    cuts = bench.pocket.sources["s1"].cuts
    right = [truth[min(truth, key=lambda at: abs(at - cut.at))] == cut.role for cut in cuts]
    assert sum(right) >= 0.9 * len(cuts)
    bench.make(NameSlice(source="s1", cut=cuts[0].id, role="tonal"))
    bench.make(Recut(source="s1", cutting=Cutting(sensitivity=10)))
    bench.make(Recut(source="s1", cutting=Cutting(sensitivity=50)))
    again = {c.id: c for c in bench.pocket.sources["s1"].cuts}
    assert (again[cuts[0].id].role, again[cuts[0].id].role_by) == ("tonal", "hand")


def test_cutting_at_the_marks_of_the_file(bench: Bench) -> None:
    source = bench.pocket.sources["s1"]
    marks = (Mark(at=source.cuts[1].at + 10), Mark(at=7000, name="fill"), Mark(at=source.frames - 1))
    marked = source.model_copy(update={"origin": source.origin.model_copy(update={"marks": marks})})
    bench.pocket = bench.pocket.with_source(marked)
    bench.make(CutAtMarks(source="s1"))
    new = [c for c in bench.pocket.sources["s1"].cuts if c.by == "hand"]
    assert [(c.at, c.name) for c in new] == [(7000, "fill")], "one is cut already, and one lies at the very end"
    with pytest.raises(Refusal, match="already"):
        bench.make(CutAtMarks(source="s1"))


def test_credits_are_kept_field_by_field(bench: Bench) -> None:
    bench.make(SetCredits(source="s1", artist="The Dockers", year="1974"))
    bench.make(SetCredits(source="s1", cleared="no", title="Night ferry"))
    assert bench.pocket.sources["s1"].credits == Credits(artist="The Dockers", title="Night ferry", year="1974", cleared=False)
    bench.make(SetCredits(source="s1", cleared="unknown"))
    assert bench.pocket.sources["s1"].credits.cleared is None
