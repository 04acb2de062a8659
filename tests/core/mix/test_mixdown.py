"""A pocket through its buses: drafts, exact loops, songs and files are the same numbers."""

from __future__ import annotations

import numpy as np
import pytest

from grainpocket.core.document.mixing import Bus, Effect, Send
from grainpocket.core.mix.alone import OnePad, alone, keys_through
from grainpocket.core.mix.live import Run
from grainpocket.core.mix.loop import plan
from grainpocket.core.mix.mixdown import Mix, trimmed
from grainpocket.core.mix.routing import curves_of
from grainpocket.core.pocket import Hit, Pad, Pattern, Pocket
from grainpocket.core.rhythm.schedule import Placement, schedule, schedule_of
from grainpocket.core.rhythm.timing import Timeline
from grainpocket.core.shape.voice import spec_of
from grainpocket.core.song.layout import song_schedule
from grainpocket.core.sound.audio import Samples
from tests.core.effects.desk import db
from tests.core.mix.tune import BEAT, RATE, mixed, plain, renderer, song


def loop_of(pocket: Pocket, pattern: str = "p1", cyclic: bool = True) -> Mix:
    return Mix(pocket, schedule(pocket, pocket.patterns[pattern], cyclic), *renderer(), cyclic)


def song_of(pocket: Pocket) -> Mix:
    curves = curves_of(pocket.threads.values(), Timeline(pocket.tempo, RATE).frames)
    return Mix(pocket, song_schedule(pocket), *renderer(), cyclic=False, automation=curves)


def sound(mix: Mix, node: str = "master") -> Samples:
    return np.concatenate(list(mix.blocks(node)))


def test_a_plain_pocket_is_the_sum_of_its_voices() -> None:
    mix = loop_of(plain())
    assert mix.plain
    voices, _ = renderer()
    np.testing.assert_array_equal(sound(mix), voices.loop(plan(mix.schedule)))


def test_buses_that_change_nothing_change_nothing() -> None:
    routed = plain().with_bus(Bus(id="b1", name="Drums", roles=("kick", "snare")))
    assert loop_of(routed).plain
    through = routed.model_copy(update={"buses": {"b1": routed.buses["b1"].model_copy(update={"pan": 1e-9})}})
    assert not loop_of(through).plain
    np.testing.assert_allclose(sound(loop_of(through)), sound(loop_of(plain())), atol=1e-6)


def test_the_exact_loop_is_what_is_written() -> None:
    mix = loop_of(mixed())
    settled = Run(mix).settled()
    np.testing.assert_array_equal(np.concatenate(settled.sound), sound(loop_of(mixed())))
    assert sum(len(part) for part in settled.sound) == mix.length
    assert {"b1", "b3", "master"} <= settled.pictures.keys()
    assert np.concatenate(settled.pictures["b1"].reductions["e1"]).min() < -1, "what the compressor took is shown"


def test_what_lags_is_made_up_for() -> None:
    """A limiter lags, and so does a saturation on one bus: kicks of both kinds stay on their beats."""
    quiet = plain().model_copy(update={"chain": (Effect(id="e1", kind="limiter", settings={"ceiling": 0.0, "input": -12.0}),)})
    mix = loop_of(quiet)
    assert mix.late > 0
    gain = 10 ** (-12 / 20)
    np.testing.assert_allclose(sound(mix), sound(loop_of(plain())) * gain, atol=1e-6)
    tail = loop_of(quiet, cyclic=False)
    open_end = Mix(plain(), tail.schedule, *renderer(), cyclic=False)
    ours, wanted = sound(tail), sound(open_end) * gain
    np.testing.assert_allclose(ours[: len(wanted)], wanted, atol=1e-6)
    lagging = Effect(id="e2", kind="saturation", settings={"amount": 0.0})
    two = plain().with_bus(Bus(id="b1", name="Kick", roles=("kick",), chain=(lagging,)))
    np.testing.assert_allclose(sound(loop_of(two)), sound(loop_of(plain())), atol=1e-6)


def test_drafts_lead_to_the_exact_loop() -> None:
    run = Run(loop_of(mixed()))
    count = len(run.mix.spans)
    first = [run.draft(i) for i in range(count)]
    assert first[0].shape == (run.mix.spans[0].frames, 2)
    for _ in range(8):
        last = [run.draft(i) for i in range(count)]
    exact = sound(loop_of(mixed()))
    assert db(np.concatenate(first) - exact) < -25, "the first lap comes from silence: what rang before is not in it"
    assert np.abs(np.concatenate(last) - exact).max() < 1e-4


