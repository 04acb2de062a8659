"""What a slice is, from what its onset was judged to be."""

from __future__ import annotations

from typing import get_args

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.listen.onsets.classifier import ROLES
from grainpocket.core.listen.onsets.onset import Onsets
from grainpocket.core.pocket import Role

# Of several that are likely, the one a musician would call it by: a kick under a hat is a kick.
ORDER: tuple[Role, ...] = ("kick", "snare", "vocal", "tonal", "perc", "hat")
LIKELY, LEAST = 0.4, 0.25
assert set(get_args(Role)) == set(ROLES) == set(ORDER)


def all_roles(likely: NDArray[np.float32]) -> list[Role]:
    """Those of ROLES that a row of probabilities (k,) speaks for, likeliest first; the best guess alone when none is likely."""
    order = np.argsort(-likely)
    names = [role for i in order if likely[i] >= LIKELY for role in ORDER if role == ROLES[i]]
    best = int(order[0])
    return names or [role for role in ORDER if role == ROLES[best] and likely[best] >= LEAST]


def primary(likely: NDArray[np.float32]) -> Role | None:
    """The one role to name a row of probabilities (k,) by, or None when nothing is likely enough."""
    names = all_roles(likely)
    return next((role for role in ORDER if role in names), None)


def roles_at(onsets: Onsets, at: NDArray[np.int64], reach: int) -> list[Role | None]:
    """The role of the onset nearest to each place (k,), when there is one within `reach` samples."""
    if not len(onsets.at):
        return [None] * len(at)
    after = np.searchsorted(onsets.at, at)
    low, high = np.clip(after - 1, 0, len(onsets.at) - 1), np.clip(after, 0, len(onsets.at) - 1)
    near = np.where(np.abs(onsets.at[low] - at) <= np.abs(onsets.at[high] - at), low, high)
    close = np.abs(onsets.at[near] - at) <= reach
    return [primary(onsets.roles[i]) if ok else None for i, ok in zip(near, close, strict=True)]
