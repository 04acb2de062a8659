"""Kits that play every drum the same each time, as samplers do."""

from __future__ import annotations

import numpy as np
import pytest

from bench.truth.breaks import make_break
from bench.truth.kits import Kit, OneShot, Sampler
from tests.signals import DRUMS


def kit() -> Kit:
    """Three loudnesses of each drum, four takes each."""
    notes = {36: "kick", 38: "snare", 42: "hat"}
    rng = np.random.default_rng(1)

    def take(name: str, at: float) -> OneShot:
        return OneShot(np.repeat((DRUMS[name](rng) * at / 127)[:, None], 2, axis=1).astype(np.float32), 0)

    return Kit("test", {n: [(at, [take(name, at) for _ in range(4)]) for at in (30.0, 70.0, 110.0)] for n, name in notes.items()})


@pytest.mark.parametrize("seed", range(6))
def test_a_sampler_plays_the_same_take_each_time(seed: int) -> None:
    rng = np.random.default_rng(seed)
    sampler = Sampler(kit(), rng)
    assert sampler.notes == [36, 38, 42]
    for note in sampler.notes:
        first, again = (sampler.hit(note, 100, rng).sound for _ in range(2))
        assert np.array_equal(first, again)


def test_half_of_them_have_but_one_take_soft_or_loud() -> None:
    single = []
    for seed in range(40):
        rng = np.random.default_rng(seed)
        sampler = Sampler(kit(), rng)
        soft, loud = sampler.hit(38, 30, rng).sound[:, 0], sampler.hit(38, 120, rng).sound[:, 0]
        alike = float(soft @ loud / np.sqrt((soft @ soft) * (loud @ loud)))
        # Another take is other noise over the same tone.
        single.append(alike > 0.9999)
        assert np.abs(soft).max() < np.abs(loud).max()
    assert 10 < sum(single) < 30


def test_breaks_without_samplers_are_what_they_were() -> None:
    one, other = (make_break([kit()], np.random.default_rng(3), "clean", plain=True, sampled=s) for s in (False, True))
    again = make_break([kit()], np.random.default_rng(3), "clean", plain=True)
    assert np.array_equal(one.sound, again.sound)
    assert one.hits == again.hits
    assert not np.array_equal(one.sound[: len(other.sound)], other.sound[: len(one.sound)])
