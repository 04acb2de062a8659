"""More than two channels to stereo by the coefficients of ITU-R BS.775-4, annex 4, table 2.

Centre and surrounds enter at -3 dB, the low-frequency channel is left out. No overall scaling: the store keeps
float samples, so nothing clips, and the level of the front pair stays what it was. Channels are taken in the order of
the WAVE_FORMAT_EXTENSIBLE speaker mask, which FLAC and Ogg decoders in libsndfile deliver as well.
"""

from __future__ import annotations

import numpy as np

from grainpocket.core.sound.audio import BadAudio, Samples

MOST_CHANNELS = 8
_M3 = 2.0**-0.5
# One row an input channel: (to left, to right).
_L, _R, _C, _LFE = (1.0, 0.0), (0.0, 1.0), (_M3, _M3), (0.0, 0.0)
_SL, _SR, _SC = (_M3, 0.0), (0.0, _M3), (0.5, 0.5)
_LAYOUTS: dict[int, tuple[tuple[float, float], ...]] = {
    3: (_L, _R, _C),
    4: (_L, _R, _SL, _SR),
    5: (_L, _R, _C, _SL, _SR),
    6: (_L, _R, _C, _LFE, _SL, _SR),
    7: (_L, _R, _C, _LFE, _SC, _SL, _SR),
    8: (_L, _R, _C, _LFE, _SL, _SR, _SL, _SR),
}


def matrix(channels: int) -> Samples:
    """(channels, 2) float32 matrix from `channels` inputs to left and right; 3 to 8 channels.

    Raises BadAudio for any other count.
    """
    if channels not in _LAYOUTS:
        raise BadAudio(f"The file has {channels} channels; Grain Pocket reads 1 to {MOST_CHANNELS}.")
    return np.array(_LAYOUTS[channels], dtype=np.float32)


def downmix(samples: Samples) -> Samples:
    """(n, channels) -> (n, 1 or 2). One and two channels pass unchanged."""
    if samples.shape[1] <= 2:
        return samples
    return np.asarray(samples @ matrix(samples.shape[1]), dtype=np.float32)
