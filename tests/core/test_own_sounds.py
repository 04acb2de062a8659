"""Sounds of our own making: at the note in their name, at a level, the same each time."""

from __future__ import annotations

import re

import numpy as np
import pytest

from grainpocket.core.listen.harmony.pitch import pitch
from grainpocket.core.sources.own import OWN, own
from tests.signals import RATE

NOTES = {"C3": 48, "A3": 57, "A4": 69}


@pytest.mark.parametrize("name", OWN)
def test_each_is_clean_and_at_its_note(name: str) -> None:
    sound = own(name, RATE)
    np.testing.assert_array_equal(sound, own(name, RATE))
    assert np.abs(sound).max() == pytest.approx(10 ** (-3 / 20), abs=1e-4)
    assert np.abs(sound[-1]).max() < 1e-4
    assert abs(float(sound.mean())) < 2e-3
    note = re.search(r"[A-G]\d$", name)
    if note:
        found = pitch(sound[: 2 * RATE, 0], RATE)
        assert found is not None
        assert found.key == NOTES[note[0]]
        assert abs(found.cents) < 4


def test_tones_fold_nothing_back() -> None:
    spectrum = np.abs(np.fft.rfft(own("Saw C3", RATE)[:RATE, 0] * np.kaiser(RATE, 16)))
    hz = np.arange(len(spectrum)) * 1.0
    partial = np.abs(hz / 130.8128 - np.round(hz / 130.8128)) * 130.8128 < 6
    assert spectrum[~partial & (hz > 60)].max() < 1e-4 * spectrum.max()
