"""What sounds in each bar of a song, and how much else sounds under each drum hit, from its parts."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from bench.truth.kits import ROLE
from bench.truth.synth import RATE, Wave

# The stretch after a hit that has to be clean for it to be of use.
RING_S = 0.15
# More than this, either way, is all the same.
CLEANEST_DB, DIRTIEST_DB = -60.0, 30.0
# A part this far under the whole is not there; this near, it is; between, who can say.
ABSENT_DB, PRESENT_DB = -42.0, -30.0
# A part that is muted while its last notes ring: over this it is still there, under that it no longer is.
RINGS_DB, RUNG_DB = -15.0, -25.0
# A bar this far under the loudest is silence.
SILENT_DB = -60.0
Truth = NDArray[np.int8]
Span = Sequence[float]


def cover(
    hits: Sequence[tuple[float, int, int]], apart: Mapping[str, Wave], under: Mapping[str, Wave]
) -> dict[str, list[tuple[float, float]]]:
    """By role (kick, snare, hat): (seconds, decibels of what is `under` it over the drum itself in the next RING_S) of every
    hit. apart: the drums by role."""
    size = round(RING_S * RATE)
    out: dict[str, list[tuple[float, float]]] = {"kick": [], "snare": [], "hat": []}
    for at, note, _ in hits:
        role = ROLE.get(note, "perc")
        if role not in out:
            continue
        first = round(at * RATE)
        own = apart[role][first : first + size]
        other = under[role][first : first + size]
        ratio = 10 * np.log10((_energy(other) + 1e-12) / (_energy(own) + 1e-12))
        out[role].append((at, float(np.clip(ratio, CLEANEST_DB, DIRTIEST_DB))))
    return out


def all_else(apart: Mapping[str, Wave], everything: Wave) -> dict[str, Wave]:
    """By role: what sounds beside that drum, other drums among it. apart: the drums as they sound in `everything`."""
    return {role: np.asarray(everything - part, np.float32) for role, part in apart.items()}


def _energy(sound: Wave) -> float:
    return float(np.sum(sound**2, dtype=np.float64))


def sounding(groups: Sequence[Wave], edges: NDArray[np.float64], mutes: Sequence[Sequence[Span]]) -> Truth:
    """(k, groups): whether each group of parts sounds between edges (k + 1 seconds): 1 yes, 0 no, -1 who can say. mutes: of
    each group, the spans in which nothing of it begins, though its last notes may still ring: while they are loud, it sounds."""
    apart = [_energies(g, edges) for g in groups]
    all_of_it = np.sum(apart, axis=0)
    # Where nothing sounds at all, nothing sounds.
    all_of_it = all_of_it + 10 ** (SILENT_DB / 10) * all_of_it.max() + 1e-9
    out = np.full((len(edges) - 1, len(groups)), -1, np.int8)
    middle = (edges[1:] + edges[:-1]) / 2
    for i, (own, spans) in enumerate(zip(apart, mutes, strict=True)):
        db = 10 * np.log10((own + 1e-12) / all_of_it)
        out[db > PRESENT_DB, i] = 1
        out[db < ABSENT_DB, i] = 0
        for a, b in spans:
            inside = (middle > a) & (middle < b)
            settled = inside & (edges[:-1] > a - 0.1) & (edges[1:] < b + 0.1)
            out[inside & (~settled | (db < RINGS_DB)), i] = -1
            out[settled & (db < RUNG_DB), i] = 0
    return out


def _energies(part: Wave, edges: NDArray[np.float64]) -> NDArray[np.float64]:
    total = np.concatenate(([0.0], np.cumsum((part.astype(np.float64) ** 2).sum(axis=1))))
    place = np.clip(np.round(edges * RATE).astype(int), 0, len(part))
    return np.asarray(np.diff(total[place]))
