"""The program's own network; but for a draft, seen from both sides, and steadied by the filters where a bass lies.

How it was made, what it reaches and what it cannot do: docs/split-model.md.
"""

from __future__ import annotations

from pathlib import Path

import numpy as np

from grainpocket.core.split.base import SONG_PARTS
from grainpocket.core.split.contract import Description
from grainpocket.core.split.filters import FILTERS
from grainpocket.core.split.networks import Block, Network

MODEL = Path(__file__).parent / "models" / "learned.onnx"
DESCRIBED = Description(label="Learned", parts=SONG_PARTS, takes="spectrogram", size=4096, segment=260, multiple=2)
# The share of the filters in the mask of the bass.
FILTERED_BASS = 0.2


class Learned(Network):
    def __init__(self) -> None:
        super().__init__("learned", MODEL, DESCRIBED, (22.0, 8.0, 6.0))

    def told(self, spectrum: np.ndarray, quality: str) -> Block:
        masks = self.masks(spectrum, quality)
        if quality != "draft":
            # Left and right changed over is the same music to us, and other numbers to the network.
            masks = np.asarray((masks + self.masks(spectrum[::-1], quality)[:, ::-1]) / 2, np.float32)
            self._steady_the_bass(masks, spectrum)
        return masks

    def _steady_the_bass(self, masks: Block, spectrum: np.ndarray) -> None:
        """On instruments that it never heard the network takes low notes of all kinds for a bass, and a bass for none: a share of
        what the filters call one, by nothing but where it lies, is right more often."""
        said = FILTERS.masks(np.abs(spectrum).astype(np.float32), spectrum, DESCRIBED.rate)
        bass, drums, voice = (self.parts.index(part) for part in ("bass", "drums", "vocals"))
        masks[bass] *= np.float32(1 - FILTERED_BASS)
        # No more than the drums and the voice leave of it.
        masks[bass] += np.minimum(np.float32(FILTERED_BASS) * said["bass"], 1 - masks[drums] - masks[voice] - masks[bass])


LEARNED = Learned()
