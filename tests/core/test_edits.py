"""Edits: what they change, what they refuse, and that nothing else moves."""

from __future__ import annotations

import numpy as np
import pytest
from pydantic import ValidationError

from grainpocket.core.edits import EDIT, Refusal
from grainpocket.core.edits.cutting import LEAST_MOVED_S, AddCut, DeleteCuts, MoveCut, NameSlice, Recut
from grainpocket.core.edits.gridding import SetGrid
from grainpocket.core.edits.hitting import MoveHits, PutHits, RemoveHits, SetHits
from grainpocket.core.edits.padding import ClearPads, MovePad, SetPads, SlicesToPads
from grainpocket.core.edits.patterns import AddPattern, OriginalRhythm, SetPattern
from grainpocket.core.edits.pocket_wide import AddSource, RemoveSource
from grainpocket.core.pocket import Cutting, Hit
from tests.core.test_rebuild import Bench
from tests.signals import RATE, drum_loop


@pytest.fixture
def bench() -> Bench:
    return Bench(drum_loop())


LEAST = round(LEAST_MOVED_S * RATE)


def cuts_of(bench: Bench) -> list[str]:
    return [c.id for c in bench.pocket.sources["s1"].cuts]


def test_a_cut_stops_short_of_its_neighbours(bench: Bench) -> None:
    first, second, third = bench.pocket.sources["s1"].cuts[:3]
    bench.make(MoveCut(source="s1", cut=second.id, at=-99))
    assert bench.pocket.sources["s1"].cuts[1].at == first.at + LEAST
    bench.make(MoveCut(source="s1", cut=second.id, at=10**9))
    assert bench.pocket.sources["s1"].cuts[1].at == third.at - LEAST


def test_hand_made_cuts_survive_a_new_sensitivity(bench: Bench) -> None:
    count = len(cuts_of(bench))
    moved = bench.pocket.sources["s1"].cuts[2]
    bench.make(MoveCut(source="s1", cut=moved.id, at=moved.at + 500))
    bench.make(AddCut(source="s1", at=5000))
    bench.make(NameSlice(source="s1", cut=cuts_of(bench)[4], name="Mine", role="snare"))
    bench.make(Recut(source="s1", cutting=Cutting(sensitivity=0)))
    kept = bench.pocket.sources["s1"].cuts
    assert moved.at + 500 in [c.at for c in kept]
    assert 5000 in [c.at for c in kept]
    assert "Mine" in [c.name for c in kept]
    bench.make(Recut(source="s1", cutting=Cutting(sensitivity=50)))
    again = bench.pocket.sources["s1"].cuts
    assert [c.at for c in again] == sorted(c.at for c in again)
    # The transient that was moved away from is found again; the moved cut stays beside it.
    assert len(again) == count + 2
    bench.make(Recut(source="s1", cutting=Cutting(sensitivity=50), keep_hand=False))
    assert len(cuts_of(bench)) == count


def test_ids_and_pads_survive_going_there_and_back(bench: Bench) -> None:
    bench.make(SlicesToPads(source="s1"))
    before = cuts_of(bench)
    bench.make(Recut(source="s1", cutting=Cutting(sensitivity=20)))
    bench.make(Recut(source="s1", cutting=Cutting(sensitivity=50)))
    strong = set(before) & set(cuts_of(bench))
    assert strong, "strong cuts keep their ids"
    for pad in bench.pocket.pads.values():
        if pad.chop.cut in strong:
            cut = next(c for c in bench.pocket.sources["s1"].cuts if c.id == pad.chop.cut)
            assert pad.chop.start == cut.at


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (AddCut(source="s1", at=10**9), "end of the find"),
        (AddCut(source="nope", at=0), "no longer in the pocket"),
        (DeleteCuts(source="s1", cuts=("c999",)), "no longer there"),
        (SlicesToPads(source="s1", cuts=("c999",)), "no longer there"),
        (SetPads(pads=(3,), sound={"level": -3}), "empty"),
        (ClearPads(pads=(3,)), "empty"),
        (MovePad(pad=3, to=4), "empty"),
        (SetPattern(pattern="p9", bars=2), "no longer in the pocket"),
        (OriginalRhythm(source="s9"), "no longer in the pocket"),
        (SetGrid(source="s1", bar_one=10**9), "behind the end"),
        (SetGrid(source="s1", bars=400), "BPM"),
    ],
)
def test_refusals_say_why(bench: Bench, edit: object, words: str) -> None:
    before = bench.pocket
    with pytest.raises(Refusal, match=words):
        bench.make(edit)  # type: ignore[arg-type]
    assert bench.pocket is before


