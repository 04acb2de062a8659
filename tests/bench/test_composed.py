"""What is taken from the files of composed pieces."""

from __future__ import annotations

import struct
from pathlib import Path

import mido
import numpy as np
import pytest

from bench import composed

TICKS = 480


def piece(path: Path, bpm: float, places: np.ndarray, metre: tuple[int, int] = (4, 4), hold: float = 0.5) -> Path:
    """A file with a note at each of `places` (in quarter notes)."""
    file = mido.MidiFile(ticks_per_beat=TICKS)
    track = mido.MidiTrack()
    file.tracks.append(track)
    track.append(mido.MetaMessage("set_tempo", tempo=round(6e7 / bpm)))
    track.append(mido.MetaMessage("time_signature", numerator=metre[0], denominator=metre[1]))
    rows = [(round(p * TICKS), "note_on") for p in places] + [(round((p + hold) * TICKS), "note_off") for p in places]
    now = 0
    for tick, kind in sorted(rows, key=lambda r: (r[0], r[1] == "note_on")):
        track.append(mido.Message(kind, note=60, velocity=90 if kind == "note_on" else 0, time=tick - now))
        now = tick
    file.save(path)
    return path


def test_what_the_file_says_is_the_truth(tmp_path: Path) -> None:
    known = composed.truth(piece(tmp_path / "a.mid", 96.0, np.arange(0, 200, 0.5), (3, 4)))
    assert known is not None
    row, short = known
    assert row["bpm"] == pytest.approx(96, abs=0.01)
    assert np.diff(row["beats"]) == pytest.approx(60 / 96)
    assert np.diff(row["bars"]) == pytest.approx(3 * 60 / 96)
    assert short.length <= composed.SECONDS + 0.1


def test_no_note_is_left_sounding_at_the_cut(tmp_path: Path) -> None:
    # Long notes, one of which spans the end: a synthesiser would wait for it for ever.
    known = composed.truth(piece(tmp_path / "a.mid", 60.0, np.arange(0.0, 150.0), hold=0.9))
    assert known is not None
    sounding = 0
    for message in known[1].tracks[0]:
        if message.type in ("note_on", "note_off"):
            sounding += 1 if message.type == "note_on" and message.velocity else -1
            assert sounding >= 0
    assert sounding == 0
    last = [m for m in known[1].tracks[0] if m.type == "control_change"]
    assert [(m.control, m.value) for m in last] == [(64, 0)]


def test_what_has_no_grid_no_single_tempo_or_too_little_is_left_out(tmp_path: Path) -> None:
    free = np.sort(np.random.default_rng(1).uniform(0, 200, 400))
    assert composed.truth(piece(tmp_path / "free.mid", 100.0, free)) is None
    assert composed.truth(piece(tmp_path / "few.mid", 100.0, np.arange(0, 100.0, 4))) is None
    assert composed.truth(piece(tmp_path / "short.mid", 100.0, np.arange(0, 16, 0.25))) is None
    two = mido.MidiFile(piece(tmp_path / "two.mid", 100.0, np.arange(0, 200, 0.5)))
    two.tracks[0].append(mido.MetaMessage("set_tempo", tempo=400000))
    two.save(tmp_path / "two.mid")
    assert composed.truth(tmp_path / "two.mid") is None
    (tmp_path / "not.mid").write_bytes(b"not music at all")
    assert composed.truth(tmp_path / "not.mid") is None
    # A key signature that there is none of.
    odd = bytes.fromhex("00ff5902ffff00ff2f00")
    (tmp_path / "odd.mid").write_bytes(b"MThd" + struct.pack(">IHHH", 6, 0, 1, TICKS) + b"MTrk" + struct.pack(">I", len(odd)) + odd)
    assert composed.truth(tmp_path / "odd.mid") is None


def test_an_archive_gives_its_lumps() -> None:
    parts = [(b"D_ONE", b"MThd first"), (b"OTHER", b"x"), (b"EIGHTLET", b"MThd second")]
    body, rows, at = b"", b"", 12
    for name, data in parts:
        rows += struct.pack("<ii8s", at, len(data), name)
        body, at = body + data, at + len(data)
    wad = b"PWAD" + struct.pack("<ii", len(parts), at) + body + rows
    assert composed.lumps(wad) == [(name.decode(), data) for name, data in parts]
