"""Pitch of single sounds, tuning and notes of many, against tones whose frequencies are known."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from grainpocket.core.listen.harmony.chroma import chroma
from grainpocket.core.listen.harmony.pitch import pitch
from grainpocket.core.sound.reference import CLICK_PEAK, click, tone

RATE = 44100


def harmonic(hz: float, amounts: list[float], seconds: float = 0.8, decay: float = 2.0) -> np.ndarray:
    t = np.arange(int(seconds * RATE)) / RATE
    wave = sum(a * np.sin(2 * np.pi * k * hz * t + k) for k, a in enumerate(amounts, start=1) if k * hz < 20000)
    return (0.3 * wave * np.exp(-t * decay) * np.minimum(1, t / 0.01)).astype(np.float32)


@settings(max_examples=40)
@given(key=st.floats(28, 90), seed=st.integers(0, 99))
def test_harmonic_tones_from_bass_to_soprano(key: float, seed: int) -> None:
    hz = 440 * 2 ** ((key - 69) / 12)
    rng = np.random.default_rng(seed)
    amounts = (rng.uniform(0.2, 1.0, 10) / np.arange(1, 11)).tolist()
    found = pitch(harmonic(hz, amounts) + rng.normal(0, 1e-3, int(0.8 * RATE)).astype(np.float32), RATE)
    assert found is not None
    assert abs(1200 * np.log2(found.hz / hz)) < 5
    assert found.key == round(69 + 12 * np.log2(found.hz / 440))


def test_a_fundamental_that_is_hardly_there() -> None:
    found = pitch(harmonic(98.0, [0.02, 1.0, 0.8, 0.6, 0.4]), RATE)
    assert found is not None
    assert abs(1200 * np.log2(found.hz / 98.0)) < 10
    assert found.name == "G2"


def test_a_vibrato_counts_from_its_middle() -> None:
    t = np.arange(int(1.2 * RATE)) / RATE
    semitones = 0.4 * np.sin(2 * np.pi * 5.5 * t)
    phase = 2 * np.pi * np.cumsum(330 * 2 ** (semitones / 12)) / RATE
    wave = (0.3 * (np.sin(phase) + 0.4 * np.sin(2 * phase) + 0.2 * np.sin(3 * phase))).astype(np.float32)
    found = pitch(wave, RATE)
    assert found is not None
    assert abs(1200 * np.log2(found.hz / 330)) < 10


def test_noise_silence_and_too_little_have_no_pitch() -> None:
    rng = np.random.default_rng(2)
    assert pitch(rng.standard_normal(RATE).astype(np.float32) * 0.2, RATE) is None
    assert pitch(np.zeros(RATE, np.float32), RATE) is None
    assert pitch(np.zeros(10, np.float32), RATE) is None


@pytest.mark.parametrize("cents", [-41.0, -12.0, 0.0, 23.0])
def test_tuning_and_the_notes_of_a_chord(cents: float) -> None:
    notes = sum(harmonic(440 * 2 ** ((key - 69 + cents / 100) / 12), [1, 0.5, 0.3, 0.2], 4.0, 0.3) for key in (48, 60, 64, 67))
    found = chroma(np.asarray(notes, np.float32), RATE)
    assert abs(found.cents - cents) < 3
    assert set(np.argsort(-found.treble.mean(axis=0))[:3]) == {0, 4, 7}
    assert int(np.argmax(found.bass.mean(axis=0))) == 0


def test_the_reference_tone_is_the_note_it_says() -> None:
    for key, cents in ((45, 0.0), (69, -30.0), (81, 12.0)):
        found = pitch(tone(key, cents, RATE)[:, 0], RATE)
        assert found is not None
        assert found.key == key
        assert abs(found.cents - cents) < 2


def test_a_click_begins_at_once_and_ends_in_silence() -> None:
    for accent in (True, False):
        sound = click(accent, RATE)
        assert np.abs(sound).max() <= CLICK_PEAK + 1e-6
        assert int(np.argmax(np.abs(sound[:, 0]))) < 0.001 * RATE
        assert np.abs(sound[-1]).max() < 1e-3
    assert np.abs(click(True, RATE)).max() > np.abs(click(False, RATE)).max()
