"""Which voice a hit plays: by velocity, turn, note, length, time and the hit before."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from grainpocket.core.document.sound import Sound
from grainpocket.core.pocket import Chop, Hit, Key, Layer, Pad, Pattern, Pocket, Roll, Source, Zone
from grainpocket.core.rhythm.schedule import Schedule, schedule
from grainpocket.core.shape.voice import Stroke, spec_of
from tests.signals import RATE

FRAMES = 20 * RATE
LOW, HIGH = Chop(source="s1", start=0, end=RATE), Chop(source="s1", start=2 * RATE, end=3 * RATE)


def pocket(pad: Pad, *hits: Hit, bars: int = 1, **fields: Any) -> Pocket:
    source = Source(id="s1", name="Reed", audio="reed", frames=FRAMES, channels=2)
    pattern = Pattern(id="p1", name="One", bars=bars, hits=hits)
    return Pocket(name="P", tempo=120.0, sources={"s1": source}, pads={0: pad}, patterns={"p1": pattern}, **fields)


def pad(layers: tuple[Layer, ...] = (), zones: tuple[Zone, ...] = (), **settings: Any) -> Pad:
    return Pad(chop=LOW, sound=Sound(**settings), layers=layers, zones=zones)


def played(one: Pad, *hits: Hit, **fields: Any) -> Schedule:
    made = pocket(one, *hits, **fields)
    return schedule(made, made.patterns["p1"])


def hit(beat: float, **more: Any) -> Hit:
    return Hit(pad=0, beat=beat, **more)


def test_softer_hits_of_a_plain_pad_are_the_same_voice() -> None:
    assert len(played(pad(), hit(0, velocity=40), hit(1, velocity=127)).specs) == 1


def test_velocity_moves_what_it_was_told_to() -> None:
    found = played(pad(filter="low", cutoff=5000.0, by_velocity={"cutoff": 60.0}), hit(0, velocity=127), hit(1, velocity=32))
    hard, soft = (found.specs[int(row["spec"])].sound.cutoff for row in found.rows)
    assert hard == 5000.0
    assert soft < 1000


def test_layers_by_velocity_and_in_turn() -> None:
    layers = (Layer(chop=HIGH, softest=100), Layer(chop=HIGH, when="in turn", delay=10.0), Layer(chop=LOW, when="in turn"))
    found = played(pad(layers), *(hit(beat, velocity=60 + 60 * (beat % 2)) for beat in range(4)))
    heard = [[layer.start for layer in found.specs[int(row["spec"])].layers] for row in found.rows]
    assert heard == [[2 * RATE], [2 * RATE, 0], [2 * RATE], [2 * RATE, 0]]
    first = found.specs[int(found.rows[0]["spec"])].layers[0]
    assert first.delay == round(0.010 * RATE)


def test_one_voice_at_a_time_cuts_itself_off_and_glides() -> None:
    found = played(pad(voices="last", glide=100.0), hit(0, note=0), hit(0.5, note=7), hit(1, note=3))
    assert [int(row["stop"]) for row in found.rows][:2] == [round(0.25 * RATE)] * 2
    assert [found.specs[int(row["spec"])].glide for row in found.rows] == [0.0, -7.0, 4.0]


def test_of_notes_struck_together_one_voice_keeps_the_one_it_should() -> None:
    for voices, kept in (("high", 7), ("low", 0)):
        found = played(pad(voices=voices), hit(0, note=0), hit(0, note=7), hit(0, note=4))
        sounds = [row for row in found.rows if int(row["stop"]) != 0]
        assert [found.specs[int(row["spec"])].sound.pitch for row in sounds] == [kept]


def test_no_more_notes_than_there_may_be() -> None:
    found = played(pad(most_voices=2), *(hit(0.25 * i) for i in range(4)))
    assert [int(row["stop"]) for row in found.rows] == pytest.approx([0.25 * RATE, 0.25 * RATE, -1, -1], abs=1)


def test_what_is_held_ends_with_its_release() -> None:
    found = played(pad(play="held", release=200.0), hit(0, length=0.5))
    (row,) = found.rows
    assert (int(row["stop"]), int(row["fade"])) == (round(0.25 * RATE), round(0.2 * RATE))


def test_what_goes_round_lasts_as_long_as_it_is_held() -> None:
    found = played(pad(play="loop", loop_from=300.0, loop_to=700.0, release=100.0), hit(0, length=6.0), bars=2)
    spec = found.specs[0]
    assert spec.held is not None
    assert spec.length >= 3 * RATE + 0.1 * RATE
    assert played(pad(play="loop"), hit(0)).specs[0].length == RATE, "not held: once through"


def test_free_waves_go_on_between_hits() -> None:
    free = played(pad(lfo1_level=50.0, lfo1_synced=True, lfo1_beats=4.0, lfo1_free=True), hit(0), hit(1), hit(2))
    assert [free.specs[int(row["spec"])].phases[0] for row in free.rows] == [0.0, 0.25, 0.5]
    bound = played(pad(lfo1_level=50.0), hit(0), hit(1))
    assert len(bound.specs) == 1


def test_keys_outside_the_key_play_the_nearest_inside() -> None:
    made = pocket(pad(in_key=True, root=60.0), key=Key(tonic=2, mode="minor"))
    notes = [spec_of(made, made.pads[0], Stroke(note=note)).sound.pitch for note in range(5)]
    assert notes == [0, 0, 2, 2, 4], "D minor from C: no C sharp, no E flat"


def test_the_nearest_zone_plays() -> None:
    made = pocket(pad(zones=(Zone(chop=HIGH, root=72.5),), root=60.0))
    near, far = (spec_of(made, made.pads[0], Stroke(note=note)) for note in (3, 11))
    assert (near.start, near.sound.pitch) == (0, 3)
    assert (far.start, far.sound.pitch) == (2 * RATE, 71 - 72.5)


def test_chord_and_copies_sound_from_one_key() -> None:
    made = pocket(pad(chord="minor", spread=20.0, copies=3.0))
    spec = spec_of(made, made.pads[0])
    pitches = sorted(round(one.sound.pitch, 2) for one in (spec, *spec.layers))
    assert pitches == pytest.approx([-0.2, 0, 0.2, 2.8, 3, 3.2, 6.8, 7, 7.2])
    assert {one.sound.pan for one in (spec, *spec.layers)} == {-60.0, 0.0, 60.0}
    assert np.allclose([one.sound.level for one in (spec, *spec.layers)], -4.771, atol=0.01)


def test_tempo_is_part_of_a_voice_only_where_it_matters() -> None:
    made = pocket(pad(pan=10.0))
    assert spec_of(made, made.pads[0]).tempo is None
    fits = pocket(pad(time="fit", beats=2.0))
    assert spec_of(fits, fits.pads[0]).length == RATE


def test_a_roll_is_struck_evenly_in_its_length_and_ramps() -> None:
    rolled = hit(1, velocity=40, length=1.0, roll=Roll(times=4, velocity=60, note=12))
    found = played(pad(), rolled, hit(3))
    assert [int(row["frame"]) for row in found.rows] == [round(beat * RATE / 2) for beat in (1, 1.25, 1.5, 1.75, 3)]
    assert [found.specs[int(row["spec"])].sound.pitch for row in found.rows] == [0, 4, 8, 12, 0]
    gains = [float(row["gain"]) for row in found.rows]
    assert gains[:4] == pytest.approx([(v / 127) ** 2 for v in (40, 60, 80, 100)])
    short = played(pad(), hit(0, roll=Roll(times=2)))
    assert [int(row["frame"]) for row in short.rows] == [0, round(0.125 * RATE / 2)]