def test_after_an_edit_a_draft_goes_on_from_what_was_heard() -> None:
    run = Run(loop_of(mixed()))
    for _ in range(6):
        before = [run.draft(i) for i in range(len(run.mix.spans))]
    edited = mixed()
    drums = edited.buses["b1"]
    louder = drums.chain[0].model_copy(update={"settings": {"threshold": -30.0}})
    after = Run(loop_of(edited.with_bus(drums.model_copy(update={"chain": (louder,)}))), run)
    now = after.draft(2)
    # The reverb of what sounded before is still there: from silence it would not be.
    alone = Run(after.mix).draft(2)
    exact = Run(after.mix).settled().sound[2]
    assert np.abs(now - exact).max() < np.abs(alone - exact).max()
    assert np.abs(now - before[2]).max() > 1e-4


def test_muted_and_soloed_buses() -> None:
    pocket = mixed()
    keys = pocket.buses["b3"]
    alone = sound(loop_of(pocket.with_bus(keys.model_copy(update={"solo": True})), "p2"))
    without = sound(loop_of(pocket.with_bus(keys.model_copy(update={"mute": True})), "p2"))
    assert np.abs(alone).max() > 0.05
    assert np.abs(without).max() < 1e-4
    # What flows into a soloed bus is heard with it.
    drums = pocket.buses["b1"].model_copy(update={"solo": True})
    assert np.abs(sound(loop_of(pocket.with_bus(drums)))).max() > 0.05


def test_what_goes_straight_to_the_master_is_silent_while_a_bus_is_soloed() -> None:
    pocket = mixed()
    keys = pocket.buses["b3"].model_copy(update={"solo": True})
    # The drums are on no bus; the snare sends to a return by itself.
    drums = {0: pocket.pads[0].model_copy(update={"bus": "master"}), 1: sent(pocket, 1).model_copy(update={"bus": "master"})}
    pocket = pocket.model_copy(update={"pads": {**pocket.pads, **drums}}).with_bus(keys)
    assert np.abs(sound(loop_of(pocket, "p1"))).max() < 1e-6
    both = song(pocket)
    without = both.model_copy(update={"pads": {**both.pads, 1: without_hits(both, 1)}})
    np.testing.assert_array_equal(sound(song_of(both)), sound(song_of(without)))
    # The kick is not heard and turns the keys down all the same.
    chain = tuple(e.model_copy(update={"on": e.kind != "duck"}) for e in keys.chain)
    free = both.with_bus(keys.model_copy(update={"chain": chain}))
    at = 8 * BEAT
    turned = db(sound(song_of(both))[at + 1500 : at + 3500]) - db(sound(song_of(free))[at + 1500 : at + 3500])
    assert turned == pytest.approx(-12, abs=1)


def sent(pocket: Pocket, pad: int) -> Pad:
    return pocket.pads[pad].model_copy(update={"sends": (Send(to="b4", level=0.0),)})


def without_hits(pocket: Pocket, pad: int) -> Pad:
    """The pad, turned down to nothing."""
    own = pocket.pads[pad]
    return own.model_copy(update={"sound": own.sound.model_copy(update={"level": -60.0})})


def test_a_duck_turns_the_keys_down_under_the_kick_and_nothing_else() -> None:
    pocket = mixed()
    both = song(pocket)
    held = sound(song_of(both), "b3")
    keys = pocket.buses["b3"]
    off = tuple(e.model_copy(update={"on": False}) if e.kind == "duck" else e for e in keys.chain)
    free = sound(song_of(both.with_bus(keys.model_copy(update={"chain": off}))), "b3")
    at = 8 * BEAT
    during = db(held[at + 1500 : at + 3500]) - db(free[at + 1500 : at + 3500])
    assert during == pytest.approx(-12, abs=1)
    np.testing.assert_array_equal(held[: 4 * BEAT], free[: 4 * BEAT])


def test_an_amount_of_nothing_is_the_dry_sound_in_time() -> None:
    keys = mixed().buses["b3"]
    dry = loop_of(mixed().with_bus(keys.model_copy(update={"amount": 0.0, "pan": 0.0, "level": 0.0})), "p2")
    none = loop_of(mixed().with_bus(keys.model_copy(update={"chain": (), "pan": 0.0, "level": 0.0})), "p2")
    np.testing.assert_allclose(sound(dry), sound(none), atol=1e-5)


def test_a_song_is_the_same_however_it_is_played() -> None:
    mix = song_of(song(mixed()))
    whole = sound(mix)
    assert np.isfinite(whole).all()
    run = Run(song_of(song(mixed())))
    heard = np.concatenate([run.draft(i) for i in range(len(run.mix.spans))])
    np.testing.assert_array_equal(heard, whole)
    again = np.concatenate(list(trimmed(song_of(song(mixed())).blocks(), mix.length)))
    np.testing.assert_array_equal(again, whole[: len(again)])
    assert np.abs(whole[len(again) :]).max(initial=0) < 2e-5


