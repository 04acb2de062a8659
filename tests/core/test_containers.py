"""What the headers of WAV and AIFF files claim; and how many channels are mixed down."""

from __future__ import annotations

import struct
from pathlib import Path

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from grainpocket.core.sound.audio import BadAudio
from grainpocket.core.sound.containers import declared_frames
from grainpocket.core.sound.downmix import MOST_CHANNELS, downmix, matrix
from tests.files import raw_wav, tone, wav


def declared(folder: Path, data: bytes) -> int | None:
    file = folder / "a"
    file.write_bytes(data)
    return declared_frames(file)


@pytest.mark.parametrize("channels", [1, 2, 6])
def test_a_wav_says_how_long_it_is_whatever_is_there(tmp_path: Path, channels: int) -> None:
    assert declared(tmp_path, raw_wav(channels, 4000)) == 4000
    assert declared(tmp_path, raw_wav(channels, 4000, declared=90000)) == 90000


def test_an_aiff_says_how_long_it_is(tmp_path: Path) -> None:
    assert declared(tmp_path, wav(tone(0.5), subtype="PCM_24", container="AIFF")) == len(tone(0.5))


@pytest.mark.parametrize("size", [0, 0xFFFFFFFF])
def test_a_length_left_open_is_none(tmp_path: Path, size: int) -> None:
    data = bytearray(raw_wav(2, 100))
    data[40:44] = struct.pack("<I", size)
    assert declared(tmp_path, bytes(data)) is None


@given(st.binary(max_size=200), st.sampled_from([b"", b"RIFF\0\0\0\0WAVE", b"FORM\0\0\0\0AIFF", b"RIFF\0\0\0\0AVI "]))
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], max_examples=60)
def test_whatever_stands_there_is_no_crash(tmp_path: Path, rest: bytes, head: bytes) -> None:
    frames = declared(tmp_path, head + rest)
    assert frames is None or isinstance(frames, int)


def test_one_and_two_channels_pass_and_too_many_are_refused() -> None:
    for channels in (1, 2):
        samples = np.ones((4, channels), np.float32)
        assert downmix(samples) is samples
    for channels in range(3, MOST_CHANNELS + 1):
        assert downmix(np.ones((4, channels), np.float32)).shape == (4, 2)
    with pytest.raises(BadAudio, match="reads 1 to 8"):
        matrix(MOST_CHANNELS + 1)
