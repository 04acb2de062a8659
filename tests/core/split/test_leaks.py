"""Leaks: told where a fellow is much louder, and lifted out of a region to the sample."""

from __future__ import annotations

import numpy as np
import pytest

from grainpocket.core.listen.measures.loudness import LoudnessMeter
from grainpocket.core.split.balance import evened
from grainpocket.core.split.leaks import LeakMeter, Region, lifted, margin
from grainpocket.core.split.picture import HIGH_HZ, LOW_HZ, ROWS, picture
from tests.signals import RATE

N = 3 * RATE


def tone(hz: float, level: float = 0.3) -> np.ndarray:
    t = np.arange(N) / RATE
    return np.repeat(np.asarray(level * np.sin(2 * np.pi * hz * t), np.float32)[:, None], 2, axis=1)


def test_a_leak_is_as_loud_as_it_is_told_and_comes_from_where_it_comes_from() -> None:
    voice, bass = tone(900), tone(80)
    leaking = voice + 0.05 * bass
    meter = LeakMeter(("vocals", "bass", "drums"), RATE)
    for first in range(0, N, 10_000):
        piece = slice(first, first + 10_000)
        meter.feed({"vocals": leaking[piece], "bass": bass[piece], "drums": np.zeros_like(bass[piece])})
    told = meter.finish()
    assert told["vocals"].decibels == pytest.approx(20 * np.log10(0.05), abs=0.5)
    assert told["vocals"].source == "bass"
    assert told["bass"].decibels is None or told["bass"].decibels < -50
    assert told["drums"].decibels is None
    assert set(told["drums"].shares) == {0.0}


def test_a_leak_is_told_when_it_leaks() -> None:
    bass, gate = tone(80), (np.arange(N) > N // 2).astype(np.float32)[:, None]
    meter = LeakMeter(("vocals", "bass"), RATE)
    meter.feed({"vocals": tone(900) + 0.2 * bass * gate, "bass": bass})
    told = meter.finish()["vocals"]
    half = round(N / 2 / RATE / told.step_s)
    assert max(told.shares[: half - 1]) < 0.002
    assert min(told.shares[half + 1 : -1]) > 0.02


def test_what_is_lifted_and_what_stays_are_the_stem() -> None:
    sound = tone(300) + tone(2000)
    region = Region(start=RATE, end=2 * RATE, low=1000, high=4000)
    moved = lifted(sound, RATE, 0, region)
    inside = slice(RATE + 3000, 2 * RATE - 3000)
    np.testing.assert_allclose(moved[inside], tone(2000)[inside], atol=2e-3)
    assert np.abs(moved[: RATE - margin(RATE)]).max() == 0
    assert np.abs(moved[2 * RATE + margin(RATE) :]).max() == 0
    # Only as much of it as is asked for.
    half = lifted(sound, RATE, 0, region.model_copy(update={"amount": 0.5}))
    np.testing.assert_allclose(half, moved / 2, atol=1e-6)


def test_where_a_stretch_begins_does_not_matter_to_what_is_lifted() -> None:
    sound = np.random.default_rng(2).standard_normal((N, 2)).astype(np.float32) * 0.1
    region = Region(start=60_000, end=90_000, low=0, high=500)
    whole, first = lifted(sound, RATE, 0, region), 60_000 - margin(RATE)
    part = lifted(sound[first : 90_000 + margin(RATE)], RATE, first, region)
    assert np.abs(np.diff(whole[:, 0])).max() < 0.02, "no click at its edges"
    np.testing.assert_allclose(part[margin(RATE) : -margin(RATE)], whole[60_000:90_000], atol=6e-3)


def test_what_is_compared_is_as_loud_as_its_record() -> None:
    record = tone(300, 0.5) + tone(2000, 0.3)
    for level in (0.2, 0.4, 0.8):
        quiet = tone(300, level)
        made = quiet * evened(quiet, record, RATE)
        assert loudness(made) == pytest.approx(loudness(record), abs=0.2) or np.abs(made).max() == pytest.approx(1.0, abs=1e-3)
    assert evened(np.zeros((N, 2), np.float32), record, RATE) == 1.0
    assert evened(tone(300, 0.001), record, RATE) == pytest.approx(10 ** (12 / 20), rel=1e-3)


def loudness(sound: np.ndarray) -> float:
    meter = LoudnessMeter(RATE)
    meter.feed(np.asarray(sound, np.float32))
    told = meter.finish().lufs
    assert told is not None
    return told


@pytest.mark.parametrize("hz", [110.0, 1000.0, 9000.0])
def test_a_tone_is_a_line_of_the_picture(hz: float) -> None:
    made = picture(tone(hz), RATE, 50)
    assert made.shape == (ROWS, 50)
    row = int(made[:, 25].argmax())
    there = LOW_HZ * (HIGH_HZ / LOW_HZ) ** ((row + 0.5) / ROWS)
    assert there == pytest.approx(hz, rel=0.12)
    assert (picture(np.zeros((500, 1), np.float32), RATE, 7) == 0).all()
