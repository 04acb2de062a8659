"""The null test: a pattern rebuilt from chops, less the record it was taken from."""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np

from grainpocket.core.mix.loop import Renderer, plan
from grainpocket.core.pocket import Pattern, Pocket
from grainpocket.core.rhythm.schedule import schedule
from grainpocket.core.shape.voice import Reader
from grainpocket.core.sound.audio import Samples, gain_of, stereo

SILENT_DB = -120.0


class NothingToCompare(Exception):
    """The pattern was not taken from a record; the message says what to do."""


@dataclass(frozen=True, eq=False)
class Null:
    """residue: (n, 2) float32, what is left; bars: decibels of it beside the record, bar by bar; total: of the whole."""

    residue: Samples
    bars: tuple[float, ...]
    total: float


def null_test(pocket: Pocket, pattern: Pattern, reader: Reader, renderer: Renderer) -> Null:
    """Render a pattern at the tempo it was played in and take the record away. Raises NothingToCompare.

    A record that is played from its first sample to its last goes round; of any other stretch one pass is compared.
    """
    played = pattern.played
    if played is None or played.source not in pocket.sources:
        raise NothingToCompare("This pattern was not taken from a find. Make one with Original rhythm, Split by drum or Repeat.")
    source = pocket.sources[played.source]
    own = pocket.model_copy(update={"tempo": played.bpm})
    # Swing and feel would move what stands where it was played; what is not struck each time is not the record's.
    each_time = tuple(hit for hit in pattern.hits if hit.when is None)
    over = Pattern(id=pattern.id, name=pattern.name, bars=pattern.bars, beats_per_bar=pattern.beats_per_bar)
    straight = over.model_copy(update={"hits": each_time, "played": played})
    whole = played.start == 0 and abs(played.end - source.frames) <= 1
    timed = schedule(own, straight, cyclic=whole)
    length = timed.length
    ours = renderer.loop(plan(timed)) if whole else renderer.passes(timed, timed, 1)[:length]
    ours = np.pad(ours, ((0, max(0, length - len(ours))), (0, 0)))
    record = stereo(reader.read(source.audio, played.start, played.start + length)) * gain_of(source.trim)
    residue = np.asarray(ours - record, np.float32)
    edges = np.round(np.linspace(0, length, pattern.bars + 1)).astype(int)
    bars = tuple(_residue_db(residue[a:b], record[a:b]) for a, b in itertools.pairwise(edges))
    return Null(residue, bars, _residue_db(residue, record))


def _residue_db(residue: Samples, record: Samples) -> float:
    left, all_of_it = float(np.sum(residue.astype(np.float64) ** 2)), float(np.sum(record.astype(np.float64) ** 2))
    if left == 0:
        return SILENT_DB
    return round(max(SILENT_DB, 10 * float(np.log10(left / max(all_of_it, 1e-12)))), 1)
