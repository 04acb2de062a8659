"""Edits to buses, effects, sends, sections and threads."""

from __future__ import annotations

import pytest

from grainpocket.core.document.song import Point
from grainpocket.core.edits import EditModel, Refusal
from grainpocket.core.edits.mixing import AddBus, AddEffect, MoveEffect, RemoveBus, RemoveEffect, SetBus, SetEffect, SetSend
from grainpocket.core.edits.padding import MovePad, SetPads
from grainpocket.core.edits.patterns import RemovePattern
from grainpocket.core.edits.songs import AddSection, MoveSection, RemoveSection, SetSection, SetThread
from grainpocket.core.mix.routing import bus_of, nodes_of, pads_by_bus
from grainpocket.core.pocket import Pocket
from tests.core.mix.tune import mixed, plain, song


class Bench:
    def __init__(self, pocket: Pocket) -> None:
        self.pocket = pocket

    def make(self, *edits: EditModel) -> Pocket:
        for edit in edits:
            assert edit.label(self.pocket)
            self.pocket = edit.apply(self.pocket, None)  # type: ignore[arg-type]
        return self.pocket


def test_pads_go_where_their_role_says_until_they_are_routed_by_hand() -> None:
    bench = Bench(plain())
    bench.make(AddBus(name="Drums", roles=("kick", "snare")), AddBus(name="Snares", roles=("snare",)))
    drums, snares = bench.pocket.buses
    assert pads_by_bus(bench.pocket) == {"master": [2], drums: [0], snares: [1]}
    assert bench.pocket.buses[drums].roles == ("kick",), "a kind of drum is on one bus"
    bench.make(SetPads(pads=(1,), bus=drums), SetPads(pads=(0,), bus="master"))
    assert [bus_of(bench.pocket, bench.pocket.pads[i]) for i in (0, 1)] == ["master", drums]
    bench.make(SetPads(pads=(2,), role="snare"))
    assert bus_of(bench.pocket, bench.pocket.pads[2]) == snares, "later ones follow"
    bench.make(SetPads(pads=(0,), bus=None), RemoveBus(bus=drums))
    assert [bus_of(bench.pocket, bench.pocket.pads[i]) for i in (0, 1)] == ["master", snares]
    with pytest.raises(Refusal, match="no longer there"):
        bench.make(SetPads(pads=(0,), bus=drums))


def test_what_is_cleared_is_told_from_what_is_not_mentioned() -> None:
    bench = Bench(plain())
    bench.make(SetPads(pads=(2,), sound={"fade_out": None, "level": -3.0}))
    assert (bench.pocket.pads[2].sound.fade_out, bench.pocket.pads[2].sound.play) == (0.0, "held")
    bench.make(SetPads(pads=(2,), name="Keys"))
    assert bench.pocket.pads[2].role == "tonal"
    bench.make(SetPads(pads=(2,), role=None))
    assert bench.pocket.pads[2].role is None
    for wrong in ({"colour": 1.0}, {"level": 99.0}, {"level": True}, {"play": "loudly"}):
        with pytest.raises(Refusal):
            bench.make(SetPads(pads=(2,), sound=wrong))  # type: ignore[arg-type]


def test_what_adds_to_a_sound_begins_as_a_quarter_of_it_and_on_a_return_as_all() -> None:
    bench = Bench(mixed())
    for bus, kind, amount in (("b1", "reverb", 25.0), ("master", "echo", 25.0), ("b4", "reverb", 100.0), ("b1", "eq", 100.0)):
        bench.make(AddEffect(bus=bus, kind=kind))
        chain = bench.pocket.chain if bus == "master" else bench.pocket.buses[bus].chain
        assert chain[-1].settings.get("amount", 100.0) == amount, (bus, kind)
    bench.make(AddEffect(bus="b3", kind="reverb", settings={"amount": 60.0}))
    assert bench.pocket.buses["b3"].chain[-1].settings["amount"] == 60.0


def test_circles_are_refused_in_words() -> None:
    bench = Bench(mixed())
    with pytest.raises(Refusal, match="Drums into Snares into Drums"):
        bench.make(SetBus(bus="b1", into="b2"))
    with pytest.raises(Refusal, match="circle"):
        bench.make(SetSend(bus="b5", to="b5"))
    with pytest.raises(Refusal, match="circle"):
        bench.make(AddEffect(bus="b2", kind="duck", listens_to="b1"))
    assert bench.pocket == mixed()


def test_effects_take_what_their_table_says() -> None:
    bench = Bench(mixed())
    bench.make(SetEffect(bus="b1", effect="e1", settings={"ratio": 2.0, "detector": "rms"}))
    assert bench.pocket.buses["b1"].chain[0].settings == {"threshold": -24.0, "ratio": 2.0, "detector": "rms"}
    bench.make(SetEffect(bus="b1", effect="e1", settings={"ratio": None, "threshold": -18.0}))
    assert bench.pocket.buses["b1"].chain[0].settings == {"detector": "rms"}, "what is as by itself is not kept"
    for settings in ({"ratio": 99.0}, {"warmth": 1.0}, {"detector": "ears"}, {"ratio": "high"}):
        with pytest.raises(Refusal):
            bench.make(SetEffect(bus="b1", effect="e1", settings=settings))  # type: ignore[arg-type]
    with pytest.raises(Refusal, match="no effect of that kind"):
        bench.make(AddEffect(bus="master", kind="magic"))
    bench.make(AddEffect(bus="b1", kind="eq", at=0), MoveEffect(bus="b1", effect="e1", to=0, to_bus="b3"))
    assert [e.kind for e in bench.pocket.buses["b1"].chain] == ["eq"]
    assert [e.kind for e in bench.pocket.buses["b3"].chain] == ["compressor", "saturation", "duck"]
    bench.make(RemoveEffect(bus="b3", effect="e1"))
    assert [e.id for e in bench.pocket.buses["b3"].chain] == ["e2", "e3"]


