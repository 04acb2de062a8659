"""The drive of a voice: a soft bend, twice oversampled, quick enough to follow a hand.

The line is x / sqrt(1 + x²), whose antiderivative has a closed form, so that antialiasing by it costs a root a sample and has no
gap where two samples are equal (Parker, Zavalishin & Le Bivic, DAFx 2016).
"""

from __future__ import annotations

import numpy as np
from numba import njit

from grainpocket.core.shape.curves import Row
from grainpocket.core.sound.audio import Samples

TAPS = 47  # of the half-band filter; (TAPS + 1) / 4 is odd-phase symmetric
LATE = (TAPS - 1) // 2  # fine samples each way, so LATE samples in all


def _half_band() -> Row:
    """The taps between the whole samples; those on them are zero but for the middle one."""
    n = np.arange(TAPS) - LATE
    taps = np.sinc(n / 2) * np.kaiser(TAPS, 9.0)
    return np.asarray(taps[LATE % 2 ^ 1 :: 2] / taps[LATE % 2 ^ 1 :: 2].sum())


_ODD = _half_band()


def driven(sound: Samples, drive_db: Row) -> Samples:
    """(n, 2) float32 into the bend by so many decibels, (n,), half of which are taken back behind it."""
    gain = 10 ** (drive_db / 20)
    out = np.empty((len(sound), sound.shape[1]), np.float32)
    _drive(np.ascontiguousarray(sound), gain, _ODD, out)
    return out


@njit(cache=True, nogil=True)
def _drive(x, gain, odd, out):  # type: ignore[no-untyped-def]
    frames, channels = x.shape
    taps = len(odd)
    reach = taps // 2  # they are alike from both ends
    # With silence on both sides, so that no sum has to look where it is.
    came = np.zeros(frames + 2 * taps)
    between = np.zeros(frames + 2 * taps)
    for c in range(channels):
        for i in range(frames):
            came[taps + i] = x[i, c]
        before, root = 0.0, 1.0
        for i in range(frames):
            first = taps + i - reach + 1
            total = 0.0
            for k in range(reach):
                total += odd[k] * (came[first + k] + came[first + taps - 1 - k])
            value = came[taps + i] * gain[i]
            new = np.sqrt(1.0 + value * value)
            out[i, c] = (value + before) / (new + root)
            before, root = value, new
            value = total * gain[i]
            new = np.sqrt(1.0 + value * value)
            between[taps + i] = (value + before) / (new + root)
            before, root = value, new
        for i in range(frames):
            first = taps + i - reach
            total = 0.0
            for k in range(reach):
                total += odd[k] * (between[first + k] + between[first + taps - 1 - k])
            out[i, c] = 0.5 * (out[i, c] + total) / np.sqrt(gain[i])
