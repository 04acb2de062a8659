"""The encoder that looks at all onsets of a record together."""

from __future__ import annotations

import numpy as np
import pytest

from grainpocket.core.listen.drums import templates
from grainpocket.core.listen.networks import attention
from grainpocket.core.listen.networks.attention import FASTEST, HEADS, MARGIN, SLOWEST, WINDOW, Attention, load, turned, turns

WIDTH, FEATURES, OUTPUTS = 16, 7, 3


@pytest.fixture
def net() -> Attention:
    """Two blocks of random weights."""
    rng = np.random.default_rng(4)

    def matrix(*shape: int) -> np.ndarray:
        return (rng.standard_normal(shape) * 0.4).astype(np.float32)

    arrays = {"mean": np.zeros(FEATURES, np.float32), "scale": np.ones(FEATURES, np.float32)}
    sizes = {"in": (FEATURES, WIDTH), "lift": (WIDTH, WIDTH), "out": (WIDTH, OUTPUTS)}
    for i in range(2):
        sizes |= {f"{i}.qkv": (WIDTH, 3 * WIDTH), f"{i}.mix": (WIDTH, WIDTH), f"{i}.up": (WIDTH, 32), f"{i}.down": (32, WIDTH)}
    for name, shape in sizes.items():
        arrays[f"{name}.weight"], arrays[f"{name}.bias"] = matrix(*shape), matrix(shape[1])
    for name in ("0.first", "0.second", "1.first", "1.second", "last"):
        arrays[f"{name}.weight"], arrays[f"{name}.bias"] = 1 + matrix(WIDTH), matrix(WIDTH)
    return Attention(arrays, 2)


def some(count: int) -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(count)
    return rng.standard_normal((count, FEATURES)).astype(np.float32), np.cumsum(rng.uniform(0.05, 0.4, count))


def test_turning_keeps_lengths_and_knows_only_differences() -> None:
    x = np.random.default_rng(1).standard_normal((2, 5, 8)).astype(np.float32)
    seconds = np.array([0.0, 0.3, 1.1, 7.0, 7.5])
    a = turned(x, turns(seconds, 8))
    assert np.allclose(np.linalg.norm(a, axis=-1), np.linalg.norm(x, axis=-1), atol=1e-4)
    later = turned(x, turns(seconds + 3.7, 8))
    assert np.allclose(a @ a.transpose(0, 2, 1), later @ later.transpose(0, 2, 1), atol=1e-3)
    cosine, _ = turns(np.array([1.0]), 8)
    assert np.allclose(cosine[0, [0, -1]], np.cos([SLOWEST, FASTEST]), atol=1e-5)


def test_a_record_sounds_the_same_later_and_each_onset_looks_at_all_others(net: Attention) -> None:
    x, seconds = some(40)
    out = net(x, seconds)
    assert out.shape == (40, OUTPUTS)
    assert np.allclose(out, net(x, seconds + 100), atol=2e-3), "when the record begins is all the same"
    other = x.copy()
    other[3] += 1
    assert np.abs(net(other, seconds)[30] - out[30]).max() > 1e-4
    assert np.abs(net(x, seconds * 1.3)[30] - out[30]).max() > 1e-4, "but not how far apart they are"
    assert net(x[:0], seconds[:0]).shape == (0, OUTPUTS)


def test_long_records_are_seen_through_a_window_that_moves(net: Attention) -> None:
    x, seconds = some(WINDOW + 500)
    out = net(x, seconds)
    assert len(out) == len(x)
    assert np.isfinite(out).all()
    # The first stretch has seen what it would see by itself, with a margin behind it.
    step = WINDOW - 2 * MARGIN
    first = net(x[: step + MARGIN], seconds[: step + MARGIN])[:step]
    assert np.allclose(out[:step], first, atol=2e-3)


def test_the_weights_that_ship_fit_the_features() -> None:
    weights = load("templates1.npz")
    assert weights.arrays["in.weight"].shape[0] == templates.INPUTS
    assert weights.arrays["out.bias"].shape == (len(templates.OUTPUTS),)
    assert weights.blocks >= 1
    assert weights.arrays["in.weight"].shape[1] % HEADS == 0


def test_gaps_are_those_before_and_after_and_end_far_away() -> None:
    table = np.exp(attention.inter_onset_intervals(np.array([1.0, 1.5, 1.505, 9.0])))
    assert np.allclose(table, [[2, 0.5], [0.5, 0.02], [0.02, 2], [2, 2]])
    assert attention.inter_onset_intervals(np.zeros(0)).shape == (0, 2)
    assert np.allclose(np.exp(attention.inter_onset_intervals(np.array([3.0]))), [[2, 2]])
