"""FLAC with damage in it, or without a length: every good frame is kept, and where the silence stands is told."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import pytest
import soundfile as sf

from grainpocket.core.sound.audio import BadAudio
from grainpocket.core.sound.flac import mend
from grainpocket.core.sound.read import LOUDEST, Reading, blocks, probe
from tests.files import wav
from tests.signals import RATE

BLOCK = 4096  # frames in a block of what libsndfile writes, at its usual setting


def noise(seconds: float, channels: int = 2) -> np.ndarray:
    whole = np.random.default_rng(5).integers(-9000, 9000, (int(seconds * RATE), channels))
    return (whole / 32768).astype(np.float32)


def flac(samples: np.ndarray, subtype: str = "PCM_16") -> bytearray:
    out = io.BytesIO()
    sf.write(out, samples, RATE, format="FLAC", subtype=subtype)
    return bytearray(out.getvalue())


def read(folder: Path, data: bytes) -> tuple[np.ndarray, Reading]:
    path = folder / "file.flac"
    path.write_bytes(data)
    reading = probe(path)
    out = np.concatenate([block for block, _ in blocks(path, RATE, reading)])
    assert [file.name for file in folder.iterdir()] == ["file.flac"], "something was left beside it"
    return out, reading


def without_length(data: bytearray) -> bytearray:
    data[21] &= 0xF0
    data[22:26] = bytes(4)
    return data


@pytest.mark.parametrize("channels", [1, 2, 6])
@pytest.mark.parametrize("subtype", ["PCM_16", "PCM_24"])
def test_no_length_is_legal(tmp_path: Path, channels: int, subtype: str) -> None:
    samples = noise(1.3, channels)
    whole, _ = read(tmp_path, flac(samples, subtype))
    out, reading = read(tmp_path, without_length(flac(samples, subtype)))
    np.testing.assert_array_equal(out, whole)
    assert (reading.frames, reading.notes, reading.ended_early) == (len(samples), [], False)


@pytest.mark.parametrize("subtype", ["PCM_16", "PCM_24"])
@pytest.mark.parametrize("seconds", [1, 10])
@pytest.mark.parametrize("share", [0.1, 0.5, 0.9, 0.98])
def test_a_flipped_bit_costs_its_frame_only(tmp_path: Path, share: float, seconds: int, subtype: str) -> None:
    samples = noise(seconds)
    data = flac(samples, subtype)
    data[int(len(data) * share)] ^= 16
    out, reading = read(tmp_path, data)
    assert len(out) == len(samples)
    wrong = np.flatnonzero(np.any(out != samples, axis=1))
    assert np.ptp(wrong) < BLOCK
    assert np.all(out[wrong] == 0)
    (note,) = reading.notes
    assert f"from {wrong[0] // BLOCK * BLOCK / RATE:.2f} s" in note


def test_many_flipped_bits(tmp_path: Path) -> None:
    samples = noise(20)
    data = flac(samples)
    rng = np.random.default_rng(8)
    for at in rng.integers(9000, len(data), 30):
        data[at] ^= 1 << int(rng.integers(8))
    out, reading = read(tmp_path, data)
    right = np.all(out == samples[: len(out)], axis=1)
    assert right.mean() > 1 - 31 * BLOCK / len(samples)
    assert len(out) == len(samples)
    assert np.all(out[~right] == 0)
    assert 2 < len(reading.notes) <= 7


def test_half_of_a_file_without_length(tmp_path: Path) -> None:
    samples = noise(4)
    data = without_length(flac(samples))
    out, _ = read(tmp_path, data[: len(data) // 2])
    assert abs(len(out) - len(samples) / 2) <= BLOCK
    np.testing.assert_array_equal(out, samples[: len(out)])


def test_a_piece_cut_out_of_a_longer_stream(tmp_path: Path) -> None:
    samples = noise(2, 1)
    data = flac(samples)
    (tmp_path / "whole").write_bytes(data)
    second = data.index(b"\xff\xf8", len(data) // 2)
    (tmp_path / "cut").write_bytes(without_length(data[:second]) + data[second:])
    assert mend(tmp_path / "cut").frames == len(samples)  # type: ignore[union-attr]
    assert mend(tmp_path / "whole").silent == []  # type: ignore[union-attr]


def test_nothing_good_in_it(tmp_path: Path) -> None:
    data = flac(noise(1))
    data[9000:] = bytes(len(data) - 9000)
    with pytest.raises(BadAudio, match="damaged from the start"):
        read(tmp_path, without_length(data[:8600]))
    (tmp_path / "wav").write_bytes(wav(noise(0.1)))
    assert mend(tmp_path / "wav") is None


@pytest.mark.parametrize("rate", [1, 3999, 400_000])
def test_rates_that_no_sound_has(tmp_path: Path, rate: int) -> None:
    with pytest.raises(BadAudio, match=f"rate is {rate} Hz"):
        read(tmp_path, wav(noise(0.1), rate=rate))


def test_bursts_far_above_full_scale(tmp_path: Path) -> None:
    samples = noise(1)
    samples[100:110] = 3e38
    samples[200] = -190_000
    out, reading = read(tmp_path, wav(samples))
    assert np.abs(out).max() == LOUDEST
    assert "22 samples" in reading.notes[0]
    np.testing.assert_array_equal(out[300:], samples[300:])
    with pytest.raises(BadAudio, match="not scaled"):
        read(tmp_path, wav(noise(1) * 32768))