def test_a_cut_on_a_cut_is_refused(bench: Bench) -> None:
    at = bench.pocket.sources["s1"].cuts[3].at
    with pytest.raises(Refusal, match="already"):
        bench.make(AddCut(source="s1", at=at + 10))


def test_slices_go_to_the_next_free_pads(bench: Bench) -> None:
    ids = cuts_of(bench)
    bench.make(SlicesToPads(source="s1", cuts=(ids[5],), first=1))
    bench.make(SlicesToPads(source="s1", cuts=(ids[0], ids[2])))
    assert {i: p.chop.cut for i, p in bench.pocket.pads.items()} == {1: ids[5], 2: ids[0], 3: ids[2]}
    assert len({p.choke for p in bench.pocket.pads.values()}) == 1
    assert bench.pocket.pads[1].called == bench.pocket.sources["s1"].cuts[5].called
    bench.make(SlicesToPads(source="s1"))
    assert sorted(p.chop.cut or "" for p in bench.pocket.pads.values()) == sorted(ids)
    with pytest.raises(Refusal, match="already"):
        bench.make(SlicesToPads(source="s1"))


def test_moving_a_pad_takes_its_hits_along(bench: Bench) -> None:
    bench.make(OriginalRhythm(source="s1"))
    before = next(iter(bench.pocket.patterns.values()))
    bench.make(MovePad(pad=0, to=2))
    after = bench.pocket.patterns[before.id]
    swap = {0: 2, 2: 0}
    assert sorted((h.beat, swap.get(h.pad, h.pad)) for h in before.hits) == [(h.beat, h.pad) for h in after.hits]
    bench.make(MovePad(pad=2, to=300))
    assert 300 in bench.pocket.pads
    assert 2 not in bench.pocket.pads


def test_hits_are_named_by_ids_and_stand_at_places(bench: Bench) -> None:
    bench.make(AddPattern(name="A", bars=1))
    key = next(iter(bench.pocket.patterns))
    bench.make(
        PutHits(pattern=key, hits=(Hit(pad=0, beat=0.1, velocity=50), Hit(pad=0, beat=0.1, velocity=90), Hit(pad=1, beat=0.1)))
    )
    assert [(h.pad, h.velocity) for h in bench.pocket.patterns[key].hits] == [(0, 90), (1, 100)]
    ids = {(h.pad, h.beat): h.id for h in bench.pocket.patterns[key].hits}
    bench.make(SetHits(pattern=key, hits=(ids[0, 0.1],), velocity=12))
    bench.make(RemoveHits(pattern=key, hits=(ids[1, 0.1], "gone")))
    assert [(h.pad, h.velocity) for h in bench.pocket.patterns[key].hits] == [(0, 12)]
    with pytest.raises(Refusal, match="no longer there"):
        bench.make(SetHits(pattern=key, hits=("gone",), velocity=12))
    bench.make(PutHits(pattern=key, hits=(Hit(pad=1, beat=0.1, note=3), Hit(pad=2, beat=0.1))))
    places = {h.pad: h.id for h in bench.pocket.patterns[key].hits}
    bench.make(MoveHits(pattern=key, hits=(places[0],), notes=4, beats=0.5))
    assert [(h.pad, h.beat, h.note) for h in bench.pocket.patterns[key].hits] == [(1, 0.1, 3), (2, 0.1, 0), (0, 0.6, 4)]
    bench.make(MoveHits(pattern=key, hits=(places[1],), notes=-3))
    bench.make(MoveHits(pattern=key, hits=(places[1], places[2]), pad=5))
    assert [(h.id, h.pad) for h in bench.pocket.patterns[key].hits] == [(places[2], 5), (places[0], 0)], "one place, one hit"
    for far in ({"beats": -1.0}, {"notes": 100}):
        with pytest.raises(Refusal):
            bench.make(MoveHits(pattern=key, hits=(places[0],), **far))
    bench.make(RemoveHits(pattern=key, hits=(places[2],)))
    with pytest.raises(Refusal, match="behind its end"):
        bench.make(PutHits(pattern=key, hits=(Hit(pad=0, beat=4),)))


