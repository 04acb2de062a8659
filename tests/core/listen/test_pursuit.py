"""An onset taken apart into the recording's own hits."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.typing import NDArray

from grainpocket.core.listen.drums import pursuit
from grainpocket.core.listen.onsets.classifier import ROLES
from tests.machine import NAMES, roles_of, tape
from tests.signals import RATE

LEFT, WITHOUT, SHARE, GAIN, ATOMS = 0, slice(1, 4), slice(4, 7), slice(7, 10), slice(10, 13)
PLAIN = [(0.2 + 0.25 * i, NAMES[i % 3], 0.8 - 0.05 * (i % 4)) for i in range(12)]


def apart(extra: list[tuple[float, str, float]], shown: str) -> NDArray[np.float32]:
    """Of the last onset, which is said to be `shown` alone."""
    samples, at = tape([*PLAIN, *extra])
    roles = roles_of(*(name for _, name, _ in PLAIN), shown)
    return pursuit.pursue(samples, RATE, at, np.full(len(at), 0.95, np.float32), roles)[-1]


def test_a_hit_less_its_like_leaves_nothing() -> None:
    found = apart([(3.5, "kick", 0.6)], "kick")
    assert found[LEFT] * 20 < -20
    without = found[WITHOUT] * 10
    assert without[0] > 10
    assert np.abs(without[1:]).max() < 1


@pytest.mark.parametrize("over", ["kick", "hat"])
@pytest.mark.parametrize("late_ms", [0.0, 3.0])
def test_what_lies_twenty_decibels_under_a_hit_is_seen(over: str, late_ms: float) -> None:
    alone = apart([(3.5, over, 0.6)], over)
    under = apart([(3.5, over, 0.6), (3.5 + late_ms / 1000, "snare", 0.06)], over) if not late_ms else layered(over, late_ms)
    assert alone[WITHOUT][1] * 10 < 0.5
    assert under[WITHOUT][1] * 10 > 2
    # How loud it is beside the snares that stand alone: 0.06 of some 0.7.
    assert under[GAIN][1] * 40 == pytest.approx(20 * np.log10(0.06 / 0.72), abs=3)


def layered(over: str, late_ms: float) -> NDArray[np.float32]:
    """Two sounds a few milliseconds apart are one onset."""
    samples, _ = tape([*PLAIN, (3.5, over, 0.6), (3.5 + late_ms / 1000, "snare", 0.06)])
    at = np.round(np.array([t for t, _, _ in PLAIN] + [3.5]) * RATE).astype(np.int64)
    roles = roles_of(*(name for _, name, _ in PLAIN), over)
    return pursuit.pursue(samples, RATE, at, np.full(len(at), 0.95, np.float32), roles)[-1]


def test_loudness_of_the_record_does_not_matter() -> None:
    samples, at = tape([*PLAIN, (3.5, "kick", 0.6)])
    roles = roles_of(*(name for _, name, _ in PLAIN), "kick")
    likely = np.full(len(at), 0.95, np.float32)
    loud, soft = (pursuit.pursue(samples * gain, RATE, at, likely, roles) for gain in (np.float32(1), np.float32(0.1)))
    assert np.allclose(loud, soft, atol=0.02)


def test_where_no_drum_stands_alone_it_says_nothing() -> None:
    samples, at = tape(PLAIN)
    none = np.full((len(at), len(ROLES)), 0.1, np.float32)
    assert not pursuit.pursue(samples, RATE, at, np.full(len(at), 0.95, np.float32), none).any()
    few = pursuit.pursue(samples, RATE, at[:0], np.zeros(0, np.float32), none[:0])
    assert few.shape == (0, pursuit.FEATURES)


def test_silence_and_edges_are_borne() -> None:
    at = np.array([0, 100, 4000, 9999], np.int64)
    found = pursuit.pursue(np.zeros(10000, np.float32), RATE, at, np.ones(4, np.float32), roles_of("kick", "kick", "snare", "hat"))
    assert np.isfinite(found).all()


def test_many_onsets_are_as_few() -> None:
    hits = [(0.2 + 0.2 * i, NAMES[i % 3], 0.5 + 0.03 * (i % 7)) for i in range(60)]
    samples, at = tape(hits)
    roles, likely = roles_of(*(name for _, name, _ in hits)), np.linspace(0.9, 0.99, len(at)).astype(np.float32)
    whole = pursuit.pursue(samples, RATE, at, likely, roles)
    block, pursuit._BLOCK = pursuit._BLOCK, 16
    try:
        assert np.allclose(pursuit.pursue(samples, RATE, at, likely, roles), whole, atol=1e-4)
    finally:
        pursuit._BLOCK = block


def test_a_whole_record_is_not_taken_apart() -> None:
    samples, _ = tape(PLAIN)
    many = np.sort(np.random.default_rng(2).integers(0, len(samples), pursuit.MOST + 1))
    roles = roles_of(*["kick"] * len(many))
    assert not pursuit.pursue(samples, RATE, many, np.ones(len(many), np.float32), roles).any()
    assert pursuit.pursue(samples, RATE, many[1:], np.ones(len(many) - 1, np.float32), roles[1:]).any()


@pytest.mark.parametrize("rate", [22050, 48000, 96000])
def test_the_rate_of_the_record_does_not_matter(rate: int) -> None:
    import soxr

    samples, at = tape([*PLAIN, (3.5, "kick", 0.6)])
    roles, likely = roles_of(*(name for _, name, _ in PLAIN), "kick"), np.full(len(at), 0.95, np.float32)
    plain = pursuit.pursue(samples, RATE, at, likely, roles)
    other = pursuit.pursue(soxr.resample(samples, RATE, rate), rate, np.round(at * rate / RATE).astype(np.int64), likely, roles)
    assert np.abs(plain - other)[:, WITHOUT].mean() < 0.15


def test_what_whitening_leaves_has_a_flat_spectrum() -> None:
    rng = np.random.default_rng(4)
    red = np.convolve(rng.standard_normal(RATE * 2), 0.97 ** np.arange(300), "same").astype(np.float32)

    def flatness(x: NDArray[np.float32]) -> float:
        power = np.abs(np.fft.rfft(x[: len(x) // 512 * 512].reshape(-1, 512), axis=1)[:, 4:-20]) ** 2
        mean = power.mean(axis=0)
        return float(np.exp(np.log(mean).mean()) / mean.mean())

    assert flatness(red) < 0.6
    assert flatness(pursuit.whitened(red, RATE)) > 0.9
