"""Files in: every format, any rate, up to eight channels, and what is wrong with bad ones."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from grainpocket.core.sound.audio import BadAudio
from grainpocket.core.sound.downmix import downmix, matrix
from grainpocket.core.sound.read import Reading, blocks, probe
from tests.files import BAD, GOOD, raw_wav, tone, wav
from tests.signals import RATE, drum_loop


def read(folder: Path, data: bytes) -> tuple[np.ndarray, Reading]:
    path = folder / "file"
    path.write_bytes(data)
    reading = probe(path)
    return np.concatenate([block for block, _ in blocks(path, RATE, reading)]), reading


def test_float_wav_is_bit_for_bit(tmp_path: Path) -> None:
    samples, reading = read(tmp_path, GOOD["plain.wav"])
    np.testing.assert_array_equal(samples, drum_loop().samples)
    assert (reading.lossy, reading.ended_early, reading.notes) == (False, False, [])


@pytest.mark.parametrize("name", ["24 bit.aiff", "flac.flac", "vorbis.ogg", "mp3.mp3"])
def test_formats(tmp_path: Path, name: str) -> None:
    samples, reading = read(tmp_path, GOOD[name])
    assert reading.lossy == (name in ("vorbis.ogg", "mp3.mp3"))
    assert abs(np.abs(samples[2000:-2000]).max() - 0.5) < 0.02
    spectrum = np.abs(np.fft.rfft(samples[4000 : 4000 + 16384, 0]))
    assert abs(np.argmax(spectrum) * RATE / 16384 - 330) < 3


@pytest.mark.parametrize(("rate", "seconds"), [(8000, 0.7), (22050, 0.5), (48000, 0.5), (192000, 0.3)])
def test_any_rate_keeps_length_pitch_and_level(tmp_path: Path, rate: int, seconds: float) -> None:
    samples, _ = read(tmp_path, wav(tone(seconds, rate=rate), rate=rate))
    assert abs(len(samples) - seconds * RATE) <= 2
    wanted = tone(seconds)
    middle = slice(3000, len(wanted) - 3000)
    np.testing.assert_allclose(samples[middle], wanted[middle], atol=2e-4)


@pytest.mark.parametrize("channels", range(3, 9))
def test_downmix_by_the_standard(channels: int) -> None:
    each = np.eye(channels, dtype=np.float32)
    out = downmix(each)
    np.testing.assert_array_equal(out, matrix(channels))
    np.testing.assert_allclose(out[0], [1, 0])
    np.testing.assert_allclose(out[1], [0, 1])
    if channels >= 5:
        np.testing.assert_allclose(out[2], [2**-0.5, 2**-0.5])  # centre
    if channels >= 6:
        np.testing.assert_allclose(out[3], [0, 0])  # low-frequency effects
    assert set(np.round(out[4:].ravel().astype(float), 4).tolist()) <= {0.0, 0.5, 0.7071}


def test_numbers_that_are_none_become_silence(tmp_path: Path) -> None:
    samples, reading = read(tmp_path, GOOD["nonsense numbers.wav"])
    assert np.isfinite(samples).all()
    assert not samples[100:105].any()
    assert reading.replaced == 7
    assert "7 samples" in reading.notes[0]


def test_a_file_that_ends_early_is_kept_as_far_as_it_goes(tmp_path: Path) -> None:
    samples, reading = read(tmp_path, GOOD["truncated.wav"])
    assert len(samples) == 5000
    assert reading.ended_early
    assert "ends early" in reading.notes[0]
    samples, reading = read(tmp_path, GOOD["truncated.flac"])
    assert 0 < len(samples) < len(drum_loop().samples)
    assert reading.ended_early


@pytest.mark.parametrize("name", [name for name in BAD if not name.startswith("too long")])
def test_bad_files_say_what_is_wrong(tmp_path: Path, name: str) -> None:
    data, words = BAD[name]
    with pytest.raises(BadAudio, match=words):
        read(tmp_path, data)


def test_a_long_file_takes_little_memory(tmp_path: Path) -> None:
    path = tmp_path / "long.wav"
    path.write_bytes(raw_wav(2, RATE * 60))
    sizes = [len(block) for block, _ in blocks(path, RATE, probe(path))]
    assert sum(sizes) == RATE * 60
    assert max(sizes) <= 1 << 16
