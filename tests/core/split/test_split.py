"""Separation: spectra that come back, parts that add up, whatever comes in; and what the filters do to sounds of known kinds."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import median_filter

from grainpocket.core.sound.audio import Samples
from grainpocket.core.split.base import Quality, separate, streamed
from grainpocket.core.split.engines import ENGINES
from grainpocket.core.split.filters import FILTERS
from grainpocket.core.split.medians import along_frequency, along_time
from grainpocket.core.split.spectra import HOP, SIZE, frames_of, sound_of, spectra
from tests.signals import RATE, drum_loop


def noise(frames: int, channels: int = 2, seed: int = 1) -> Samples:
    return (0.3 * np.random.default_rng(seed).standard_normal((frames, channels))).astype(np.float32)


@pytest.mark.parametrize("length", [1, 100, HOP, SIZE, SIZE + 1, 50_000])
def test_spectra_come_back_to_the_samples(length: int) -> None:
    x = noise(length)
    spectrum = spectra(x)
    assert spectrum.shape == (2, frames_of(length), SIZE // 2 + 1)
    assert np.abs(sound_of(spectrum, length) - x).max() < 1e-5


@settings(max_examples=25, derandomize=True, deadline=None)
@given(st.integers(3, 60), st.integers(3, 40), st.sampled_from([3, 7, 17]))
def test_running_medians_are_medians(rows: int, columns: int, width: int) -> None:
    table = np.random.default_rng(rows * columns).random((rows, columns)).astype(np.float32)
    half = width // 2
    mine = along_time(table, width)
    for i in range(rows):
        assert mine[i] == pytest.approx(np.median(table[max(0, i - half) : i + half + 1], axis=0))
    inner = slice(half, max(half, columns - half))
    assert np.array_equal(along_frequency(table, width)[:, inner], median_filter(table, (1, width))[:, inner])


class Half:
    """An engine that takes half of everything; it tells what it was shown."""

    name, label = "half", "Half"
    parts: tuple[str, ...] = ("one", "rest")
    qualities: tuple[Quality, ...] = (Quality("draft", "Draft", 9.0), Quality("best", "Best", 1.0))
    context_s, light = 0.5, True

    def __init__(self) -> None:
        self.seen: list[tuple[int, str]] = []

    def window(self, sound: Samples, rate: int, quality: str) -> Mapping[str, Samples]:
        self.seen.append((len(sound), quality))
        return {"one": sound * np.float32(0.5)}


def test_a_long_record_goes_through_in_windows_without_a_seam() -> None:
    engine, x = Half(), noise(int(47.3 * RATE))
    told: list[float] = []
    made = separate(engine, x, RATE, progress=told.append)
    assert np.abs(made["one"] - 0.5 * x).max() < 1e-6
    assert np.abs(made["one"] + made["rest"] - x).max() < 1e-6
    assert max(frames for frames, _ in engine.seen) <= 22.1 * RATE
    assert {quality for _, quality in engine.seen} == {"best"}
    assert told == sorted(told)
    assert told[-1] == 1.0


def test_what_an_engine_has_not_is_refused_and_any_end_is_clean() -> None:
    with pytest.raises(KeyError, match="violin"):
        separate(Half(), noise(1000), RATE, ("violin",))
    with pytest.raises(KeyError, match="finest"):
        separate(Half(), noise(1000), RATE, quality="finest")

    def stop(share: float) -> None:
        raise InterruptedError

    with pytest.raises(InterruptedError):
        separate(Half(), noise(1000), RATE, progress=stop)


@pytest.mark.parametrize("name", sorted(ENGINES))
@pytest.mark.parametrize(("frames", "channels"), [(1, 2), (700, 1), (RATE, 2), (int(21.3 * RATE), 2)])
def test_parts_add_up_to_what_came_in(name: str, frames: int, channels: int) -> None:
    x = noise(frames, channels)
    made = separate(ENGINES[name], x, RATE)
    assert set(made) == set(ENGINES[name].parts)
    assert all(part.shape == (frames, 2) and np.isfinite(part).all() for part in made.values())
    assert np.abs(sum(made.values()) - np.broadcast_to(x, (frames, 2))).max() < 1e-4


@pytest.mark.parametrize("name", sorted(ENGINES))
def test_silence_is_silent_and_part_of_the_parts_is_the_same(name: str) -> None:
    engine = ENGINES[name]
    silent = separate(engine, np.zeros((RATE, 2), np.float32), RATE)
    assert all(not part.any() for part in silent.values())
    x = noise(RATE)
    whole = separate(engine, x, RATE)
    first = engine.parts[0]
    (block,) = streamed(engine, lambda a, b: x[a:b], len(x), RATE, (first,))
    assert np.array_equal(block[first], whole[first])


def db(part: Samples, beside: Samples) -> float:
    return 10 * float(np.log10(np.sum(np.square(part)) / np.sum(np.square(beside)) + 1e-12))


def test_drums_and_tones_part_by_filters() -> None:
    loop = drum_loop(bpm=100, bars=2)
    t = np.arange(len(loop.samples)) / RATE
    tone = sum(np.sin(2 * np.pi * hz * t) for hz in (330, 440, 554))[:, None] * np.array([0.12, 0.06])
    low = (0.25 * np.sin(2 * np.pi * 62 * t))[:, None].repeat(2, axis=1)
    made = separate(FILTERS, (loop.samples * 0.5 + tone + low).astype(np.float32), RATE)
    assert db(made["drums"] - 0.5 * loop.samples, 0.5 * loop.samples) < -2.5
    assert db(made["bass"] - low, low) < -8
    rest = made["other"] + made["vocals"]
    assert db(rest - tone, tone) < -6


def test_a_mono_record_has_no_middle_to_take_a_voice_from() -> None:
    x = noise(2 * RATE, 1)
    assert not separate(FILTERS, x, RATE)["vocals"].any()
