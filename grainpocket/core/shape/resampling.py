"""Reading a sound at a speed that changes: band-limited interpolation by a windowed sinc.

The window gets longer as the speed goes over one, so that what would fold back is taken away before (J. O. Smith, "Digital audio
resampling", CCRMA 2002). A speed that does not change is left to libsoxr.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from grainpocket.core.shape.curves import Row
from grainpocket.core.sound.audio import Samples

HALF, STEPS, BETA = 32, 512, 11.0
EDGE = 0.92  # of half the rate: where the pass band ends


def _table() -> Row:
    x = np.arange(HALF * STEPS + 2) / STEPS
    window = np.i0(BETA * np.sqrt(np.maximum(0.0, 1 - (x / HALF) ** 2))) / np.i0(BETA)
    return np.asarray(np.sinc(EDGE * x) * window * EDGE)


_SINC = _table()


def read_at(sound: Samples, places: Row, speeds: Row) -> Samples:
    """(n, channels) float32 of (m, channels): the sound at fractional samples; speeds: (n,) samples passed over at each. Beyond its
    ends the sound is silence."""
    out = np.zeros((len(places), sound.shape[1]), np.float32)
    _read(np.ascontiguousarray(sound, np.float32), places, np.maximum(speeds, 1.0), _SINC, out)
    return out


@njit(cache=True, nogil=True)
def _read(x, places, speeds, table, out):  # type: ignore[no-untyped-def]
    count, channels = x.shape
    for i in range(len(places)):
        scale = 1.0 / speeds[i]
        place = places[i]
        reach = HALF * speeds[i]
        first = max(0, int(np.ceil(place - reach)))
        last = min(count - 1, int(np.floor(place + reach)))
        step = scale * STEPS
        left, right = 0.0, 0.0
        for k in range(first, last + 1):
            far = abs(place - k) * step
            whole = int(far)
            weight = table[whole] + (table[whole + 1] - table[whole]) * (far - whole)
            left += x[k, 0] * weight
            right += x[k, channels - 1] * weight
        out[i, 0] = left * scale
        out[i, channels - 1] = right * scale
