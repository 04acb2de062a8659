"""From slices to kits: families, the tray, layers, takes, pages, live cuts, and what is left when the record is taken away."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from grainpocket.core.chop.kin import cuts_of, slices
from grainpocket.core.edits import Refusal
from grainpocket.core.edits.cutting import AddCut, DeleteCuts, MoveCut, NameSlice, Recut
from grainpocket.core.edits.family import JoinFamily, LeaveFamily
from grainpocket.core.edits.kits import (
    AddToTray,
    CopyPad,
    CopyPage,
    NamePage,
    PlaySlice,
    SetLayer,
    SliceRef,
    SwitchSound,
    TakeFromTray,
    TrayToPads,
)
from grainpocket.core.edits.live import LiveCut
from grainpocket.core.edits.padding import ClearPads, SetPads, SlicesToPads
from grainpocket.core.edits.patterns import OriginalRhythm, SetPattern
from grainpocket.core.edits.pocket_wide import AddSource, RemoveSource, SetPocket
from grainpocket.core.edits.spreading import FitToPads, RepeatBars, SplitByRole
from grainpocket.core.mix.null import NothingToCompare, Null, null_test
from grainpocket.core.pocket import Cutting
from grainpocket.core.shape.voice import render, spec_of
from tests.core.test_policies import Records
from tests.core.test_rebuild import Bench
from tests.signals import RATE, ArrayReader, drum_loop

OFFSET = 700


@pytest.fixture
def bench() -> Bench:
    return Bench(drum_loop())


@pytest.fixture
def family(bench: Bench) -> Bench:
    """A mix, and a stem of it whose file begins 700 samples later."""
    stem = np.ascontiguousarray(bench.loop.samples[OFFSET:] * np.float32(0.5))
    bench.library = Records(a=bench.loop.samples, stem=stem)
    bench.make(AddSource(name="Stem", audio="stem", frames=len(stem), channels=2))
    bench.make(JoinFamily(source=list(bench.pocket.sources)[-1], root="s1", offset=OFFSET))
    return bench


def stem_of(bench: Bench) -> str:
    return list(bench.pocket.sources)[1]


def null(bench: Bench) -> Null:
    pattern = list(bench.pocket.patterns.values())[-1]
    return null_test(bench.pocket, pattern, ArrayReader(a=bench.loop.samples), bench.renderer)


def test_a_family_shares_its_cuts_and_pads_switch_between_its_sounds(family: Bench) -> None:
    stem, mix = stem_of(family), family.pocket.sources["s1"]
    shared = cuts_of(family.pocket, family.pocket.sources[stem])
    assert [c.at + OFFSET for c in shared] == [c.at for c in mix.cuts if c.at >= OFFSET]
    family.make(SlicesToPads(source="s1"))
    sixteen = tuple(list(family.pocket.pads)[:16])
    before = family.pocket
    family.make(SetPads(pads=(3,), sound={"level": -3}))
    family.make(SwitchSound(pads=sixteen, source=stem))
    for pad in sixteen:
        was, now = before.pads[pad].chop, family.pocket.pads[pad].chop
        assert (now.source, now.start, now.end, now.cut) == (stem, was.start - OFFSET, was.end - OFFSET, was.cut)
    assert family.pocket.pads[3].sound.level == -3, "its settings are its own"
    cut = mix.cuts[5]
    family.make(MoveCut(source=stem, cut=cut.id, at=cut.at - OFFSET + 90))
    assert next(c.at for c in family.pocket.sources["s1"].cuts if c.id == cut.id) == cut.at + 90, "moved under the mix too"
    assert family.pocket.pads[5].chop.start == cut.at - OFFSET + 90
    family.make(SwitchSound(pads=sixteen, source="s1"))
    assert {p.chop.source for p in family.pocket.pads.values()} == {"s1"}
    assert family.pocket.pads[0].chop == before.pads[0].chop, "back again, and nothing lost where the stem had not begun"
    with pytest.raises(Refusal, match="None of these pads"):
        family.make(SwitchSound(pads=(0,), source="s1"))


def test_cutting_anew_on_a_stem_cuts_the_family_and_keeps_what_is_yours(family: Bench) -> None:
    stem, own = stem_of(family), family.pocket.sources["s1"].cuts[6]
    family.make(MoveCut(source="s1", cut=own.id, at=own.at + 200))
    before = family.pocket
    family.make(Recut(source=stem, cutting=Cutting(by="parts", parts=6)))
    cuts = family.pocket.sources["s1"].cuts
    assert own.id in {c.id for c in cuts}
    assert OFFSET in {c.at for c in cuts}, "the stem's own beginning"
    assert family.pocket.sources[stem].cuts == ()
    assert before.pads.keys() == family.pocket.pads.keys()


def test_what_joins_brings_its_own_cuts_and_takes_them_when_it_leaves(bench: Bench) -> None:
    bench.make(AddSource(name="Other", audio="a", frames=len(bench.loop.samples), channels=2))
    other = list(bench.pocket.sources)[-1]
    bench.make(AddCut(source=other, at=20_000))
    made = next(c for c in bench.pocket.sources[other].cuts if c.at == 20_000)
    bench.make(SlicesToPads(source=other, cuts=(made.id, bench.pocket.sources[other].cuts[2].id)))
    sound = [p.chop for p in bench.pocket.pads.values()]
    bench.make(JoinFamily(source=other, root="s1", offset=0))
    root = bench.pocket.sources["s1"]
    assert made.id in {c.id for c in root.cuts}, "a cut by hand is not lost"
    joined = [p.chop for p in bench.pocket.pads.values()]
    assert [c.start for c in joined] == [c.start for c in sound]
    assert joined[1].cut in {c.id for c in root.cuts}, "where both had one, the family's counts"
    bench.make(LeaveFamily(source=other))
    left = bench.pocket.sources[other]
    assert [c.at for c in left.cuts] == [c.at for c in root.cuts]
    assert not {c.id for c in left.cuts} & {c.id for c in root.cuts}
    assert all(p.chop.cut in {c.id for c in left.cuts} for p in bench.pocket.pads.values())


def test_the_first_of_its_kin_inherits_the_cuts(family: Bench) -> None:
    stem = stem_of(family)
    was = cuts_of(family.pocket, family.pocket.sources[stem])
    family.make(SlicesToPads(source=stem, cuts=(was[3].id,)))
    family.make(RemoveSource(source="s1"))
    assert family.pocket.sources[stem].kin is None
    # Numbered by themselves now: what began before the stem is not there any more.
    now = family.pocket.sources[stem].cuts
    assert [c.model_copy(update={"called": ""}) for c in now] == [c.model_copy(update={"called": ""}) for c in was]
    assert now[0].called.endswith(" 1")
    assert family.pocket.pads[0].chop.cut == was[3].id


@settings(max_examples=12)
@given(st.lists(st.tuples(st.sampled_from(["move", "add", "delete", "recut"]), st.integers(0, 10**6), st.booleans()), max_size=8))
def test_whatever_is_cut_every_chop_is_its_slice(steps: list[tuple[str, int, bool]]) -> None:
    bench = mix_and_stem()
    stem = stem_of(bench)
    for what, number, on_stem in steps:
        source = stem if on_stem else "s1"
        cuts = cuts_of(bench.pocket, bench.pocket.sources[source])
        frames = bench.pocket.sources[source].frames
        try:
            if what == "move" and cuts:
                bench.make(MoveCut(source=source, cut=cuts[number % len(cuts)].id, at=number % frames))
            elif what == "add":
                bench.make(AddCut(source=source, at=number % frames, snap="quiet" if number % 2 else "off"))
            elif what == "delete" and cuts:
                bench.make(DeleteCuts(source=source, cuts=(cuts[number % len(cuts)].id,)))
            else:
                bench.make(Recut(source=source, cutting=Cutting(by="parts", parts=2 + number % 20)))
        except Refusal:
            continue
        at = [c.at for c in bench.pocket.sources["s1"].cuts]
        assert at == sorted(at)
        assert len({c.id for c in bench.pocket.sources["s1"].cuts}) == len(at)
        for pad in bench.pocket.pads.values():
            if pad.chop.cut is not None:
                (now,) = slices(bench.pocket, bench.pocket.sources[pad.chop.source], (pad.chop.cut,))
                assert (pad.chop.start, pad.chop.end) == (now.start, now.end)
            assert pad.chop.end > pad.chop.start


_LOOP = drum_loop()


def mix_and_stem() -> Bench:
    bench = Bench(_LOOP)
    stem = np.ascontiguousarray(_LOOP.samples[OFFSET:])
    bench.library = Records(a=_LOOP.samples, stem=stem)
    bench.make(AddSource(name="Stem", audio="stem", frames=len(stem), channels=2))
    bench.make(JoinFamily(source=stem_of(bench), root="s1", offset=OFFSET))
    for source in ("s1", stem_of(bench)):
        bench.make(SlicesToPads(source=source))
    return bench


def test_split_by_drum_has_a_lane_for_each_and_cancels(bench: Bench) -> None:
    truth = dict(zip(bench.loop.at.tolist(), bench.loop.names, strict=True))
    for cut in bench.pocket.sources["s1"].cuts:
        near = min(truth, key=lambda at: abs(at - cut.at))
        bench.make(NameSlice(source="s1", cut=cut.id, role=truth[near]))  # type: ignore[arg-type]
    bench.make(SplitByRole(source="s1"))
    lanes = list(bench.pocket.pads.values())
    assert [p.role for p in lanes] == ["kick", "snare", "hat"]
    assert [1 + len(p.takes) for p in lanes] == [bench.loop.names.count(name) for name in ("kick", "snare", "hat")]
    found = null(bench)
    assert found.total <= -60
    assert all(db <= -60 for db in found.bars)
    # One lane less is heard at once, and a swing does not count: the record is played as it was.
    pattern = list(bench.pocket.patterns.values())[-1]
    bench.make(SetPattern(pattern=pattern.id, swing=66))
    assert null(bench).total <= -60
    bench.make(ClearPads(pads=(1,)))
    assert null(bench).total > -10


def test_the_original_rhythm_cancels_at_any_tempo_of_the_pocket(bench: Bench) -> None:
    bench.make(OriginalRhythm(source="s1"))
    bench.make(SetPocket(tempo=140))
    assert null(bench).total <= -60
    bench.make(SetPads(pads=(2,), sound={"level": -1}))
    assert null(bench).total > -60, "what is changed on a pad is told"
    bench.make(SetPattern(pattern=list(bench.pocket.patterns)[-1], name="x"))
    bare = bench.pocket.patterns[list(bench.pocket.patterns)[-1]].model_copy(update={"played": None})
    with pytest.raises(NothingToCompare):
        null_test(bench.pocket, bare, ArrayReader(a=bench.loop.samples), bench.renderer)


def test_spread_over_pads_in_equal_beats_and_joined_slices(bench: Bench) -> None:
    frames = bench.pocket.sources["s1"].frames
    bench.make(FitToPads(source="s1", how="beats", pads=8))
    starts = [p.chop.start for p in bench.pocket.pads.values()]
    assert np.abs(np.array(starts) - np.arange(8) * frames / 8).max() <= 1
    assert bench.pocket.pads[7].chop.end == frames
    other = Bench(drum_loop())
    other.make(FitToPads(source="s1", how="slices", pads=4))
    chops = [p.chop for p in other.pocket.pads.values()]
    assert len(chops) == 4
    assert all(a.end == b.start for a, b in itertools.pairwise(chops))
    assert (chops[0].start, chops[-1].end) == (0, frames)
    assert max(abs(c.end - c.start - frames / 4) for c in chops) < frames / 16
    # A chop of several slices follows the cuts at both its ends.
    last = other.pocket.sources["s1"].cuts
    second = next(c for c in last if c.at == chops[1].start)
    other.make(MoveCut(source="s1", cut=second.id, at=second.at - 250))
    assert other.pocket.pads[0].chop.end == other.pocket.pads[1].chop.start == second.at - 250


def test_a_bar_repeated_without_a_gap(bench: Bench) -> None:
    bar = bench.pocket.sources["s1"].frames // 2
    bench.make(RepeatBars(source="s1", start=0, end=bar, beats=4, times=3))
    sound = bench.render(cyclic=False)
    # But for the ramp of a start in the open, and the fade of an end.
    assert np.array_equal(sound[bar + 8 : 2 * bar - 300], bench.loop.samples[8 : bar - 300])
    assert np.array_equal(sound[200:bar], sound[bar + 200 : 2 * bar])
    with pytest.raises(Refusal, match="whole number of bars"):
        bench.make(RepeatBars(source="s1", start=0, end=bar, beats=3, times=3))


def test_the_tray_gathers_and_names_travel(bench: Bench) -> None:
    cuts = bench.pocket.sources["s1"].cuts
    bench.make(NameSlice(source="s1", cut=cuts[2].id, name="Crack", role="snare"))
    refs = (SliceRef(source="s1", cut=cuts[2].id), SliceRef(source="s1", start=10, end=5000, name="Bit", role="perc"))
    bench.make(AddToTray(slices=refs))
    bench.make(AddToTray(slices=refs))
    assert [(h.called, h.role) for h in bench.pocket.tray] == [("Crack", "snare"), ("Bit", "perc")]
    bench.make(NameSlice(source="s1", cut=cuts[2].id, name="Crack two", role="snare"))
    assert bench.pocket.tray[0].called == "Crack two"
    bench.make(MoveCut(source="s1", cut=cuts[2].id, at=cuts[2].at + 50))
    assert bench.pocket.tray[0].chop.start == cuts[2].at + 50
    bench.make(TrayToPads())
    assert [p.called for p in bench.pocket.pads.values()] == ["Crack two", "Bit"]
    assert bench.pocket.tray == ()
    with pytest.raises(Refusal, match="tray is empty"):
        bench.make(TrayToPads())
    bench.make(AddToTray(slices=refs))
    bench.make(TakeFromTray(places=(0,)))
    assert [h.called for h in bench.pocket.tray] == ["Bit"]


def test_layers_sound_together_and_takes_are_chosen_by_hits(bench: Bench) -> None:
    cuts = bench.pocket.sources["s1"].cuts
    bench.make(SlicesToPads(source="s1", cuts=(cuts[0].id,), first=0))
    alone = render(spec_of(bench.pocket, bench.pocket.pads[0]), ArrayReader(a=bench.loop.samples), RATE)
    bench.make(SlicesToPads(source="s1", cuts=(cuts[2].id,), pads=(0,), layer=True))
    bench.make(SetLayer(pad=0, layer=0, sound={"level": -6}))
    both = render(spec_of(bench.pocket, bench.pocket.pads[0]), ArrayReader(a=bench.loop.samples), RATE)
    other = both.copy()
    other[: len(alone)] -= alone
    want = bench.loop.samples[cuts[2].at : cuts[2].at + 2000] * np.float32(10 ** (-6 / 20))
    lead = len(alone) - (cuts[1].at - cuts[0].at)
    assert np.allclose(other[lead : lead + 2000], want, atol=1e-5)
    for _ in range(6):
        bench.make(SlicesToPads(source="s1", cuts=(cuts[3].id,), pads=(0,), layer=True))
    with pytest.raises(Refusal, match="most a pad can play"):
        bench.make(SlicesToPads(source="s1", cuts=(cuts[3].id,), pads=(0,), layer=True))
    bench.make(SetLayer(pad=0, layer=0, remove=True))
    assert len(bench.pocket.pads[0].layers) == 6


def test_pages_are_named_and_copied_as_kits_of_their_own(bench: Bench) -> None:
    cuts = [c.id for c in bench.pocket.sources["s1"].cuts]
    bench.make(SlicesToPads(source="s1", cuts=tuple(cuts[:3]), first=0))
    bench.make(NamePage(page=0, name="Dusty"))
    bench.make(SetPads(pads=(1,), locked=True))
    bench.make(CopyPage(page=0))
    assert bench.pocket.pages == {0: "Dusty", 1: "Dusty copy"}
    assert [p.chop for i, p in bench.pocket.pads.items() if i >= 16] == [p.chop for i, p in bench.pocket.pads.items() if i < 16]
    bench.make(SetPads(pads=(16,), sound={"level": -9}))
    assert bench.pocket.pads[0].sound.level == 0, "they share no setting"
    bench.make(CopyPad(pad=16, to=(0,), settings_only=True))
    assert (bench.pocket.pads[0].sound.level, bench.pocket.pads[0].called) == (-9, bench.pocket.sources["s1"].cuts[0].called)
    with pytest.raises(Refusal, match="locked"):
        bench.make(CopyPad(pad=0, to=(1,)))
    with pytest.raises(Refusal, match="locked"):
        bench.make(PlaySlice(pad=1, source="s1", cut=cuts[5]))
    bench.make(SlicesToPads(source="s1", cuts=(cuts[4], cuts[5]), first=0))
    assert bench.pocket.pads[1].chop.cut == cuts[1], "what is locked is passed over"
    assert bench.pocket.pads[2].chop.cut == cuts[5]
    bench.make(PlaySlice(pad=2, source="s1", cut=cuts[7]))
    played = bench.pocket.sources["s1"].cuts[7]
    assert bench.pocket.pads[2].called == played.called, "it is called what it plays"
    bench.make(SetPads(pads=(2,), name="Mine"))
    bench.make(PlaySlice(pad=2, source="s1", cut=cuts[8]))
    assert bench.pocket.pads[2].name == "Mine", "a name given by hand stays"
    bench.make(NamePage(page=0, name=""))
    assert bench.pocket.pages == {1: "Dusty copy"}


@pytest.mark.parametrize("latency", [0.0, 35.0])
def test_live_cuts_end_on_the_attacks_that_were_meant(latency: float) -> None:
    bench = Bench(drum_loop())
    bench.make(Recut(source="s1", cutting=Cutting(by="parts", parts=2), keep_hand=False))
    rng, right = np.random.default_rng(5), 0
    meant = bench.loop.at[1:15]
    for pad, at in enumerate(meant.tolist()):
        pressed = at + round((rng.uniform(-20, 20) + latency) * RATE / 1000)
        bench.make(LiveCut(source="s1", pad=pad, at=pressed, latency=latency, passed=tuple(range(pad))))
        right += abs(bench.pocket.pads[pad].chop.start - at) <= 0.005 * RATE
    assert right >= 0.95 * len(meant)
    with pytest.raises(Refusal, match="taken"):
        bench.make(LiveCut(source="s1", pad=3, at=100))


def test_a_live_chop_lasts_to_the_next_press_whatever_cuts_lie_between() -> None:
    bench = Bench(drum_loop())
    frames, before = bench.pocket.sources["s1"].frames, bench.pocket.sources["s1"].cuts
    kick, snare, later = (int(bench.cuts[i]) for i in (0, 4, 12))
    bench.make(LiveCut(source="s1", pad=0, at=kick))
    assert (bench.pocket.pads[0].chop.start, bench.pocket.pads[0].chop.end) == (kick, frames), "to the end, until the next press"
    bench.make(LiveCut(source="s1", pad=1, at=later, passed=(0,)))
    bench.make(LiveCut(source="s1", pad=2, at=snare, passed=(0, 1)))
    regions = [(p.chop.start, p.chop.end) for p in bench.pocket.pads.values()]
    assert regions == [(kick, snare), (later, frames), (snare, later)]
    assert bench.pocket.sources["s1"].cuts == before, "they were cut there already: nothing was moved"
    # Pressed again, the pad takes another place; the cut that a policy made stays where it is.
    bench.make(LiveCut(source="s1", pad=2, at=int(bench.cuts[8]), passed=(0, 1, 2)))
    assert [(p.chop.start, p.chop.end) for p in bench.pocket.pads.values()] == [
        (kick, int(bench.cuts[8])),
        (later, frames),
        (int(bench.cuts[8]), later),
    ]
    assert bench.pocket.sources["s1"].cuts == before
    bench.make(SetPads(pads=(2,), locked=True))
    with pytest.raises(Refusal, match="locked"):
        bench.make(LiveCut(source="s1", pad=2, at=snare, passed=(0, 1, 2)))


def test_a_cut_made_live_is_the_one_that_moves() -> None:
    bench = Bench(drum_loop())
    bench.make(Recut(source="s1", cutting=Cutting(by="parts", parts=2), keep_hand=False))
    count = len(bench.pocket.sources["s1"].cuts)
    bench.make(LiveCut(source="s1", pad=0, at=int(bench.loop.at[3])))
    own = bench.pocket.pads[0].chop.cut
    bench.make(LiveCut(source="s1", pad=0, at=int(bench.loop.at[7]), passed=(0,)))
    assert bench.pocket.pads[0].chop.cut == own
    assert abs(bench.pocket.pads[0].chop.start - bench.loop.at[7]) <= 0.005 * RATE
    assert len(bench.pocket.sources["s1"].cuts) == count + 1, "the first place is let go"
