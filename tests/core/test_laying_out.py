"""Laying out: tempi of others stay, drums do not cut each other off, kits keep to their pages, and no sliver is cut."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from grainpocket.core.chop.policies import SLIVER_S
from grainpocket.core.edits import Refusal
from grainpocket.core.edits.cutting import LEAST_MOVED_S, MoveCut, Recut
from grainpocket.core.edits.gridding import SetGrid
from grainpocket.core.edits.hitting import PutHits
from grainpocket.core.edits.kits import AddToTray, PlaySlice, SliceRef, TrayToPads
from grainpocket.core.edits.padding import SetEachPad, SetPads, SlicesToPads
from grainpocket.core.edits.patterns import AddPattern, OriginalRhythm
from grainpocket.core.edits.pocket_wide import SetPocket
from grainpocket.core.edits.spreading import FitToPads, RepeatBars, SplitByRole
from grainpocket.core.pocket import CHOKE_OF, PAGE, Cutting, Hit
from grainpocket.core.rhythm.schedule import TOGETHER_S, schedule
from tests.core.test_rebuild import Bench
from tests.signals import RATE, drum_loop


@pytest.fixture
def bench() -> Bench:
    return Bench(drum_loop(bpm=98.36, bars=2, seed=3))


def with_a_pattern(bench: Bench) -> Bench:
    bench.make(SetPocket(tempo=94.0))
    bench.make(SlicesToPads(source="s1", cuts=(bench.pocket.sources["s1"].cuts[0].id,)))
    bench.make(AddPattern(name="Mine"))
    bench.make(PutHits(pattern=next(iter(bench.pocket.patterns)), hits=(Hit(pad=0, beat=0.0),)))
    return bench


LAID = [OriginalRhythm(source="s1"), SplitByRole(source="s1"), RepeatBars(source="s1", start=0, end=107605, beats=4, times=4)]


@pytest.mark.parametrize("edit", LAID)
def test_the_first_pattern_takes_its_tempo_along(bench: Bench, edit: OriginalRhythm) -> None:
    bench.make(edit)
    assert bench.pocket.tempo == pytest.approx(98.36, rel=1e-3)


@pytest.mark.parametrize("edit", LAID)
def test_where_a_pattern_stands_its_tempo_stays_and_the_new_one_keeps_its_own_as_a_fact(bench: Bench, edit: OriginalRhythm) -> None:
    bench = with_a_pattern(bench)
    bench.make(edit)
    assert bench.pocket.tempo == 94.0
    made = list(bench.pocket.patterns.values())[-1]
    assert made.played is not None
    assert made.played.bpm == pytest.approx(98.36, rel=1e-3)


def stops(bench: Bench, hits: list[Hit], **sound: float) -> list[int | None]:
    bench.make(SetPads(pads=(0, 1), choke=1, sound=sound))
    bench.make(AddPattern(name="Struck"))
    key = list(bench.pocket.patterns)[-1]
    bench.make(PutHits(pattern=key, hits=tuple(hits)))
    return [event.stop for event in schedule(bench.pocket, bench.pocket.patterns[key]).events]


def test_hits_struck_together_do_not_choke_each_other(bench: Bench) -> None:
    bench.make(SlicesToPads(source="s1"))
    bench.make(SetPocket(tempo=120.0))
    near, far = 0.018 * 2, 0.022 * 2
    first, second = stops(bench, [Hit(pad=0, beat=1.0), Hit(pad=1, beat=1.0 + near)], pitch=-24.0)
    assert first is None or first > RATE // 10
    assert second is None or second > RATE // 10
    first, _ = stops(bench, [Hit(pad=0, beat=1.0), Hit(pad=1, beat=1.0 + far)])
    assert first == pytest.approx(0.022 * RATE, abs=1)
    assert first > TOGETHER_S * RATE


def test_each_drum_has_a_group_of_its_own(bench: Bench) -> None:
    bench.make(SplitByRole(source="s1"))
    groups = {pad.role: pad.choke for pad in bench.pocket.pads.values()}
    assert len(groups) >= 2
    assert groups == {role: CHOKE_OF[role] for role in groups}
    drums = [group for group in groups.values() if group]
    assert len(set(drums)) == len(drums)
    refs = tuple(SliceRef(source="s1", cut=cut.id) for cut in bench.pocket.sources["s1"].cuts[:4])
    bench.make(AddToTray(slices=refs))
    bench.make(TrayToPads())
    harvested = list(bench.pocket.pads.values())[-4:]
    assert [pad.choke for pad in harvested] == [CHOKE_OF[pad.role] for pad in harvested]


@pytest.mark.parametrize("taken", [1, 5, 12])
def test_a_layout_of_sixteen_has_a_page_of_its_own(bench: Bench, taken: int) -> None:
    cuts = tuple(cut.id for cut in bench.pocket.sources["s1"].cuts[:taken])
    bench.make(SlicesToPads(source="s1", cuts=cuts, first=0))
    before = set(bench.pocket.pads)
    bench.make(FitToPads(source="s1", pads=16))
    added = sorted(set(bench.pocket.pads) - before)
    assert added == list(range(PAGE, 2 * PAGE))
    bench.make(SlicesToPads(source="s1", cuts=(bench.pocket.sources["s1"].cuts[0].id,)))
    assert max(set(bench.pocket.pads) - before - set(added)) == taken, "one alone fills the gap"


def test_a_first_slice_of_a_few_samples_is_part_of_the_next(bench: Bench) -> None:
    bench.make(SetGrid(source="s1", bar_one=82))
    bench.make(Recut(source="s1", cutting=Cutting(by="grid", step=1.0)))
    at = [cut.at for cut in bench.pocket.sources["s1"].cuts]
    assert at[0] == 0
    assert min(np.diff(at)) > SLIVER_S * RATE
    assert at[1] == pytest.approx(82 + 60 / 98.36 * RATE, abs=2)


def test_a_silent_sliver_is_no_slice() -> None:
    loop = drum_loop(bpm=120, bars=1)
    samples = loop.samples.copy()
    end = len(samples)
    # The last line of the grid stands five milliseconds before the end, where nothing sounds.
    samples[end - 400 :] = 0
    bench = Bench(replace(loop, samples=samples))
    bench.make(SetGrid(source="s1", bpm=120.0, bar_one=0))
    step = (end - 200) / (RATE / 2)
    bench.make(Recut(source="s1", cutting=Cutting(by="grid", step=round(step, 6))))
    assert max(cut.at for cut in bench.pocket.sources["s1"].cuts) < end - SLIVER_S * RATE


def test_a_drag_never_makes_a_slice_nothing(bench: Bench) -> None:
    first, second = bench.pocket.sources["s1"].cuts[:2]
    bench.make(MoveCut(source="s1", cut=second.id, at=first.at))
    assert bench.pocket.sources["s1"].cuts[1].at - first.at == round(LEAST_MOVED_S * RATE)


def test_pads_are_set_each_to_its_own(bench: Bench) -> None:
    bench.make(SlicesToPads(source="s1"))
    bench.make(SetEachPad(field="level", values={0: -3.0, 1: -9.0}))
    assert [bench.pocket.pads[i].sound.level for i in range(3)] == [-3.0, -9.0, 0.0]
    with pytest.raises(Refusal, match="goes from -60 to 12 dB"):
        bench.make(SetEachPad(field="level", values={0: 13.0}))
    with pytest.raises(Refusal, match="empty"):
        bench.make(SetEachPad(field="pitch", values={900: 1.0}))


def test_stepping_may_leave_the_role(bench: Bench) -> None:
    bench.make(SlicesToPads(source="s1"))
    cuts = bench.pocket.sources["s1"].cuts
    other = next(cut for cut in cuts if cut.role not in (None, bench.pocket.pads[0].role))
    was = bench.pocket.pads[0].role
    bench.make(PlaySlice(pad=0, source="s1", cut=other.id, keep_role=True))
    assert bench.pocket.pads[0].role == was
    bench.make(PlaySlice(pad=0, source="s1", cut=other.id))
    assert bench.pocket.pads[0].role == other.role