def test_shortening_a_pattern_keeps_the_hits_behind_its_end(bench: Bench) -> None:
    bench.make(OriginalRhythm(source="s1"))
    key = next(iter(bench.pocket.patterns))
    hits = bench.pocket.patterns[key].hits
    bench.make(SetPattern(pattern=key, bars=1))
    bench.make(SetPattern(pattern=key, bars=2))
    assert bench.pocket.patterns[key].hits == hits


def test_bars_give_the_tempo_to_the_sample(bench: Bench) -> None:
    bench.make(SetGrid(source="s1", bars=4))
    grid = bench.pocket.sources["s1"].grid
    assert grid is not None
    assert grid.bpm == 4 * 4 * 60 * RATE / len(bench.loop.samples)
    assert (grid.bars, grid.bar_one, grid.by) == (4, 0, "hand")


def test_removing_a_find_that_is_on_pads(bench: Bench) -> None:
    bench.make(SlicesToPads(source="s1"))
    with pytest.raises(Refusal, match="pads"):
        bench.make(RemoveSource(source="s1"))
    bench.make(RemoveSource(source="s1", with_pads=True))
    assert bench.pocket.sources == {}
    assert bench.pocket.pads == {}


def test_two_finds_of_one_name_are_told_apart(bench: Bench) -> None:
    frames = len(bench.loop.samples)
    bench.make(AddSource(name="Loop", audio="a", frames=frames, channels=2))
    assert [s.name for s in bench.pocket.sources.values()] == ["Loop", "Loop (2)"]
    with pytest.raises(Refusal, match="bring it in again"):
        bench.make(AddSource(name="Loop", audio="a", frames=frames + 1, channels=2))


def test_original_rhythm_of_a_part(bench: Bench) -> None:
    bar = len(bench.loop.samples) // 2
    # A selection by hand is never exact: the nearest bar is meant.
    bench.make(OriginalRhythm(source="s1", start=bar, end=2 * bar - bar // 9, take_tempo=False))
    pattern = next(iter(bench.pocket.patterns.values()))
    assert pattern.bars == 1
    assert bench.pocket.tempo != pytest.approx(bench.loop.bpm)
    inside = bench.loop.at[bench.loop.at >= bar - 300] - bar
    assert np.abs(np.array([h.beat for h in pattern.hits]) * 60 / bench.loop.bpm * RATE - inside[-len(pattern.hits) :]).max() < 300


def test_original_rhythm_without_a_tempo_says_what_to_do() -> None:
    bench = Bench(drum_loop())
    bench.library = type(bench.library)(np.zeros((RATE, 2), np.float32))
    bench.make(AddSource(name="Silent", audio="b", frames=RATE, channels=2))
    with pytest.raises(Refusal, match="no tempo"):
        bench.make(OriginalRhythm(source=list(bench.pocket.sources)[-1]))


@pytest.mark.parametrize(
    "data",
    [
        {"type": "set_pads", "pads": [0], "level": 13},
        {"type": "set_pads", "pads": [0], "sound": {"pitch": float("nan")}},
        {"type": "set_pads", "pads": []},
        {"type": "set_pocket", "tempo": 0},
        {"type": "put_hits", "pattern": "p1", "hits": [{"pad": 0, "beat": -1}]},
        {"type": "put_hits", "pattern": "p1", "hits": [{"pad": 0, "beat": float("inf")}]},
        {"type": "rename_source", "source": "s1", "name": ""},
        {"type": "unheard_of"},
        {"type": "set_pads", "pads": [0], "colour": "red"},
    ],
)
def test_out_of_range_values_do_not_get_in(data: dict[str, object]) -> None:
    with pytest.raises(ValidationError):
        EDIT.validate_python(data)
