"""What Listen knows of a record steers any engine: where surely nobody sings there is no voice, where nothing but drums sounds all
of it is drums. An engine sees some seconds; Listen has heard all of it, and was fitted on people."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.passages.activity import Moments
from grainpocket.core.sound.audio import Samples

DRUMS, VOCALS = "drums", "vocals"


@dataclass(frozen=True)
class _Gate:
    """column: of Moments.odds; odds: at which it is half open; wide: seconds round a sound through which it stays open; soft: over
    how many it opens and shuts."""

    column: int
    odds: float
    wide: float
    soft: float

    def curve(self, moments: Moments) -> NDArray[np.float32]:
        """(k,) 0..1, by moment."""
        # Here, because the web process, which only names engines, then starts sooner.
        from scipy.ndimage import maximum_filter1d, uniform_filter1d

        reach, slope = (2 * round(seconds / moments.seconds) + 1 for seconds in (self.wide, self.soft))
        odds = maximum_filter1d(moments.odds[:, self.column].astype(np.float64), reach)
        return np.asarray(uniform_filter1d(1 / (1 + np.exp(np.clip(self.odds - odds, -40, 40))), slope), np.float32)


# Shut only where it is sure: what is taken from a voice is heard at once, what leaks into it hardly.
_VOICE = _Gate(column=2, odds=-4.0, wide=1.0, soft=0.5)
_MUSIC = _Gate(column=1, odds=-3.0, wide=0.3, soft=0.1)


class Heard:
    def __init__(self, moments: Moments, start: int = 0) -> None:
        """start: the sample of the record at which what is taken apart begins."""
        self._start, self._seconds = start, moments.seconds
        self._voice, self._music = _VOICE.curve(moments), _MUSIC.curve(moments)

    def steer(self, found: Mapping[str, Samples], sound: Samples, first: int, rate: int) -> dict[str, Samples]:
        """The parts but the rest of `sound`, (n, 2), which begins at sample `first`, as they are by what was heard."""
        out = dict(found)
        if VOCALS in out:
            out[VOCALS] = out[VOCALS] * self._at(self._voice, first, len(sound), rate)
        if DRUMS not in out:
            return out
        music = self._at(self._music, first, len(sound), rate)
        voice = out.get(VOCALS, np.zeros_like(sound))
        out |= {part: piece * music for part, piece in out.items() if part not in (DRUMS, VOCALS)}
        out[DRUMS] = music * out[DRUMS] + (1 - music) * (sound - voice)
        return out

    def _at(self, curve: NDArray[np.float32], first: int, count: int, rate: int) -> Samples:
        places = (np.arange(count) + first + self._start) / rate
        centres = (np.arange(len(curve)) + 0.5) * self._seconds
        return np.interp(places, centres, curve).astype(np.float32)[:, None]
