"""What the classifiers say together, and which onsets show a drum by itself."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from grainpocket.core.listen.networks.dense import logits
from grainpocket.core.listen.onsets.candidates import candidates
from grainpocket.core.listen.onsets.classifier import NETWORKS, ROLES, alone, classify, features, networks
from grainpocket.core.listen.spectra.bands import analyse
from tests.signals import DRUMS, RATE

CHANCES = st.floats(0, 1, width=32)


def test_the_surest_come_first_and_what_is_layered_stays_out() -> None:
    likely = np.array([0.9, 0.9, 0.9, 0.2, 0.95], np.float32)
    roles = np.array([[0.9, 0.05], [0.9, 0.9], [0.6, 0.1], [0.99, 0.0], [0.95, 0.02]], np.float32)
    assert alone(likely, roles, 0, 8, 0.3).tolist() == [4, 0, 2]
    assert alone(likely, roles, 0, 2, 0.3).tolist() == [4, 0]
    assert alone(likely, roles, 1, 8, 0.3).tolist() == []


@given(arrays(np.float32, 12, elements=CHANCES), arrays(np.float32, (12, len(ROLES)), elements=CHANCES), st.integers(0, 5))
def test_none_is_said_to_be_alone_that_is_likelier_something_else(likely: np.ndarray, roles: np.ndarray, role: int) -> None:
    for k in alone(likely, roles, role, 12, 0.3).tolist():
        assert likely[k] > 0.3
        assert roles[k, role] > 0.3
        assert np.delete(roles[k], role).max() < 0.7


def test_several_judges_count_as_the_mean_of_their_odds() -> None:
    rng = np.random.default_rng(1)
    sound = (1e-4 * rng.standard_normal(3 * RATE)).astype(np.float32)
    for k, name in enumerate(("kick", "snare", "hat", "snare", "hat")):
        hit = DRUMS[name](rng)
        first = round((0.2 + 0.5 * k) * RATE)
        sound[first : first + len(hit)] += 0.4 * hit[: len(sound) - first]
    bands = analyse(sound, RATE, float(np.abs(sound).max()))
    frames, heights = candidates(bands, len(sound))
    said = logits(classify(bands, frames, heights))
    apart = np.stack([network(features(bands, frames, heights)) for network in networks()])
    assert len(apart) == len(NETWORKS) > 1
    within = np.abs(said) < 6
    assert within.sum() > 5, "not all so sure that their odds are cut off"
    np.testing.assert_allclose(said[within], apart.mean(axis=0)[within], atol=0.02)
    assert np.ptp(apart, axis=0)[within].max() > 0.5, "they do not all say the same"
