"""The picture of a waveform: extremes and band levels at every zoom, against what a sine of known level must show."""

from __future__ import annotations

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from grainpocket.core.sound.peaks import BASE, FLOOR_DB, LEVELS, PeakBuilder, Peaks, samples_per_peak

RATE = 44100
BANDS = ("low", "mid", "high")


def peaks_of(samples: np.ndarray, rate: int = RATE, block: int = 1 << 16) -> list[Peaks]:
    builder = PeakBuilder(rate)
    for first in range(0, len(samples), block):
        builder.feed(samples[first : first + block])
    return builder.finish()


def sine(hz: float, rate: int, level: float = 0.5, seconds: float = 1.0) -> np.ndarray:
    wave = level * np.sin(2 * np.pi * hz * np.arange(int(rate * seconds)) / rate)
    return wave.astype(np.float32)[:, None]


def level_db(peaks: Peaks, band: str) -> float:
    """Decibels under full scale of the middle of a level's mean."""
    middle = peaks[band][len(peaks) // 4 : -len(peaks) // 4].astype(float)
    return float(middle.mean() / 255 * FLOOR_DB - FLOOR_DB)


@pytest.mark.parametrize("rate", [22050, 44100, 96000])
@pytest.mark.parametrize(("hz", "band"), [(60, "low"), (100, "low"), (700, "mid"), (1500, "mid"), (6000, "high"), (9000, "high")])
def test_a_sine_shows_in_its_band_at_its_level_and_nowhere_else(rate: int, hz: float, band: str) -> None:
    first = peaks_of(sine(hz, rate), rate)[1]
    # Between the mean power of a sine of half full scale and that of its crest, which a short stretch of a low one shows.
    assert -9.03 - 1.6 < level_db(first, band) < -6.02 + 0.3
    for other in BANDS:
        if other != band:
            assert level_db(first, other) < -9.03 - 6


def test_what_lies_over_the_middle_does_not_fold_into_it() -> None:
    bright = peaks_of(sine(15000, RATE))[1]
    assert level_db(bright, "mid") < level_db(bright, "high") - 20
    assert level_db(bright, "low") < level_db(bright, "high") - 30


def test_twice_as_loud_is_six_decibels_in_every_band() -> None:
    rng = np.random.default_rng(1)
    noise = (0.1 * rng.standard_normal((RATE, 1))).astype(np.float32)
    quiet, loud = (peaks_of(noise * np.float32(gain))[1] for gain in (1, 2))
    for band in BANDS:
        assert level_db(loud, band) - level_db(quiet, band) == pytest.approx(6.02, abs=0.3)


def test_every_zoom_covers_all_and_keeps_what_sticks_out() -> None:
    samples = np.zeros((100_000, 2), np.float32)
    samples[77_777, 1], samples[12_345, 0] = 0.75, -0.5
    for k, level in enumerate(peaks_of(samples)):
        size = samples_per_peak(k)
        assert len(level) == -(-100_000 // size)
        assert level["max"][77_777 // size] == round(0.75 * 32767)
        assert level["min"][12_345 // size] == round(-0.5 * 32767)
        assert np.count_nonzero(level["max"]) == np.count_nonzero(level["min"]) == 1


@given(cuts=st.lists(st.integers(1, 9999), max_size=6), channels=st.integers(1, 2))
def test_how_it_is_fed_makes_no_difference(cuts: list[int], channels: int) -> None:
    rng = np.random.default_rng(3)
    samples = (0.2 * rng.standard_normal((10_000, channels))).astype(np.float32)
    builder = PeakBuilder(RATE)
    edges = [0, *sorted(cuts), len(samples)]
    for a, b in itertools.pairwise(edges):
        builder.feed(samples[a:b])
    for one, other in zip(builder.finish(), peaks_of(samples), strict=True):
        for name in ("min", "max", *BANDS):
            assert np.abs(one[name].astype(int) - other[name].astype(int)).max() <= 1


def test_full_scale_and_over_stay_within_what_is_drawn() -> None:
    over = np.full((BASE * 4, 1), 1.5, np.float32)
    over[::2] = -1.5
    first = peaks_of(over)[0]
    assert (first["max"] == 32767).all()
    assert (first["min"] == -32768).all()


@pytest.mark.parametrize("count", [0, 1, BASE - 1, BASE, BASE + 1])
def test_next_to_nothing_is_drawn_too(count: int) -> None:
    levels = peaks_of(np.full((count, 1), 0.25, np.float32))
    assert len(levels) == LEVELS
    assert all(len(level) == (1 if count else 0) for level in levels[1:])
    assert (levels[0]["max"] == round(0.25 * 32767)).all()
