"""What in a record is worth taking, by its bars: passages, clean hits, loops."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.drums.clean_hits import CleanHit, clean_hits, soft_masks
from grainpocket.core.listen.harmony.chroma import Chroma
from grainpocket.core.listen.onsets.onset import Onsets
from grainpocket.core.listen.passages.activity import Moments
from grainpocket.core.listen.passages.loops import GoodLoop, good_loops
from grainpocket.core.listen.passages.passages import SURE, Passage, at_the_ends, audible, bar_edges, half_bars, passages, present
from grainpocket.core.listen.spectra.bands import Bands, Progress, no_progress
from grainpocket.core.listen.tempo.candidates import Tempo
from grainpocket.core.listen.tempo.grids import beat_places, found_grid
from grainpocket.core.pocket import Grid
from grainpocket.core.sound.audio import Samples

# A hit this little before a bar line belongs to the bar.
BAR_SLIP_S = 0.02
Lines = NDArray[np.float64]


@dataclass(frozen=True)
class Worth:
    """passages: in the order of the record; hits: by drum, cleanest first; loops: best first."""

    passages: tuple[Passage, ...]
    hits: tuple[CleanHit, ...]
    loops: tuple[GoodLoop, ...]


NOTHING = Worth((), (), ())


def found_lines(tempi: Sequence[Tempo], frames: int, rate: int) -> tuple[Lines, bool]:
    """(seconds of the bar lines of the first tempo, whether the recording is a trimmed loop of them)."""
    return grid_lines(found_grid(tempi[0]) if tempi else None, frames, rate)


def grid_lines(grid: Grid | None, frames: int, rate: int) -> tuple[Lines, bool]:
    """The same of a grid; none without one."""
    if grid is None:
        return np.zeros(0), False
    beats, bars = beat_places(grid, frames, rate)
    return beats[bars] / rate, grid.bars is not None


def worth_taking(
    bands: Bands,
    notes: Chroma | None,
    onsets: Onsets,
    told: Moments,
    lines: Lines,
    trimmed: bool,
    samples: Samples,
    progress: Progress = no_progress,
) -> Worth:
    """samples: (n,) mono. told: what sounds from moment to moment; lines: seconds of the bar lines, none where there are no
    bars; trimmed: whether the recording is a loop of whole bars."""
    rate, seconds = bands.rate, len(samples) / bands.rate
    ends = np.append(lines, seconds) if trimmed else lines
    edges = bar_edges(half_bars(ends), seconds)
    heard, closer = audible(bands, edges), soft_masks(samples, onsets)
    sounding = present(bands, notes, onsets, told, edges, bar_edges(ends, seconds))
    sounding = at_the_ends(sounding, heard, edges, SURE["bare drums"], closer.music)
    bar = np.clip(np.searchsorted(edges, onsets.seconds + BAR_SLIP_S, "right") - 1, 0, len(sounding) - 1)
    progress(0.45)
    found = tuple(passages(sounding, heard, edges, rate, len(ends) > 1))
    progress(0.5)
    clean = tuple(clean_hits(bands, samples, onsets, sounding[bar], closer))
    progress(0.9)
    return Worth(found, clean, tuple(good_loops(bands, ends, rate, trimmed)))
