"""What sounds from moment to moment; and the convolutions that tell it, against scipy's."""

from __future__ import annotations

import numpy as np
import pytest
from scipy import signal

from grainpocket.core.listen.harmony import chroma
from grainpocket.core.listen.networks.convolution import picture, row, spread
from grainpocket.core.listen.passages.activity import (
    FLOOR_DB,
    LOW_FROM,
    LOW_WINDOW,
    NETWORK,
    PER_FRAME,
    PER_LINE,
    PER_MOMENT,
    Moments,
    look,
    moments,
)
from grainpocket.core.listen.spectra.bands import analyse
from tests.signals import RATE, drum_loop


@pytest.mark.parametrize(("size", "strides"), [((5, 7), (2, 2)), ((3, 3), (1, 2)), ((3, 3), (2, 1)), ((1, 1), (1, 1))])
@pytest.mark.parametrize("time", [1, 2, 65, 140])
def test_a_picture_is_the_correlation_with_each_pattern(size: tuple[int, int], strides: tuple[int, int], time: int) -> None:
    rng = np.random.default_rng(time)
    x = rng.standard_normal((time, 23, 3)).astype(np.float32)
    weight, bias = rng.standard_normal((*size, 3, 4)).astype(np.float32), rng.standard_normal(4).astype(np.float32)
    found = picture(x, weight, bias, strides)
    for out in range(4):
        each = [signal.correlate(x[:, :, i].astype(float), weight[:, :, i, out].astype(float), "full") for i in range(3)]
        whole = np.sum(each, axis=0)[size[0] // 2 :, size[1] // 2 :][:time, :23]
        np.testing.assert_allclose(found[:, :, out], np.maximum(whole[:: strides[0], :: strides[1]] + bias[out], 0), atol=1e-4)


@pytest.mark.parametrize("apart", [1, 2])
@pytest.mark.parametrize("time", [1, 7, 40])
def test_a_pattern_may_be_spread_in_time(apart: int, time: int) -> None:
    rng = np.random.default_rng(time)
    x = rng.standard_normal((time, 11, 3)).astype(np.float32)
    weight, bias = rng.standard_normal((5, 3, 3, 4)).astype(np.float32), rng.standard_normal((11, 4)).astype(np.float32)
    wide = np.zeros((4 * apart + 1, 3, 3, 4), np.float32)
    wide[::apart] = weight
    found = spread(x, weight, bias, apart)
    for out in range(4):
        each = [signal.correlate(x[:, :, i].astype(float), wide[:, :, i, out].astype(float), "full") for i in range(3)]
        whole = np.sum(each, axis=0)[2 * apart :, 1:][:time, :11]
        np.testing.assert_allclose(found[:, :, out], np.maximum(whole + bias[:, out], 0), atol=1e-4)


@pytest.mark.parametrize("apart", [1, 3])
@pytest.mark.parametrize("time", [1, 4, 50])
def test_a_row_is_the_correlation_with_each_pattern(apart: int, time: int) -> None:
    rng = np.random.default_rng(time)
    x, weight = rng.standard_normal((time, 3)).astype(np.float32), rng.standard_normal((5, 3, 2)).astype(np.float32)
    wide = np.zeros((4 * apart + 1, 3, 2))
    wide[::apart] = weight
    found = row(x, weight, np.array([0.5, -1], np.float32), apart)
    for out in range(2):
        whole = np.sum([signal.correlate(x[:, i].astype(float), wide[:, i, out], "full") for i in range(3)], axis=0)
        np.testing.assert_allclose(found[:, out], whole[2 * apart :][:time] + (0.5, -1)[out], atol=1e-4)


def test_a_stretch_is_told_by_the_moments_in_it() -> None:
    odds = np.arange(30, dtype=np.float32).reshape(10, 3)
    told = Moments(odds, 0.1).within(np.array([0.0, 0.2, 0.21, 0.5, 2.0, 3.0]))
    np.testing.assert_allclose(told[0], odds[:2].mean(axis=0))
    np.testing.assert_allclose(told[1], odds[2], err_msg="shorter than a moment: the nearest")
    np.testing.assert_allclose(told[2], odds[2:5].mean(axis=0))
    np.testing.assert_allclose(told[3], odds[5:].mean(axis=0))
    np.testing.assert_allclose(told[4], odds[-1], err_msg="past the end")


@pytest.mark.parametrize("rate", [22050, 44100, 48000])
@pytest.mark.parametrize("seconds", [0.011, 0.3, 5.0])
def test_pictures_of_any_length_and_rate(rate: int, seconds: float) -> None:
    t = np.arange(round(seconds * rate)) / rate
    sound = np.sin(2 * np.pi * 880 * t).astype(np.float32)
    bands, low = analyse(sound, rate, 1.0), chroma.lowered(sound, rate)
    seen = look(bands, low)
    assert len(seen.wide) == len(seen.lines) * PER_LINE == len(seen.low) * PER_LINE
    assert seen.wide.max() == seen.lines.max() == seen.low.max() == 0
    assert min(picture.min() for picture in seen) >= FLOOR_DB
    if seconds > 1:
        # Two octaves and a bit over the lowest line.
        assert set(seen.lines[5:-5].argmax(axis=1)) == {round(24 * np.log2(880 / 200))}
    told = moments(bands, low)
    assert told.odds.shape == (-(-len(seen.wide) // PER_MOMENT), 3)
    assert np.isfinite(told.odds).all()
    assert told.seconds == pytest.approx(PER_MOMENT * PER_FRAME * 0.005, rel=0.01)


@pytest.mark.parametrize("note", [41.2, 55.0, 98.0])
def test_a_bass_stays_on_its_line_and_a_kick_falls(note: float) -> None:
    t = np.arange(RATE) / RATE
    bin_hz = chroma.RATE / LOW_WINDOW

    def loudest(sound: np.ndarray) -> np.ndarray:
        some = sound.astype(np.float32)
        seen = look(analyse(some, RATE, 1.0), chroma.lowered(some, RATE)).low
        return seen[3:-3].argmax(axis=1) + LOW_FROM

    assert np.abs(loudest(np.sin(2 * np.pi * note * t)) - note / bin_hz).max() <= 1
    falling = note * (1 + 2 * np.exp(-t / 0.15))
    places = loudest(np.sin(2 * np.pi * np.cumsum(falling) / RATE))
    assert (np.diff(places) <= 0).all()
    assert places[0] - places[-1] >= note / bin_hz / 2


def test_music_is_told_by_a_network_of_its_own(monkeypatch: pytest.MonkeyPatch) -> None:
    loop = drum_loop(bars=1).samples[:, 0]
    bands, low = analyse(loop, RATE, float(np.abs(loop).max())), chroma.lowered(loop, RATE)
    usual = moments(bands, low).odds
    monkeypatch.setattr("grainpocket.core.listen.passages.activity.MUSIC_NETWORK", NETWORK)
    other = moments(bands, low).odds
    np.testing.assert_array_equal(usual[:, [0, 2]], other[:, [0, 2]])
    assert (usual[:, 1] != other[:, 1]).any()


def test_a_network_looks_at_the_pictures_it_was_fitted_on(monkeypatch: pytest.MonkeyPatch) -> None:
    loop = drum_loop(bars=1).samples[:, 0]
    bands, low = analyse(loop, RATE, float(np.abs(loop).max())), chroma.lowered(loop, RATE)
    usual, seen = moments(bands, low).odds, look(bands, low)
    flat = seen._replace(low=np.zeros_like(seen.low))
    monkeypatch.setattr("grainpocket.core.listen.passages.activity.look", lambda *_: flat)
    other = moments(bands, low).odds
    np.testing.assert_array_equal(usual[:, [0, 2]], other[:, [0, 2]])
    assert (usual[:, 1] != other[:, 1]).any(), "only music is told by the low end"


def test_loudness_does_not_matter() -> None:
    loop = drum_loop(bars=2).samples[:, 0]
    low = chroma.lowered(loop, RATE)
    loud = moments(analyse(loop, RATE, float(np.abs(loop).max())), low)
    quiet = moments(analyse(loop / 50, RATE, float(np.abs(loop / 50).max())), low / 50)
    np.testing.assert_allclose(loud.odds, quiet.odds, atol=0.02)