def test_a_song_plays_its_sections_with_their_mutes() -> None:
    made = song_schedule(song(plain()))
    by_beat = [(round(e.frame / BEAT, 2), e.pad) for e in made.events]
    assert by_beat[:3] == [(0.0, 2), (0.0, 2), (5.0, 2)]
    assert (8.0, 0) in by_beat
    assert (12.0, 0) in by_beat, "the second time through"
    assert all(pad != 1 for beat, pad in by_beat if beat >= 16), "muted in the third section"
    assert made.length == 20 * BEAT


def test_from_the_middle_a_song_begins_at_once_and_comes_near() -> None:
    whole = sound(song_of(song(mixed())))
    run = Run(song_of(song(mixed())))
    number = 15
    span = run.mix.spans[number]
    part = run.draft(number)
    assert db(part - whole[span.start : span.start + span.frames]) < -40


def test_a_thread_moves_its_control() -> None:
    pocket = song(mixed())
    still = pocket.model_copy(update={"threads": {}})
    moved, rest = sound(song_of(pocket), "b5"), sound(song_of(still), "b5")
    # At beat 8 the send stands at -17 dB, at 12 at -6 and then at -30: beside the -12 dB that it rests at.
    assert db(moved[8 * BEAT : 9 * BEAT]) - db(rest[8 * BEAT : 9 * BEAT]) == pytest.approx(-4.3, abs=1.5)
    assert db(moved[17 * BEAT : 18 * BEAT]) < db(rest[17 * BEAT : 18 * BEAT]) - 12


def test_a_pad_is_heard_through_its_bus() -> None:
    pocket = mixed()
    voices = {index: (f"voice{index}", spec_of(pocket, pad)) for index, pad in pocket.pads.items()}
    keys = keys_through(pocket, voices)
    assert keys.keys() == {0, 1, 2}
    assert keys_through(plain(), voices) == {}
    keys_bus = pocket.buses["b3"].model_copy(update={"level": -9.0})
    other = keys_through(pocket.with_bus(keys_bus), voices)
    assert [other[i] == keys[i] for i in (0, 1, 2)] == [True, True, False]
    lead = voices[1][1].lead(RATE)
    reader, _ = renderer()
    struck = alone(pocket, 1, lead, reader)
    bare = reader.voice(voices[1][1])
    assert len(bare) < len(struck) <= len(bare) + 4 * RATE + 1
    onset = int(np.argmax(np.abs(struck).max(axis=1) > 0.02))
    assert abs(onset - int(np.argmax(np.abs(bare).max(axis=1) > 0.02))) < 40, "what lags is made up for"
    assert np.abs(struck[len(bare) + 2000 :]).max() > 0.001, "its echo rings on"
    np.testing.assert_array_equal(alone(pocket, 1, lead, renderer()[0]), struck)


def test_what_a_pad_is_heard_through_is_all_that_is_rendered() -> None:
    """Its sound is, to the sample, what the whole mix makes of it: what is left out would have been silent."""
    room = Bus(id="b8", name="Room", is_return=True, chain=(Effect(id="e8", kind="reverb", settings={"decay": 1.0}),))
    pocket = mixed().with_bus(room)
    keys = pocket.buses["b3"]
    pocket = pocket.with_bus(keys.model_copy(update={"sends": (Send(to="b8", level=-6.0),)}))
    nodes = {}
    for index in pocket.pads:
        lead = spec_of(pocket, pocket.pads[index]).lead(RATE)
        beat = lead / BEAT
        strike = Pattern(id="one", name="one", hits=(Hit(pad=index, beat=beat, velocity=127),))
        timed = schedule_of(pocket, (Placement(strike),), beat + 0.001, cyclic=False)
        nodes[index] = {node.name for node in OnePad(pocket, timed, *renderer(), cyclic=False).nodes}
        whole = np.concatenate(list(Mix(pocket, timed, *renderer(), cyclic=False).written()))
        made = alone(pocket, index, lead, renderer()[0])
        same = min(len(whole), len(made) - RATE // 10)
        assert same > len(made) // 2
        np.testing.assert_array_equal(made[:same], whole[:same])
    assert "b8" in nodes[2]
    assert "pad:0" in nodes[2], "what the keys are ducked by is listened to, though it is silent"
    assert nodes[1].isdisjoint({"b8", "b3"})
