"""Pieces with muted bars: which notes are rendered together, and which bars are muted."""

from __future__ import annotations

import mido
import numpy as np
import pytest

from bench import muted

TICKS = 480


@pytest.fixture
def file() -> mido.MidiFile:
    """A bass note and a kick on every beat, a hat on every other, the notes of three tracks."""
    out = mido.MidiFile(ticks_per_beat=TICKS)
    for channel, key, step in ((0, 40, 1), (9, 36, 1), (9, 42, 2)):
        track = mido.MidiTrack()
        track.append(mido.Message("program_change", channel=channel, program=33))
        for _ in range(8 // step):
            track.append(mido.Message("note_on", channel=channel, note=key, velocity=90, time=0))
            track.append(mido.Message("note_off", channel=channel, note=key, time=TICKS * step))
        out.tracks.append(track)
    return out


def starts(file: mido.MidiFile) -> set[tuple[int, int, int]]:
    out = set()
    for track in file.tracks:
        now = 0
        for message in track:
            now += message.time
            if message.type == "note_on":
                out.add((message.channel, message.note, now))
    return out


def test_parts_keep_their_places_and_make_up_the_whole(file: mido.MidiFile) -> None:
    kicks = muted.only(file, lambda c, k: (c, k) == (9, 36))
    music = muted.only(file, lambda c, k: c != 9)
    rest = muted.only(file, lambda c, k: (c, k) == (9, 42))
    assert starts(kicks) == {(9, 36, TICKS * i) for i in range(8)}
    assert starts(kicks) | starts(music) | starts(rest) == starts(file)
    assert kicks.length == pytest.approx(file.length)
    programs = [m for track in kicks.tracks for m in track if m.type == "program_change"]
    assert len(programs) == 3, "what is no note is in every part"


def test_hits_are_the_drums_in_order(file: mido.MidiFile) -> None:
    hits = muted.hits_of(file, 0.5 / TICKS)
    assert [t for t, _, _ in hits] == sorted(t for t, _, _ in hits)
    assert sum(key == 36 for _, key, _ in hits) == 8
    assert [t for t, key, _ in hits if key == 42] == [0.0, 1.0, 2.0, 3.0]


@pytest.mark.parametrize("seed", range(6))
def test_only_bars_that_the_drums_fill_are_muted(seed: int) -> None:
    bars = np.arange(0.0, 41.0, 2.0)
    busy = {5, 6, 7, 8, 12}
    hits = [(2.0 * bar + 0.4 * i, 36, 90) for bar in busy for i in range(muted.A_BAR)]
    span = muted.muted(hits, bars, np.random.default_rng(seed))
    assert span is not None
    assert set(range(*span)) <= busy
    assert muted.muted(hits[: muted.A_BAR - 1], bars, np.random.default_rng(seed)) is None
