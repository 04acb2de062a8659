"""How loud all else is beside a hit, by the share of each drum: what the network sees, and what it makes of known sounds."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from grainpocket.core.listen.drums import masks
from tests.machine import Hit, tape
from tests.signals import RATE

KICKS, SNARES, HATS = ([0.2 + first + 0.96 * k for k in range(8)] for first in (0.0, 0.48, 0.24))
BEAT: list[Hit] = sorted(
    [(t, "kick", 0.8) for t in KICKS]
    + [(t, "snare", 0.8) for t in SNARES]
    + [(t, "hat", 0.5) for t in (*HATS, *(t + 0.48 for t in HATS))]
)


def places(*times: list[float]) -> list[np.ndarray]:
    return [np.round(np.array(some) * RATE).astype(np.int64) for some in times]


def whole(level: np.ndarray, kicks: np.ndarray) -> np.ndarray:
    """All that the networks are shown of a recording with these kicks alone."""
    return next(masks.Picture(level, [kicks, kicks[:0], kicks[:0]]).planes([(0, len(level))]))


@pytest.mark.parametrize("rate", [22050, 44100, 48000, 96000])
@pytest.mark.parametrize("hz", [60.0, 140.0, 300.0, 1000.0, 6000.0])
def test_the_power_of_a_tone_stands_in_its_band(rate: int, hz: float) -> None:
    tone = (0.5 * np.sin(2 * np.pi * hz * np.arange(rate) / rate)).astype(np.float32)
    found = masks.powers(tone, rate)
    assert len(found) == pytest.approx(1 / masks.HOP_S, abs=1.5)
    middle = found[20:-20]
    edges = np.concatenate((masks.LOW_EDGES[:-1] * masks.LOW_RATE / masks.LOW_WINDOW, masks.HIGH_EDGES_HZ))
    band = int(np.searchsorted(edges, hz)) - 1
    # A long window leaks into its neighbours.
    near = middle[:, max(0, band - 2) : band + 3].sum(axis=1)
    np.testing.assert_allclose(near, 0.125, rtol=0.06)
    assert middle.sum(axis=1).max() < 0.14


def test_levels_are_beside_the_peak_and_silence_is_the_floor() -> None:
    samples, _ = tape(BEAT)
    loud = masks.levels(samples, RATE)
    np.testing.assert_allclose(loud, masks.levels(samples * np.float32(0.1), RATE), atol=1e-3)
    assert loud.max() < 0
    assert (masks.levels(np.zeros(RATE, np.float32), RATE) == np.float32(masks.FLOOR)).all()


def test_a_drum_that_plays_alone_is_seen_as_all_there_is() -> None:
    samples, _ = tape([(t, "kick", 0.8) for t in KICKS])
    level = masks.levels(samples, RATE)
    at = masks.frames_of(places(KICKS)[0], RATE, len(level))
    kick, snare = whole(level, at)[..., 2:4].transpose(2, 0, 1)
    loud = level[at + 2] > -5
    assert loud.sum() > 50
    # Frames fall where they fall, on a slope that is steep.
    assert np.median(np.abs(kick[at + 2][loud])) < 0.15, "every kick is what the kicks have in common"
    assert (snare[level > -7] == -2).all(), "of a drum without hits nothing is seen"


def test_what_comes_once_is_no_part_of_what_hits_have_in_common() -> None:
    samples, _ = tape([(t, "kick", 0.8) for t in KICKS])
    second = round(KICKS[1] * RATE)
    tone = np.sin(2 * np.pi * 2000 * np.arange(8000) / RATE).astype(np.float32)
    samples[second : second + 8000] += tone
    level = masks.levels(samples, RATE)
    at = masks.frames_of(places(KICKS)[0], RATE, len(level))
    band = masks.LOW + int(np.searchsorted(masks.HIGH_EDGES_HZ, 2000)) - 1
    kick = whole(level, at)[..., 2]
    assert kick[at[1] + 4, band] < kick[at[0] + 4, band] - 0.5


def test_a_tone_under_a_hit_is_heard_and_more_of_it_more() -> None:
    samples, _ = tape(BEAT)
    noise = np.random.default_rng(3).standard_normal(len(samples)).astype(np.float32) * 1e-3
    drums = places(KICKS, SNARES, [*HATS, *(t + 0.48 for t in HATS)])
    time = np.arange(len(samples)) / RATE
    chord = np.asarray(sum(np.sin(2 * np.pi * hz * time) for hz in (220, 277, 330, 440, 554, 660)), np.float32)
    # Louder and louder from the third kick on.
    gain = np.interp(time, [0, KICKS[2] - 0.1, KICKS[2], KICKS[7]], [0, 0, 0.005, 0.15]).astype(np.float32)
    told = masks.SoftMasks(samples + noise + chord * gain, RATE, drums).interference_db([drums[0], drums[1], drums[2][:0]])
    assert [len(t) for t in told] == [8, 8, 0]
    for cover in told[:2]:
        assert cover[:2].max() < cover[4:].min() - 6
        assert cover[7] > cover[3]


def test_music_is_measured_where_it_plays(monkeypatch: pytest.MonkeyPatch) -> None:
    samples, _ = tape(BEAT)
    noise = np.random.default_rng(3).standard_normal(len(samples)).astype(np.float32) * 1e-3
    time = np.arange(len(samples)) / RATE
    chord = np.asarray(sum(np.sin(2 * np.pi * hz * time) for hz in (220, 277, 330, 440, 554, 660)), np.float32)
    drums = places(KICKS, SNARES, [*HATS, *(t + 0.48 for t in HATS)])
    # None, then louder and louder.
    gain = np.interp(time, [1.9, 2.0, 3.9, 4.0, 5.9, 6.0], [0, 0.01, 0.01, 0.05, 0.05, 0.2]).astype(np.float32)
    mix = samples + noise + chord * gain
    spans = [(0.2, 1.8), (2.2, 3.8), (4.2, 5.8), (6.2, 7.5)]
    told = masks.SoftMasks(mix, RATE, drums).music(spans)
    true = [
        10 * np.log10((chord[a:b] * gain[a:b] @ (chord[a:b] * gain[a:b])) / (mix[a:b] @ mix[a:b]) + 1e-9)
        for a, b in ((round(first * RATE), round(last * RATE)) for first, last in spans)
    ]
    assert told[0] < -25
    np.testing.assert_allclose(told[2:], true[2:], atol=4)
    assert (np.diff(told) > 3).all()
    monkeypatch.setattr(masks, "LONGEST", 100)
    np.testing.assert_allclose(masks.SoftMasks(mix, RATE, drums).music(spans), told, atol=0.05)


def test_some_are_told_as_all_are() -> None:
    samples, _ = tape(BEAT)
    drums = places(KICKS, SNARES, HATS)
    every = masks.SoftMasks(samples, RATE, drums).interference_db(drums)
    some = masks.SoftMasks(samples, RATE, drums).interference_db([drums[0][[5, 1]], drums[1][:0], drums[2][3:4]])
    np.testing.assert_allclose(some[0], every[0][[5, 1]], atol=0.02)
    np.testing.assert_allclose(some[2], every[2][3:4], atol=0.02)


def test_in_several_stretches_as_in_one(monkeypatch: pytest.MonkeyPatch) -> None:
    samples, _ = tape(BEAT)
    drums = places(KICKS, SNARES, HATS)
    whole = masks.SoftMasks(samples, RATE, drums).interference_db(drums)
    monkeypatch.setattr(masks, "LONGEST", 100)
    apart = masks.SoftMasks(samples, RATE, drums).interference_db(drums)
    for one, other in zip(whole, apart, strict=True):
        np.testing.assert_allclose(one, other, atol=0.02)


@given(st.lists(st.integers(0, 4999), max_size=60), st.integers(60, 700))
def test_every_hit_lies_in_a_stretch_with_all_that_it_is_told_by(frames: list[int], longest: int) -> None:
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(masks, "LONGEST", longest)
        seen = masks._stretches(np.array(frames, np.int64), 5000)
    for frame in frames:
        first, last = max(0, frame - masks.REACH), min(5000, frame + masks.RING + masks.REACH)
        assert any(a <= first and last <= b for a, b in seen)
    assert max((b - a for a, b in seen), default=0) <= longest
    assert seen == sorted(seen)


@pytest.mark.parametrize("length", [1, 2000, 9000])
def test_short_and_silent_recordings_have_an_answer(length: int) -> None:
    at = [np.array([0]), np.array([length - 1]), np.zeros(0, np.int64)]
    for samples in (np.zeros(length, np.float32), np.ones(length, np.float32)):
        told = masks.SoftMasks(samples, RATE, at).interference_db(at)
        assert all(np.isfinite(t).all() for t in told)
        assert np.isfinite(masks.SoftMasks(samples, RATE, at).music([(0.0, 0.1), (0.0, 0.0), (5.0, 6.0)])).all()