def test_what_listens_to_a_pad_follows_it() -> None:
    bench = Bench(song(mixed()))
    bench.make(MovePad(pad=0, to=9), SetSection(section="n3", muted=(1, 9)), MovePad(pad=1, to=4))
    assert bench.pocket.buses["b3"].chain[1].listens_to == "pad:9"
    assert bench.pocket.sections["n3"].muted == (4, 9)


def test_a_removed_bus_takes_its_sends_and_threads_along() -> None:
    bench = Bench(song(mixed()))
    bench.make(RemoveBus(bus="b5"))
    assert bench.pocket.threads == {}
    assert bench.pocket.buses["b1"].sends == ()
    bench.make(RemoveBus(bus="b1"))
    assert bench.pocket.buses["b2"].into is None


def test_sections_are_added_copied_moved_and_removed() -> None:
    bench = Bench(plain())
    bench.make(AddSection(name="One", patterns=("p1",)), AddSection(name="Two", bars=4, patterns=("p2",)))
    one, two = bench.pocket.song
    bench.make(AddSection(name="One again", copy_of=one, at=1))
    again = bench.pocket.song[1]
    bench.make(SetSection(section=again, repeats=3), MoveSection(section=two, to=0))
    assert bench.pocket.song == (two, one, again)
    assert bench.pocket.sections[one].repeats == 1, "a copy is its own"
    bench.make(RemovePattern(pattern="p1"))
    assert bench.pocket.sections[one].patterns == ()
    bench.make(RemoveSection(section=one))
    assert bench.pocket.song == (two, again)
    with pytest.raises(Refusal, match="no longer"):
        bench.make(SetSection(section=one, bars=2))


def test_threads_move_along_with_what_they_lie_over() -> None:
    bench = Bench(song(mixed()))
    bench.make(SetThread(control="b3.level", points=(Point(beat=17.0, value=-6.0), Point(beat=2.0, value=0.0))))
    thread = next(t.id for t in bench.pocket.threads.values() if t.control == "b3.level")
    assert [p.beat for p in bench.pocket.threads[thread].points] == [2.0, 17.0]
    bench.make(MoveSection(section="n3", to=0))
    assert [p.beat for p in bench.pocket.threads[thread].points] == [1.0, 6.0]
    bench.make(SetSection(section="n3", bars=2))
    assert [p.beat for p in bench.pocket.threads[thread].points] == [1.0, 10.0]
    bench.make(RemoveSection(section="n3"))
    assert [p.beat for p in bench.pocket.threads[thread].points] == [2.0]
    bench.make(SetThread(control="b3.level", points=()))
    assert thread not in bench.pocket.threads
    for control in ("b3.mute", "b9.level", "b3.e3.listens_to", "b1.send.b3", "master.pan", "x", "b3.e2.colour"):
        with pytest.raises(Refusal):
            bench.make(SetThread(control=control, points=(Point(beat=0.0, value=0.0),)))
    with pytest.raises(Refusal, match="goes from"):
        bench.make(SetThread(control="b3.e3.depth", points=(Point(beat=0.0, value=-9.0),)))


def test_an_echo_holds_a_chain_of_its_own() -> None:
    bench = Bench(mixed())
    bench.make(AddBus(name="Dub", effects=("echo", "eq")))
    bus = list(bench.pocket.buses)[-1]
    echo, eq = (e.id for e in bench.pocket.buses[bus].chain)
    bench.make(AddEffect(bus=bus, kind="saturation", inside=echo, settings={"drive": 9.0}))
    drive = bench.pocket.buses[bus].chain[-1].id
    bench.make(MoveEffect(bus=bus, effect=eq, to=0, inside=echo))
    node = next(node for node in nodes_of(bench.pocket) if node.name == bus)
    assert [i.kind for i in node.chain] == ["echo"]
    assert [i.kind for i in node.chain[0].inside] == ["eq", "saturation"]
    bench.make(SetThread(control=f"{bus}.{drive}.drive", points=(Point(beat=0, value=1.0), Point(beat=4, value=9.0))))
    bench.make(MoveEffect(bus=bus, effect=echo, to=0, to_bus="b1"))
    assert [e.kind for e in bench.pocket.buses["b1"].chain if e.inside == echo] == ["eq", "saturation"], "they come along"
    assert not bench.pocket.buses[bus].chain
    assert any(t.control == f"b1.{drive}.drive" for t in bench.pocket.threads.values())
    with pytest.raises(Refusal, match="Only an echo"):
        bench.make(AddEffect(bus="b1", kind="eq", inside="e1"))
    with pytest.raises(Refusal, match="one after the other"):
        bench.make(AddEffect(bus="b1", kind="echo", inside=echo))
    with pytest.raises(Refusal, match="nothing but that loop"):
        bench.make(AddEffect(bus="b1", kind="compressor", inside=echo, listens_to="pad:0"))
    bench.make(RemoveEffect(bus="b1", effect=echo))
    assert all(e.inside is None for e in bench.pocket.buses["b1"].chain)
    assert not any(drive in t.control for t in bench.pocket.threads.values())
