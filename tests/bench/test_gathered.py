"""Drums gathered out of several kits."""

from __future__ import annotations

import numpy as np
import pytest

from bench.truth.kits import Gathered, Kit, OneShot
from bench.truth.synth import RATE
from tests.bench.test_sampler import kit
from tests.signals import DRUMS

NOTES = {36: "kick", 38: "snare", 42: "hat"}


def other(gain: float) -> Kit:
    """Other takes, with 5 ms before they begin, and a clap that the first kit lacks."""
    rng, lead = np.random.default_rng(2), np.zeros(int(0.005 * RATE))

    def shot(name: str) -> OneShot:
        wave = gain * np.concatenate((lead, DRUMS[name](rng)))
        return OneShot(np.repeat(wave[:, None], 2, axis=1).astype(np.float32), len(lead))

    return Kit("other", {n: [(110.0, [shot(name)])] for n, name in {**NOTES, 39: "snare"}.items()})


@pytest.mark.parametrize("seed", range(12))
def test_drums_of_others_are_as_loud_as_those_of_the_first_and_begin_when_they_say(seed: int) -> None:
    first, rng = kit(), np.random.default_rng(seed)
    gathered = Gathered([first, other(0.2), other(3.0)], rng)
    assert gathered.notes == first.notes
    for note in first.notes:
        loud = max(np.abs(take.sound).max() for _, takes in first.sounds[note] for take in takes)
        takes = [take for _, some in gathered.sounds[note] for take in some]
        assert max(np.abs(take.sound).max() for take in takes) == pytest.approx(loud, rel=0.03)
        for take in takes:
            before, after = np.abs(take.sound[: take.rise]), np.abs(take.sound[take.rise :])
            assert before.max(initial=0) < 0.05 * after.max()
            assert np.isfinite(take.sound).all()


def test_some_are_cut_short_and_out_of_several_kits() -> None:
    first, second = kit(), other(1.0)
    lengths, same = [], 0
    for seed in range(30):
        shot = Gathered([first, second], np.random.default_rng(seed)).hit(38, 110, np.random.default_rng(0))
        size = np.abs(shot.sound[shot.rise :, 0])
        lengths.append(float((np.arange(len(size)) * size).sum() / size.sum() / RATE))
        same += shot.rise > 0
    # Of both kits, and rung out over very different times.
    assert 5 < same < 28
    assert min(lengths) < 0.6 * np.median(lengths)
