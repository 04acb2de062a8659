"""A document's chain of effects run over a whole sound, from silence to silence: what a pad's voice goes through."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from grainpocket.core.document.mixing import Effect as Record
from grainpocket.core.effects import EFFECTS
from grainpocket.core.effects.base import Controls, Effect, run, start_state
from grainpocket.core.sound.audio import Samples

Way = list[tuple[Effect, Controls]]
LONGEST_TAIL_S = 6.0


def way_of(chain: Iterable[Record], rate: int, beat_frames: float) -> Way:
    """The effects that are on, with their settings. Nothing is listened to but the sound itself."""
    there = [one for one in chain if one.on and one.kind in EFFECTS]

    def made(one: Record) -> tuple[Effect, Controls]:
        effect = EFFECTS[one.kind]
        known = effect.defaults()
        settings = {**known, **{name: value for name, value in one.settings.items() if name in known}}
        inside = tuple(made(other) for other in there if other.inside == one.id)
        return effect, Controls(settings, rate, beat_frames, inside=inside)

    return [made(one) for one in there if one.inside is None]


def tail_of(way: Way, rate: int) -> int:
    """Samples for which it rings on, at most."""
    return int(min(sum(effect.rings(controls) for effect, controls in way), LONGEST_TAIL_S * rate))


def through(way: Way, sound: Samples) -> Samples:
    """(n, 2) of (n, 2): not late, whatever the effects lag."""
    late = sum(effect.latency for effect, _ in way)
    out = np.concatenate((sound, np.zeros((late, 2), np.float32))) if late else sound.copy()
    for effect, controls in way:
        out = run(effect, out, controls, start_state(effect, controls.rate, controls))
    return out[late:]
