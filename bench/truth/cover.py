"""How much else sounds under each drum hit of a song, from its parts."""

from __future__ import annotations

import numpy as np

from bench.truth.grooves import Song
from bench.truth.kits import ROLE
from bench.truth.synth import RATE

# The stretch after a hit that has to be clean for it to be of use.
RING_S = 0.15
# More than this, either way, is all the same.
CLEANEST_DB, DIRTIEST_DB = -60.0, 30.0


def cover(song: Song) -> dict[str, list[tuple[float, float]]]:
    """By role (kick, snare, hat): (seconds, decibels of all else over the drum itself in the next RING_S) of every hit."""
    everything = song.mix
    size = round(RING_S * RATE)
    out: dict[str, list[tuple[float, float]]] = {"kick": [], "snare": [], "hat": []}
    for at, note, _ in song.hits:
        role = ROLE.get(note, "perc")
        if role not in out:
            continue
        first = round(at * RATE)
        own = song.apart[role][first : first + size]
        other = everything[first : first + size] - own
        ratio = 10 * np.log10(
            (float(np.sum(other**2, dtype=np.float64)) + 1e-12) / (float(np.sum(own**2, dtype=np.float64)) + 1e-12)
        )
        out[role].append((at, float(np.clip(ratio, CLEANEST_DB, DIRTIEST_DB))))
    return out
