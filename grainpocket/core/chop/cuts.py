"""Cuts and the slices between them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.drums.roles import roles_at
from grainpocket.core.listen.hearing import Hearing, threshold
from grainpocket.core.pocket import Cut, Policy, Role

# Closer than this two cuts are one: less than 2 ms at 44.1 kHz makes no slice worth playing.
LEAST_SLICE = 64
# A loop whose first hit comes within this is cut at its very first sample, so that nothing of it is lost.
SNAP_TO_START_S = 0.006
LONGEST_HEAD_S = 0.08


def transient_cuts(hearing: Hearing, sensitivity: float) -> NDArray[np.int64]:
    """(k,) samples to cut at; sensitivity in percent, 0..100."""
    at = hearing.onsets.above(threshold(sensitivity / 100.0))
    if hearing.peak_db is not None and (not len(at) or at[0] > hearing.begin + hearing.rate * LONGEST_HEAD_S):
        # What sounds before the first transient, or has none at all, like a held note, is a slice too.
        at = np.concatenate(([max(0, hearing.begin - LEAST_SLICE)], at)).astype(np.int64)
    if len(at) and at[0] <= hearing.rate * SNAP_TO_START_S:
        at = at.copy()
        at[0] = 0
    return at


def transient_roles(hearing: Hearing, at: NDArray[np.int64]) -> list[Role | None]:
    """What begins at each of the cuts (k,) that `transient_cuts` gave."""
    return roles_at(hearing.onsets, at, round(hearing.rate * LONGEST_HEAD_S))


def is_own(cut: Cut) -> bool:
    """Whether the musician made, moved or named it. A name that came along from another find is not theirs."""
    return cut.by == "hand" or (cut.by != "copied" and bool(cut.name or (cut.role and cut.role_by == "hand")))


def recut(
    old: Sequence[Cut], at: Sequence[int] | NDArray[np.int64], roles: Sequence[Role | None], new_ids: Iterable[str],
    keep_hand: bool = True, by: Policy = "transients", names: Sequence[str | None] | None = None,
) -> tuple[Cut, ...]:  # fmt: skip
    """Cuts at the given samples (k,), each with what analysis says begins there. One that stands where an old one stood keeps
    its id, name and role; cuts made, moved or named by hand stay (unless told otherwise) and push aside new ones closer
    than the shortest slice."""
    kept = [c for c in old if keep_hand and is_own(c)]
    places = np.array([c.at for c in kept], np.int64)
    by_place = {c.at: c for c in old}
    ids = iter(new_ids)
    out = list(kept)
    for i, (place, role) in enumerate(zip(np.asarray(at).tolist(), roles, strict=True)):
        if len(places) and np.abs(places - place).min() < LEAST_SLICE:
            continue
        known = by_place.get(place)
        if known is not None and known.by != "hand":
            out.append(known if known.by == by else known.model_copy(update={"by": by}))
            continue
        name = names[i] if names else None
        out.append(Cut(id=next(ids), at=place, by=by, name=name, role=role, role_by="analysis"))
    return tuple(sorted(out, key=lambda c: c.at))
