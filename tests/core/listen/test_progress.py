"""An analysis tells how far it is all the way to its end."""

from __future__ import annotations

import numpy as np

from grainpocket.core.listen.hearing import hear
from tests.signals import RATE, drum_loop


def test_progress_goes_on_to_the_end_in_small_steps() -> None:
    told = [0.0]
    hear(drum_loop(bpm=100, bars=4).samples.mean(axis=1), RATE, told.append)
    steps = np.diff(told)
    assert (steps >= 0).all()
    assert steps.max() < 0.35
    assert told[-1] == 1.0
