"""All that analysis found in one source, as one value that can be stored."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from grainpocket.core.listen.onsets import Onsets, Progress, detect, no_progress
from grainpocket.core.listen.tempo import Tempo, candidates
from grainpocket.core.sound.audio import Samples, db_of

VERSION = "1"
BEGIN_SHARE = 0.01
# Strengths between these are reached by the sensitivity control; below the lower one is noise.
_LEAST_SENSITIVE, _SPAN = 0.9, 3.0


@dataclass(frozen=True)
class Hearing:
    """frames, rate: of the source; onsets: every transient worth a look; tempi: ranked; peak_db: dBFS of the largest
    sample (-inf for silence is stored as None); begin: where sound first rises over -40 dB of the peak (0 for silence)."""

    frames: int
    rate: int
    onsets: Onsets
    tempi: tuple[Tempo, ...]
    peak_db: float | None
    begin: int = 0

    def to_json(self) -> dict[str, Any]:
        return {
            "version": VERSION,
            "frames": self.frames,
            "rate": self.rate,
            "at": self.onsets.at.tolist(),
            "strength": [round(float(s), 4) for s in self.onsets.strength],
            "tempi": [asdict(t) for t in self.tempi],
            "peak_db": self.peak_db,
            "begin": self.begin,
        }

    @staticmethod
    def from_json(data: dict[str, Any]) -> Hearing:
        onsets = Onsets(np.array(data["at"], np.int64), np.array(data["strength"], np.float32), data["rate"])
        return Hearing(
            data["frames"], data["rate"], onsets, tuple(Tempo(**t) for t in data["tempi"]), data["peak_db"], data["begin"]
        )


def hear(samples: Samples, rate: int, progress: Progress = no_progress) -> Hearing:
    """Analyse (n,) float32 mono. progress(share 0..1) is called as it goes; what it raises ends the analysis."""
    onsets = detect(samples, rate, progress)
    clear = onsets.strength >= threshold(0.5)
    tempi = candidates(Onsets(onsets.at[clear], onsets.strength[clear], rate), len(samples))
    loudest = float(np.abs(samples).max()) if len(samples) else 0.0
    begin = int(np.argmax(np.abs(samples) > BEGIN_SHARE * loudest)) if loudest else 0
    return Hearing(len(samples), rate, onsets, tuple(tempi), round(db_of(loudest), 2) if loudest else None, begin)


def threshold(sensitivity: float) -> float:
    """The strength a transient needs at a sensitivity of 0 (only the hardest hits) to 1 (everything)."""
    return float(_LEAST_SENSITIVE * np.exp(-_SPAN * sensitivity))
