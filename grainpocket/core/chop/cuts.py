"""Cuts and the slices between them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.hearing import Hearing, threshold
from grainpocket.core.listen.roles import roles_at
from grainpocket.core.pocket import Chop, Cut, Role, Source

# Closer than this two cuts are one: less than 2 ms at 44.1 kHz makes no slice worth playing.
LEAST_SLICE = 64
# A loop whose first hit comes within this is cut at its very first sample, so that nothing of it is lost.
SNAP_TO_START_S = 0.006
LONGEST_HEAD_S = 0.08


def transient_cuts(hearing: Hearing, sensitivity: float) -> NDArray[np.int64]:
    """Sample positions to cut at; sensitivity in percent, 0..100."""
    at = hearing.onsets.above(threshold(sensitivity / 100.0))
    if hearing.peak_db is not None and (not len(at) or at[0] > hearing.begin + hearing.rate * LONGEST_HEAD_S):
        # What sounds before the first transient, or has none at all, like a held note, is a slice too.
        at = np.concatenate(([max(0, hearing.begin - LEAST_SLICE)], at)).astype(np.int64)
    if len(at) and at[0] <= hearing.rate * SNAP_TO_START_S:
        at = at.copy()
        at[0] = 0
    return at


def transient_roles(hearing: Hearing, at: NDArray[np.int64]) -> list[Role | None]:
    """What begins at each of the cuts that `transient_cuts` gave."""
    return roles_at(hearing.onsets, at, round(hearing.rate * LONGEST_HEAD_S))


def slices(source: Source, only: Iterable[str] | None = None) -> list[Chop]:
    """The slices of a source in order, or those whose cut ids are given. Raises KeyError for an id it has not."""
    ends = [cut.at for cut in source.cuts[1:]] + [source.frames]
    all_of_them = [
        Chop(source=source.id, start=cut.at, end=end, cut=cut.id)
        for cut, end in zip(source.cuts, ends, strict=True)
        if end > cut.at
    ]
    if only is None:
        return all_of_them
    by_cut = {chop.cut: chop for chop in all_of_them}
    return [by_cut[cut] for cut in only]


def recut(
    old: Sequence[Cut], at: NDArray[np.int64], roles: Sequence[Role | None], new_ids: Iterable[str], keep_hand: bool = True
) -> tuple[Cut, ...]:
    """Cuts at the given positions, each with what analysis says begins there. One that stands where an old one stood keeps
    its id, name and role; cuts made, moved or named by hand stay (unless told otherwise) and push aside new ones closer
    than the shortest slice."""
    kept = [c for c in old if keep_hand and (c.by == "hand" or c.name or (c.role and c.role_by == "hand"))]
    places = np.array([c.at for c in kept], np.int64)
    by_place = {c.at: c for c in old}
    ids = iter(new_ids)
    out = list(kept)
    for place, role in zip(at.tolist(), roles, strict=True):
        if len(places) and np.abs(places - place).min() < LEAST_SLICE:
            continue
        known = by_place.get(place)
        same = known is not None and known.by == "transient"
        out.append(known if known and same else Cut(id=next(ids), at=place, role=role, role_by="analysis"))
    return tuple(sorted(out, key=lambda c: c.at))
