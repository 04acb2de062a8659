"""The audio store: content-addressed, atomic, readable anywhere."""

from __future__ import annotations

import numpy as np
import pytest

from grainpocket.core.listen.hearing import hear
from grainpocket.core.sound.audio import mono
from grainpocket.core.sound.peaks import PEAK, PeakBuilder, samples_per_peak
from grainpocket.store.audio import AudioStore, is_hash
from tests.signals import RATE, drum_loop


def stored(audio: AudioStore, samples: np.ndarray) -> str:
    builder = PeakBuilder(RATE)
    with audio.writer(RATE, samples.shape[1]) as writer:
        for start in range(0, len(samples), 5000):
            writer.write(samples[start : start + 5000])
            builder.feed(samples[start : start + 5000])
        digest = writer.close()
        writer.keep(digest, builder.finish(), hear(mono(samples), RATE))
    return digest


def test_samples_come_back_bit_for_bit(audio: AudioStore) -> None:
    samples = drum_loop().samples
    digest = stored(audio, samples)
    np.testing.assert_array_equal(audio.read(digest, 0, len(samples)), samples)
    np.testing.assert_array_equal(audio.read(digest, 1234, 1300), samples[1234:1300])
    outside = audio.read(digest, -10, 20)
    assert not outside[:10].any()
    np.testing.assert_array_equal(outside[10:], samples[:20])
    assert not audio.read(digest, len(samples), len(samples) + 5).any()


def test_the_same_sound_is_stored_once(audio: AudioStore) -> None:
    samples = drum_loop().samples
    assert stored(audio, samples) == stored(audio, samples)
    assert stored(audio, samples * np.float32(0.5)) != stored(audio, samples)
    assert len([p for p in audio.root.iterdir() if is_hash(p.name)]) == 2


def test_what_is_not_kept_leaves_nothing(audio: AudioStore) -> None:
    def killed_in_the_middle() -> None:
        with audio.writer(RATE, 2) as writer:
            writer.write(drum_loop().samples)
            raise RuntimeError

    with pytest.raises(RuntimeError):
        killed_in_the_middle()
    assert [p.name for p in audio.root.rglob("*") if p.is_file()] == []


def test_a_name_that_is_no_hash_is_not_looked_up(audio: AudioStore) -> None:
    for name in ("../../etc/passwd", "..", "", "A" * 64, "g" * 64):
        assert not audio.has(name)
        with pytest.raises(KeyError):
            audio.read(name, 0, 1)


def test_peaks_are_the_extremes(audio: AudioStore) -> None:
    samples = drum_loop().samples
    digest = stored(audio, samples)
    for level in range(4):
        peaks = np.frombuffer(audio.peaks_path(digest, level).read_bytes(), PEAK)
        per = samples_per_peak(level)
        assert len(peaks) == -(-len(samples) // per)
        whole = len(samples) // per
        blocks = samples[: whole * per].reshape(whole, -1)
        np.testing.assert_allclose(peaks["max"][:whole] / 32767, blocks.max(axis=1), atol=1e-4)
        np.testing.assert_allclose(peaks["min"][:whole] / 32767, blocks.min(axis=1), atol=1e-4)


def test_bands_tell_a_kick_from_a_hat(audio: AudioStore) -> None:
    loop = drum_loop()
    peaks = np.frombuffer(audio.peaks_path(stored(audio, loop.samples), 0).read_bytes(), PEAK)
    for at, name in zip(loop.at, loop.names, strict=True):
        here = peaks[at // 64 : at // 64 + 20]
        low, high = here["low"].max(), here["high"].max()
        assert (low > high) == (name == "kick"), (name, at, low, high)
