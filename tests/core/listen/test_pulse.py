"""The pulse: tempo to a hundredth of a per cent where it is steady, and followed where it drifts."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from grainpocket.core.listen.tempo import pulse


def performance(bpm: float, beats: int, seed: int, wander: float = 0.0) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """(seconds of hits on beats and some of their parts, their weights, seconds of the beats themselves)."""
    rng = np.random.default_rng(seed)
    quarter = np.arange(beats * 4 + 1) / 4
    tempo = wander * np.sin(quarter / 40 + seed)
    at = np.concatenate(([0], np.cumsum(0.25 * np.exp(tempo[:-1])))) * 60 / bpm + 0.3
    likely = np.where(np.arange(len(at)) % 4 == 0, 0.95, np.where(np.arange(len(at)) % 2 == 0, 0.6, 0.2))
    played = rng.random(len(at)) < likely
    t = np.sort(at[played] + rng.normal(0, 0.003, played.sum()))
    return t, np.ones(len(t)), at[::4]


@settings(max_examples=25)
@given(bpm=st.floats(55, 195), seed=st.integers(0, 999))
def test_a_steady_tempo_is_found_to_a_thousandth(bpm: float, seed: int) -> None:
    t, w, _ = performance(bpm, 96, seed)
    found = pulse.tempi(t, w)
    assert min(abs(b / bpm - 1) for b in found) < 0.01
    beat = pulse.follow(t, w, min(found, key=lambda b: abs(b / bpm - 1)), float(t[-1]) + 0.5)
    assert beat.steady
    assert abs(beat.bpm / bpm - 1) < 0.001


@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize("guess", [0.9985, 1.0, 1.0012])
def test_even_hits_that_cancel_on_the_beat_still_tell_its_tempo(seed: int, guess: float) -> None:
    # A hit on every quarter of the beat: on the beat and its half they cancel, and what is left there is chance.
    rng = np.random.default_rng(seed)
    beats = np.arange(64) * 60 / 86 + 0.2
    t = (beats[:, None] + np.arange(4) * 15 / 86).ravel()
    t, w = t + rng.normal(0, 0.001, len(t)), np.ones(len(t)) + rng.uniform(0, 0.1, len(t))
    beat = pulse.align(pulse.follow(t, w, 86 * guess, float(t[-1]) + 0.5), t, w)
    assert beat.steady
    assert abs(beat.bpm / 86 - 1) < 1e-4
    quarters = np.round(beat.at(beats) * 4) / 4
    assert np.abs(beat.when(quarters) - beats).max() < 0.004


@pytest.mark.parametrize("seed", range(4))
def test_a_drifting_beat_is_followed(seed: int) -> None:
    t, w, beats = performance(95, 160, seed, wander=0.025)
    beat = pulse.align(pulse.follow(t, w, 95.0, float(t[-1]) + 0.5), t, w)
    assert not beat.steady
    assert beat.rough > 0.05, "seconds that a constant tempo would be off by"
    # Which half of the beat is the beat, the pulse alone does not say: that is the metre's to judge.
    half = beat.scaled(2).at(beats)
    miss = (half - np.round(half)) / 2
    assert np.sqrt((miss**2).mean()) * 60 / 95 < 0.010


def test_places_and_times_are_inverse() -> None:
    t, w, _ = performance(120, 60, 1, wander=0.02)
    beat = pulse.follow(t, w, 120.0, float(t[-1]))
    seconds = np.linspace(-3, float(t[-1]) + 3, 400)
    np.testing.assert_allclose(beat.when(beat.at(seconds)), seconds, atol=1e-9)
    np.testing.assert_allclose(beat.scaled(2).at(seconds), 2 * beat.at(seconds))
    np.testing.assert_allclose(beat.shifted(1.5).at(seconds), beat.at(seconds) - 1.5)


def test_align_moves_beats_onto_the_onsets_next_to_them() -> None:
    ends = np.array([0.0, 30.0])
    beat = pulse.Beat(ends, ends * 2 + 0.04, 0.0, True)
    t = np.arange(0, 30, 0.5)
    aligned = pulse.align(beat, t, np.ones(len(t)))
    np.testing.assert_allclose(aligned.at(t) - np.round(aligned.at(t)), 0, atol=1e-9)


def test_half_and_double_are_offered() -> None:
    t, w, _ = performance(100, 96, 3)
    found = pulse.tempi(t, w)
    for ratio in (0.5, 1.0, 2.0):
        assert min(abs(b / (100 * ratio) - 1) for b in found) < 0.01
