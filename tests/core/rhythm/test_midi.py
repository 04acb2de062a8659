"""Patterns as MIDI files: out and in again, files of others, and broken ones."""

from __future__ import annotations

import io
import struct

import mido
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from grainpocket.core.document.sound import Sound
from grainpocket.core.pocket import Chop, Hit, Pad, Pattern, Pocket, Source
from grainpocket.core.rhythm.midi import TICKS, BadMidi, from_midi, midi_of
from grainpocket.core.rhythm.timing import swung


def pocket(*hits: Hit, bars: int = 2, swing: float = 50.0, tempo: float = 93.0) -> Pocket:
    chop = Chop(source="s1", start=0, end=1000)
    source = Source(id="s1", name="S", audio="a", frames=9000, channels=2)
    pads = {i: Pad(chop=chop, called=f"Pad {i}", sound=Sound(root=57.0)) for i in (0, 5, 17)}
    pattern = Pattern(id="p1", name="Größe ☂", bars=bars, swing=swing, hits=hits)
    return Pocket(name="P", tempo=tempo, sources={"s1": source}, pads=pads, patterns={"p1": pattern})


@settings(max_examples=40, derandomize=True)
@given(
    st.lists(st.tuples(st.sampled_from([0, 5, 17]), st.floats(0, 7.9), st.integers(1, 127), st.integers(-20, 20)), min_size=1,
             max_size=20),
    st.floats(50, 75), st.floats(40, 220),
)  # fmt: skip
def test_out_and_in_again_within_half_a_tick(some: list[tuple[int, float, int, int]], swing: float, tempo: float) -> None:
    places = {(pad, round(beat * TICKS), note): (pad, beat, velocity, note) for pad, beat, velocity, note in some}
    hits = [Hit(pad=pad, beat=beat, velocity=v, note=note, length=0.3) for pad, beat, v, note in places.values()]
    made = pocket(*hits, swing=swing, tempo=tempo)
    found = from_midi(midi_of(made, made.patterns["p1"]), 0, 3, 60)
    assert found.tempo == pytest.approx(tempo, rel=1e-5)
    heard = swung(np.array([hit.beat for hit in hits]), swing)
    wanted = sorted((hit.pad, hit.note, beat, hit.velocity) for hit, beat in zip(hits, heard.tolist(), strict=True))
    came = sorted((hit.pad, hit.note, hit.beat, hit.velocity) for hit in found.hits)
    assert len(came) == len({(pad, note, round(beat * TICKS)) for pad, note, beat, _ in wanted})
    for pad, note, beat, _ in came:
        assert any((pad, note) == one[:2] and abs(beat - one[2]) <= 0.5 / TICKS + 1e-9 for one in wanted)


def written(kind: int, *tracks: list[mido.Message | mido.MetaMessage], ticks: int = 96) -> bytes:
    file = mido.MidiFile(type=kind, ticks_per_beat=ticks)
    for messages in tracks:
        file.tracks.append(mido.MidiTrack(messages))
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def note(key: int, time: int, velocity: int = 90, channel: int = 0) -> mido.Message:
    return mido.Message("note_on", note=key, velocity=velocity, time=time, channel=channel)


def test_a_drum_file_of_another_writer() -> None:
    """Format 0, note-offs as note-ons of no velocity, a tempo that changes, three quarters in a bar."""
    data = written(0, [
        mido.MetaMessage("time_signature", numerator=3, denominator=4), mido.MetaMessage("set_tempo", tempo=500_000),
        note(36, 0, channel=9), note(36, 48, 0, 9), mido.MetaMessage("set_tempo", tempo=400_000), note(38, 48, channel=9),
        note(38, 24, 0, 9), note(36, 264, channel=9),
    ])  # fmt: skip
    found = from_midi(data, 1, 0, 60)
    assert (found.tempo, found.beats_per_bar, found.bars) == (120.0, 3, 2)
    assert [(hit.pad, hit.beat) for hit in found.hits] == [(16, 0), (18, 1), (16, 4)]
    assert found.hits[0].length == 0.5
    assert found.hits[-1].length is not None, "what is never let go of ends with the track"


def test_a_melody_goes_to_the_pad_that_is_named() -> None:
    data = written(1, [mido.MetaMessage("track_name", name="Lead")], [note(60, 0), note(60, 96, 0), note(67, 0), note(67, 48, 0)])
    found = from_midi(data, 0, 7, 57)
    assert [(hit.pad, hit.note, hit.beat, hit.length) for hit in found.hits] == [(7, 3, 0, 1.0), (7, 10, 1, 0.5)]
    assert found.name == "Lead"


def test_running_status_is_understood() -> None:
    events = b"\x00\x99\x24\x64" + b"\x60\x26\x50" + b"\x60\x24\x00" + b"\x00\xff\x2f\x00"
    data = b"MThd" + struct.pack(">IHHH", 6, 0, 1, 96) + b"MTrk" + struct.pack(">I", len(events)) + events
    assert [(hit.pad, hit.beat, hit.velocity) for hit in from_midi(data, 0, 0, 60).hits] == [(0, 0, 100), (2, 1, 80)]


@pytest.mark.parametrize(
    "data",
    [
        b"", b"MThd", b"RIFF" + bytes(40), written(1, [note(36, 0)])[:24], written(1, []), written(1, [note(36, 96 * 4 * 70)]),
        bytes(5_000_000),
    ],
    ids=["empty", "head", "other", "cut", "no notes", "too long", "too large"],
)  # fmt: skip
def test_broken_and_useless_files_are_refused_in_words(data: bytes) -> None:
    with pytest.raises(BadMidi, match=r"MIDI|bars"):
        from_midi(data, 0, 0, 60)


@settings(max_examples=60, derandomize=True)
@given(st.binary(max_size=60), st.integers(0, 40))
def test_no_bytes_break_it(noise: bytes, at: int) -> None:
    good = written(1, [note(36, 0), note(36, 96, 0)])
    try:
        from_midi(good[:at] + noise + good[at:], 0, 0, 60)
    except BadMidi:
        return
