"""Names by themselves: what slices and pads are called when nobody has named them."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from grainpocket.core.document.naming import base_of, free, numbered, of_base
from grainpocket.core.document.upgrades import FORM, upgraded
from grainpocket.core.edits.base import Refusal
from grainpocket.core.edits.cutting import AddCut, DeleteCuts, NameSlice, SetRole
from grainpocket.core.edits.found import Stretch, StretchesToPads
from grainpocket.core.edits.kits import AddToTray, CopyPad, PlaySlice, SliceRef
from grainpocket.core.edits.padding import ClearPads, MovePad, SetPads, SlicesToPads
from grainpocket.core.edits.spreading import SplitByRole
from grainpocket.core.pocket import Pocket
from tests.core.test_rebuild import Bench
from tests.signals import drum_loop

WORDS = st.sampled_from(["Kick", "Snare", "Keys Dm", "Dust 7"])


@pytest.fixture
def bench() -> Bench:
    return Bench(drum_loop(bpm=94, bars=4, seed=3))


def called(bench: Bench) -> list[str]:
    return [pad.called for pad in bench.pocket.pads.values()]


@settings(max_examples=60, derandomize=True)
@given(st.lists(WORDS, max_size=12), st.lists(st.sampled_from(["Kick 2", "Snare 1", "Mine"]), max_size=3))
def test_no_two_of_a_list_are_called_the_same(bases: list[str], own: list[str]) -> None:
    names = numbered(bases, own, lambda base: base == "Keys Dm")
    assert len({*names, *own}) == len(names) + len(set(own))
    assert all(of_base(name, base) for name, base in zip(names, bases, strict=True))
    for base in set(bases):
        mine = [int(name[len(base) :] or 1) for name, b in zip(names, bases, strict=True) if b == base]
        assert mine == sorted(mine), "in the order in which they appear"


def test_a_number_is_taken_off_and_put_on() -> None:
    assert (base_of("Kick 12"), base_of("Keys C7"), base_of("Keys C7 2"), base_of("808")) == ("Kick", "Keys C7", "Keys C7", "808")
    assert free("x" * 80, set()) == "x" * 74 + " 1"


def test_slices_are_called_by_role_and_number(bench: Bench) -> None:
    cuts = bench.pocket.sources["s1"].cuts
    count: dict[str, int] = {}
    for cut in cuts:
        word = base_of(cut.called)
        assert word in {"kick": ("Kick",), "snare": ("Snare", "Ghost"), "hat": ("Hat",)}[cut.role or ""]
        count[word] = count.get(word, 0) + 1
        assert (cut.name, cut.called) == (None, f"{word} {count[word]}")


def test_numbers_follow_the_cuts_and_own_names_win(bench: Bench) -> None:
    kicks = [cut for cut in bench.pocket.sources["s1"].cuts if cut.role == "kick"]
    bench.make(NameSlice(source="s1", cut=kicks[1].id, name="Thud", role="kick"))
    bench.make(DeleteCuts(source="s1", cuts=(kicks[0].id,)))
    by_id = {cut.id: cut.called for cut in bench.pocket.sources["s1"].cuts}
    assert by_id[kicks[1].id] == "Thud"
    assert by_id[kicks[2].id] == "Kick 1"
    bench.make(NameSlice(source="s1", cut=kicks[1].id, role="kick"))
    assert {cut.id: cut.called for cut in bench.pocket.sources["s1"].cuts}[kicks[1].id] == "Kick 1"


def test_pads_are_called_like_their_slices_and_stay_so(bench: Bench) -> None:
    cuts = bench.pocket.sources["s1"].cuts
    bench.make(SlicesToPads(source="s1", cuts=tuple(c.id for c in cuts[:8])))
    assert called(bench) == [c.called for c in cuts[:8]]
    first = called(bench)
    bench.make(ClearPads(pads=(0,)))
    bench.make(AddCut(source="s1", at=cuts[0].at + 3000))
    assert called(bench) == first[1:], "nothing is renamed under the hands"
    bench.make(MovePad(pad=3, to=0))
    assert bench.pocket.pads[0].called == first[3]


def test_a_pad_is_unique_in_its_pocket(bench: Bench) -> None:
    cuts = bench.pocket.sources["s1"].cuts
    kick = next(c for c in cuts if c.role == "kick")
    bench.make(SlicesToPads(source="s1", cuts=(kick.id,), first=5))
    bench.make(CopyPad(pad=5, to=(0, 9)))
    assert {i: p.called for i, p in bench.pocket.pads.items()} == {0: "Kick 2", 5: "Kick 1", 9: "Kick 3"}
    bench.make(SetPads(pads=(9,), name="Boom"))
    bench.make(SetPads(pads=(0,), role="snare"))
    assert {i: p.called for i, p in bench.pocket.pads.items()} == {0: "Snare 1", 5: "Kick 1", 9: "Boom"}
    bench.make(SetPads(pads=(9,), role="hat"))
    assert bench.pocket.pads[9].called == "Boom", "what was named by hand is not renamed"
    bench.make(SetPads(pads=(9,), name=""))
    assert bench.pocket.pads[9].called == "Hat 1"


def test_another_slice_brings_its_name_but_not_over_an_own_one(bench: Bench) -> None:
    cuts = bench.pocket.sources["s1"].cuts
    kick, snare = (next(c for c in cuts if c.role == role) for role in ("kick", "snare"))
    bench.make(SlicesToPads(source="s1", cuts=(kick.id,)))
    bench.make(PlaySlice(pad=0, source="s1", cut=snare.id))
    assert called(bench) == [snare.called]
    bench.make(NameSlice(source="s1", cut=snare.id, name="Crack", role="snare"))
    assert called(bench) == ["Crack"]
    bench.make(SetPads(pads=(0,), name="Mine"))
    bench.make(NameSlice(source="s1", cut=snare.id, name="Clap", role="snare"))
    assert called(bench) == ["Mine"]


def test_a_file_that_is_one_hit_keeps_its_name(bench: Bench) -> None:
    cuts = bench.pocket.sources["s1"].cuts
    bench.make(DeleteCuts(source="s1", cuts=tuple(c.id for c in cuts[1:])))
    assert bench.pocket.sources["s1"].cuts[0].called == "Loop"
    bench.make(SlicesToPads(source="s1", cuts=(cuts[0].id,), first=0))
    bench.make(CopyPad(pad=0, to=(1,)))
    bench.make(SetPads(pads=(0,), sound={"level": -3}))
    assert called(bench) == ["Loop", "Loop 2"]
    bench.make(AddToTray(slices=(SliceRef(source="s1", cut=cuts[0].id),)))
    assert bench.pocket.tray[0].called == "Loop"


def test_stretches_and_drums_are_called_by_what_they_are(bench: Bench) -> None:
    bench.make(StretchesToPads(source="s1", stretches=(Stretch(start=0, end=9000), Stretch(start=0, end=900, role="hat"))))
    assert called(bench) == ["Loop 1", "Hat 1"]
    bench.make(SplitByRole(source="s1"))
    assert set(called(bench)) >= {"Kick", "Snare", "Hat"}


def test_documents_of_the_form_before_lose_the_finds_names(bench: Bench) -> None:
    cuts = bench.pocket.sources["s1"].cuts
    bench.make(NameSlice(source="s1", cut=cuts[0].id, name="Own", role="kick"))
    bench.make(SlicesToPads(source="s1", cuts=tuple(c.id for c in cuts[:3])))
    bench.make(AddToTray(slices=(SliceRef(source="s1", cut=cuts[1].id),)))
    data = bench.pocket.model_dump(mode="json")
    data["form"] = 2
    for cut in data["sources"]["s1"]["cuts"]:
        del cut["called"]
    for pad, name in zip(data["pads"].values(), ("Own", "Loop 2", "Mine"), strict=True):
        del pad["called"]
        pad["name"] = name
    data["tray"] = [{"chop": data["tray"][0]["chop"], "name": "Loop 2", "role": data["tray"][0]["role"]}]
    now = Pocket.model_validate(upgraded(data))
    assert now.form == FORM
    assert now.sources["s1"].cuts[0].called == "Own"
    assert [pad.name for pad in now.pads.values()] == [None, None, "Mine"]
    names = [pad.called for pad in now.pads.values()]
    assert (names[0], names[2]) == ("Own", "Mine")
    assert base_of(names[1]) in ("Kick", "Snare", "Hat")
    assert now.tray[0].name is None


def test_the_role_of_several_slices_is_said_in_one_step(bench: Bench) -> None:
    cuts = bench.pocket.sources["s1"].cuts
    bench.make(SlicesToPads(source="s1", cuts=tuple(c.id for c in cuts[:4])))
    bench.make(AddToTray(slices=(SliceRef(source="s1", cut=cuts[1].id),)))
    bench.make(SetRole(source="s1", cuts=(cuts[0].id, cuts[1].id), role="vocal"))
    assert [c.called for c in bench.pocket.sources["s1"].cuts[:2]] == ["Voice 1", "Voice 2"]
    assert called(bench)[:2] == ["Voice 1", "Voice 2"]
    assert (bench.pocket.tray[0].called, bench.pocket.tray[0].role) == ("Voice 2", "vocal")
    assert [c.role for c in bench.pocket.sources["s1"].cuts[2:]] == [c.role for c in cuts[2:]]
    with pytest.raises(Refusal):
        bench.make(SetRole(source="s1", cuts=(cuts[0].id, "c999"), role="kick"))
