"""Fades at the edges of a voice.

A chop that starts in the open is faded so that it cannot click: the fade in lies before its start, over the record's own samples
there, so that the attack stays whole.
"""

from __future__ import annotations

import numpy as np

from grainpocket.core.sound.audio import Samples

# Without any sound before it to fade in over, a start is ramped over this many samples.
BARE_RAMP = 8


def fade_in(out: Samples, lead: int, real: int, joined: bool) -> None:
    """Silence the lead of (n, channels) but for a raised-cosine fade over the `real` samples before the hit."""
    out[: lead - real] = 0
    if joined:
        out[:lead] = 0
    elif real > 0:
        out[lead - real : lead] *= ramp(real)[:, None]
    else:
        bare = min(BARE_RAMP, len(out) - lead)
        out[lead : lead + bare] *= ramp(bare)[:, None]


def ramp(count: int) -> Samples:
    """(count, 1): raised cosine from just above 0 to just below 1; with its mirror image it sums to one."""
    x = (np.arange(count, dtype=np.float64) + 0.5) / count
    return np.asarray(0.5 - 0.5 * np.cos(np.pi * x), dtype=np.float32)
