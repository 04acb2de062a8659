"""What files say of themselves, written here byte by byte as the formats ask."""

from __future__ import annotations

import struct
from pathlib import Path

import mutagen.flac
import mutagen.mp3
import mutagen.wave
import numpy as np
import pytest
import soundfile as sf
from hypothesis import given, settings
from hypothesis import strategies as st
from mutagen import id3

from grainpocket.core.sound.tags import Mark, Tags, read_tags

RATE = 44100
SOUND = np.zeros((RATE, 2), np.float32)


def with_chunks(path: Path, *chunks: tuple[bytes, bytes]) -> Path:
    """A WAV with more chunks behind its audio."""
    sf.write(path, SOUND, RATE, subtype="PCM_16")
    data = path.read_bytes()
    for name, body in chunks:
        data += name + struct.pack("<I", len(body)) + body + b"\0" * (len(body) & 1)
    path.write_bytes(data[:4] + struct.pack("<I", len(data) - 8) + data[8:])
    return path


def cue(*places: int) -> tuple[bytes, bytes]:
    points = b"".join(struct.pack("<II4sIII", i + 1, 0, b"data", 0, 0, at) for i, at in enumerate(places))
    return b"cue ", struct.pack("<I", len(places)) + points


def test_cue_points_labels_and_loops_of_a_wav(tmp_path: Path) -> None:
    text = b"\x02\0\0\0fill\0"
    labels = b"adtl" + b"labl" + struct.pack("<I", len(text)) + text + b"\0" * (len(text) & 1)
    loop = struct.pack("<9I", 0, 0, 0, 60, 0, 0, 0, 1, 0) + struct.pack("<6I", 0, 0, 1000, 21999, 0, 0)
    file = with_chunks(tmp_path / "a.wav", cue(100, 22050), (b"LIST", labels), (b"smpl", loop))
    assert read_tags(file, RATE).marks == [Mark(100), Mark(1000, "loop", 22000), Mark(22050, "fill")]


def test_marks_and_the_loop_of_an_aiff(tmp_path: Path) -> None:
    path = tmp_path / "a.aiff"
    sf.write(path, SOUND, RATE, subtype="PCM_16")

    def mark(number: int, place: int, name: bytes) -> bytes:
        text = bytes([len(name)]) + name
        return struct.pack(">HI", number, place) + text + b"\0" * (len(text) & 1)

    marks = struct.pack(">H", 2) + mark(1, 500, b"in") + mark(2, 40500, b"out!")
    instrument = struct.pack(">bbbbbbh", 60, 0, 0, 127, 1, 127, 0) + struct.pack(">hHH", 1, 1, 2) + struct.pack(">hHH", 0, 0, 0)
    data = path.read_bytes()
    for name, body in ((b"MARK", marks), (b"INST", instrument)):
        data += name + struct.pack(">I", len(body)) + body + b"\0" * (len(body) & 1)
    path.write_bytes(data[:4] + struct.pack(">I", len(data) - 8) + data[8:])
    assert read_tags(path, RATE).marks == [Mark(500, "in"), Mark(500, "loop", 40500), Mark(40500, "out!")]


def test_comments_of_a_flac(tmp_path: Path) -> None:
    path = tmp_path / "a.flac"
    sf.write(path, SOUND, RATE)
    file = mutagen.flac.FLAC(path)
    file.update({"title": "Lantern street", "artist": "Nobody", "date": "1971-05", "copyright": "Nobody", "bpm": "97,5"})
    file.save()
    assert read_tags(path, RATE) == Tags("Lantern street", "Nobody", "1971", "Nobody", 97.5, [])


@pytest.mark.parametrize("kind", ["wav", "mp3"])
def test_id3_frames_and_chapters(tmp_path: Path, kind: str) -> None:
    path = tmp_path / f"a.{kind}"
    sf.write(path, SOUND, RATE)
    file = mutagen.wave.WAVE(path) if kind == "wav" else mutagen.mp3.MP3(path)
    file.add_tags()
    file.tags.add(id3.TIT2(text="Dock"))
    file.tags.add(id3.TBPM(text="92"))
    chapter = id3.TIT2(text="break")
    file.tags.add(id3.CHAP(element_id="c1", start_time=500, end_time=900, sub_frames=[chapter]))
    file.save()
    found = read_tags(path, RATE)
    assert (found.title, found.bpm, found.marks) == ("Dock", 92.0, [Mark(22050, "break")])


@pytest.mark.parametrize(("bpm", "kept"), [("0", None), ("4000", None), ("fast", None), ("120 or so", 120.0)])
def test_a_tempo_that_is_none_is_left_out(tmp_path: Path, bpm: str, kept: float | None) -> None:
    path = tmp_path / "a.flac"
    sf.write(path, SOUND, RATE)
    file = mutagen.flac.FLAC(path)
    file["bpm"] = bpm
    file.save()
    assert read_tags(path, RATE).bpm == kept


@settings(max_examples=60)
@given(body=st.binary(max_size=120), name=st.sampled_from([b"cue ", b"LIST", b"smpl", b"id3 "]))
def test_damaged_chunks_do_no_harm(tmp_path_factory: pytest.TempPathFactory, body: bytes, name: bytes) -> None:
    path = with_chunks(tmp_path_factory.mktemp("tags") / "a.wav", (name, body))
    found = read_tags(path, RATE)
    assert all(m.at >= 0 for m in found.marks)
