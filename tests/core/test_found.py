"""What was found goes onto pads and into slices."""

from __future__ import annotations

import numpy as np
import pytest

from grainpocket.core.edits import Refusal
from grainpocket.core.edits.cutting import MoveCut, NameSlice, Recut
from grainpocket.core.edits.found import CutStretches, Stretch, StretchesToPads
from grainpocket.core.pocket import LONGEST_CHOP_S, Cutting
from tests.core.test_rebuild import Bench
from tests.signals import RATE, drum_loop


@pytest.fixture
def bench() -> Bench:
    return Bench(drum_loop())


def test_stretches_go_to_the_next_free_pads_with_name_and_role(bench: Bench) -> None:
    bench.make(StretchesToPads(source="s1", stretches=(Stretch(start=100, end=9000, name="Kick 1", role="kick"),), first=2))
    some = (Stretch(start=0, end=500, name="A"), Stretch(start=500, end=900), Stretch(start=7, end=9, name="C"))
    bench.make(StretchesToPads(source="s1", stretches=some))
    pads = bench.pocket.pads
    assert list(pads) == [2, 3, 4, 5], "together, not into the gaps"
    assert (pads[2].name, pads[2].role, pads[2].chop.start, pads[2].chop.end, pads[2].chop.cut) == (
        "Kick 1",
        "kick",
        100,
        9000,
        None,
    )
    assert (pads[4].name, pads[4].called) == (None, "Loop 1"), "without a name, what it is"
    before = pads[2].chop
    bench.make(Recut(source="s1", cutting=Cutting(sensitivity=90)))
    assert bench.pocket.pads[2].chop == before, "no cut moves it"


def test_a_stretch_becomes_a_slice_of_its_own(bench: Bench) -> None:
    count = len(bench.cuts)
    bench.make(CutStretches(source="s1", stretches=(Stretch(start=3000, end=5000, name="Bit", role="perc"),)))
    cuts = bench.pocket.sources["s1"].cuts
    assert len(cuts) == count + 2
    made = next(i for i, c in enumerate(cuts) if c.at == 3000)
    assert (cuts[made].name, cuts[made].role, cuts[made].by) == ("Bit", "perc", "hand")
    assert cuts[made + 1].at == 5000
    assert [c.at for c in cuts] == sorted(c.at for c in cuts)
    bench.make(Recut(source="s1", cutting=Cutting(sensitivity=0)))
    assert {3000, 5000} <= {c.at for c in bench.pocket.sources["s1"].cuts}, "it survives a new sensitivity"


def test_a_cut_that_is_there_is_used(bench: Bench) -> None:
    cuts = bench.pocket.sources["s1"].cuts
    bench.make(NameSlice(source="s1", cut=cuts[3].id, name="Mine", role="snare"))
    one = Stretch(start=cuts[3].at + 5, end=cuts[4].at - 5, name="Other", role="kick")
    bench.make(CutStretches(source="s1", stretches=(one,)))
    after = bench.pocket.sources["s1"].cuts
    assert [c.at for c in after] == [c.at for c in cuts]
    assert (after[3].id, after[3].name) == (cuts[3].id, "Mine")
    end = Stretch(start=cuts[-1].at, end=bench.pocket.sources["s1"].frames)
    bench.make(CutStretches(source="s1", stretches=(end,)))
    assert [c.at for c in bench.pocket.sources["s1"].cuts] == [c.at for c in cuts], "the end of the find needs no cut"


def test_pads_follow_the_slices_that_a_stretch_divides(bench: Bench) -> None:
    from grainpocket.core.edits.padding import SlicesToPads

    cuts = bench.pocket.sources["s1"].cuts
    bench.make(SlicesToPads(source="s1", cuts=(cuts[0].id,)))
    middle = (cuts[0].at + cuts[1].at) // 2
    bench.make(CutStretches(source="s1", stretches=(Stretch(start=middle, end=cuts[1].at),)))
    assert bench.pocket.pads[0].chop.end == middle
    bench.make(MoveCut(source="s1", cut=cuts[0].id, at=cuts[0].at + 100))
    assert bench.pocket.pads[0].chop.start == cuts[0].at + 100


@pytest.mark.parametrize(
    ("stretch", "words"),
    [(Stretch(start=5, end=5), "inside"), (Stretch(start=9, end=3), "inside"), (Stretch(start=0, end=10**9), "inside")],
)
def test_what_lies_outside_is_refused(bench: Bench, stretch: Stretch, words: str) -> None:
    for edit in (StretchesToPads, CutStretches):
        with pytest.raises(Refusal, match=words):
            bench.make(edit(source="s1", stretches=(stretch,)))


def test_too_long_for_a_pad_is_refused() -> None:
    bench = Bench(drum_loop())
    frames = (LONGEST_CHOP_S + 1) * RATE
    source = bench.pocket.sources["s1"].model_copy(update={"frames": frames})
    bench.pocket = bench.pocket.with_source(source)
    with pytest.raises(Refusal, match="Cut it shorter"):
        bench.make(StretchesToPads(source="s1", stretches=(Stretch(start=0, end=frames, name="All"),)))
    assert bench.pocket.pads == {}
    assert np.all(np.diff(bench.cuts) > 0)
