"""Loudness against the figures that the standard gives for its own test signals, and peaks between samples."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal

from grainpocket.core.listen.hearing import hear
from grainpocket.core.listen.measures import loudness as measured
from grainpocket.core.listen.measures.loudness import Loudness, LoudnessMeter, loudness
from grainpocket.core.pocket import RATE
from grainpocket.core.sound.audio import one_channel
from tests.signals import drum_loop


def sine(db: float, rate: int, hz: float = 997.0, seconds: float = 6.0, channels: int = 2) -> np.ndarray:
    wave = 10 ** (db / 20) * np.sin(2 * np.pi * hz * np.arange(int(seconds * rate)) / rate)
    return np.repeat(wave[:, None], channels, axis=1).astype(np.float32)


@pytest.mark.parametrize("rate", [22050, 44100, 48000, 96000])
@pytest.mark.parametrize("db", [-23.0, -33.0])
def test_a_stereo_sine_is_as_loud_as_its_level(rate: int, db: float) -> None:
    # EBU Tech 3341, cases 1 and 2: a stereo sine of 1000 Hz at -23 dBFS is -23 LUFS within 0.1.
    assert loudness(sine(db, rate, 1000.0), rate).lufs == pytest.approx(db, abs=0.1)


def test_one_channel_at_full_scale() -> None:
    # BS.1770-4: a 997 Hz sine at 0 dBFS in one channel reads -3.01.
    assert loudness(sine(0.0, 48000, channels=1), 48000).lufs == pytest.approx(-3.01, abs=0.05)


def test_quiet_parts_are_gated() -> None:
    # EBU Tech 3341, case 3: -36, -23, -36 dBFS reads -23.
    parts = [sine(-36, 48000, 1000.0, 10), sine(-23, 48000, 1000.0, 60), sine(-36, 48000, 1000.0, 10)]
    assert loudness(np.concatenate(parts), 48000).lufs == pytest.approx(-23.0, abs=0.1)


def test_spectra_of_steps_agree_with_filtering() -> None:
    rng = np.random.default_rng(3)
    music = signal.lfilter([1], [1, -0.95], rng.standard_normal((44100 * 5, 2)), axis=0) * 0.05
    sos = measured._k_weighting(44100)
    weighted = signal.sosfilt(sos, music, axis=0)
    power = (weighted**2).sum(axis=1)[: 44100 * 5].reshape(-1, 4410).mean(axis=1)
    assert loudness(music.astype(np.float32), 44100).lufs == pytest.approx(measured._integrated(power), abs=0.06)


def test_true_peak_lies_between_samples() -> None:
    # A quarter of the sample rate, 45 degrees off: samples stay 3 dB under the wave.
    n = np.arange(44100)
    wave = 0.7 * np.sin(np.pi / 2 * n + np.pi / 4) * np.minimum(1, np.minimum(n, 44099 - n) / 4000)
    found = loudness(np.repeat(wave[:, None], 2, axis=1).astype(np.float32), 44100)
    assert found.true_peak_db == pytest.approx(20 * np.log10(0.7), abs=0.2)


def test_blocks_make_no_difference() -> None:
    rng = np.random.default_rng(1)
    music = (rng.standard_normal((44100 * 3, 2)) * 0.1).astype(np.float32)
    meter = LoudnessMeter(44100)
    at = 0
    while at < len(music):
        size = int(rng.integers(1, 9000))
        meter.feed(music[at : at + size])
        at += size
    whole = loudness(music, 44100)
    assert meter.finish().lufs == whole.lufs


def test_clipped_runs_are_found_where_they_are() -> None:
    wave = np.sin(2 * np.pi * 100 * np.arange(44100) / 44100) * 1.5
    clipped = np.clip(wave, -0.98, 0.98).astype(np.float32)[:, None]
    found = loudness(clipped, 44100)
    assert found.clipped == 200, "both halves of a hundred waves"
    assert abs(clipped[found.clipped_at[0], 0]) == np.float32(0.98)
    assert loudness(sine(-3, 44100), 44100).clipped == 0


def test_the_peak_is_that_of_the_largest_channel() -> None:
    wave = np.sin(2 * np.pi * 100 * np.arange(44100) / 44100).astype(np.float32)
    for sides in ((1, 1), (1, 0), (0, 1), (1, -1)):
        sound = wave[:, None] * np.array(sides, np.float32)
        told = loudness(sound, 44100)
        assert told.peak_db == pytest.approx(0, abs=0.01), sides
        heard = hear(one_channel(lambda s=sound: iter((s[:20000], s[20000:])), len(sound)), 44100, loudness=told)
        assert heard.peak_db == told.peak_db


def test_what_is_out_of_phase_is_listened_to_by_its_difference() -> None:
    drums = drum_loop(bpm=120, bars=2, seed=3).samples[:, 0]
    apart = np.stack((drums, -drums), axis=1)
    np.testing.assert_array_equal(one_channel(lambda: iter((apart,)), len(apart)), drums)
    alike = np.stack((drums, drums), axis=1)
    np.testing.assert_array_equal(one_channel(lambda: iter((alike,)), len(alike)), drums)
    silence = np.zeros((100, 2), np.float32)
    assert not one_channel(lambda: iter((silence,)), 100).any()


def test_silence_and_next_to_nothing() -> None:
    assert loudness(np.zeros((44100, 2), np.float32), 44100) == Loudness(None, None, 0, ())
    assert loudness(np.zeros((0, 2), np.float32), 44100) == Loudness(None, None, 0, ())
    short = loudness(sine(-6, 44100, seconds=0.2), 44100)
    assert short.lufs is None
    assert short.true_peak_db == pytest.approx(-6, abs=0.1)


def test_short_term_loudness_is_of_the_last_three_seconds() -> None:
    # EBU Tech 3341, case 9 in our own numbers: a steady tone reads the same from 3 s on; after a jump it takes 3 s to arrive.
    time = np.arange(10 * RATE) / RATE
    tone = np.sin(2 * np.pi * 1000 * time)
    level = np.where(time < 5, 10 ** (-40 / 20), 10 ** (-20 / 20))
    meter = LoudnessMeter(RATE)
    meter.feed(np.repeat((tone * level).astype(np.float32)[:, None], 2, axis=1))
    short = meter.short_term()
    assert len(short) == 71
    assert np.abs(short[:21] + 40).max() < 0.1
    assert np.abs(short[-20:] + 20).max() < 0.1
    # Half of the window is loud: 3 dB less.
    assert abs(short[35] + 23) < 0.1
    assert (np.diff(short[20:51]) >= -1e-9).all()


def test_short_term_loudness_of_little_and_of_nothing() -> None:
    meter = LoudnessMeter(RATE)
    assert len(meter.short_term()) == 0
    meter.feed(np.zeros((4 * RATE, 2), np.float32))
    assert (meter.short_term() == -120).all()
