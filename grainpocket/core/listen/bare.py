"""Where bare drums begin and end, looked at more closely.

What sounds is told by all that lies around it, a second and more: at its ends, a passage of bare drums is mixed up with the
music beside it. There it is measured how loud the music is in the half bar itself (see `shares`): music that is not there is
none, and the last chord may ring on loudly though nothing more is played.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

# Of music over all that sounds: under the first, there is none; over the second, it rings on.
ABSENT_DB, RINGS_DB = -30.0, -18.0
# Bar lines are some hundredths of a second off, and windows reach over them: at its ends, a half bar is not listened to.
EDGE_S, SHORTEST_S = 0.06, 0.1
# What music this sure is called is not measured again, nor where drums or no voice are less sure.
SURE_OF_MUSIC, DRUMS, VOICE = 0.99, 0.6, 0.6
# What is said of music where it was measured, and how many half bars a passage may grow at an end.
THERE, NOT_THERE, FARTHEST = 0.9, 0.1, 2
Table = NDArray[np.float32]
Edges = NDArray[np.float64]
Measure = Callable[[Sequence[tuple[float, float]]], Table]


def bareness(likely: Table) -> Table:
    """(k,) how likely drums sound and nothing else, by what sounds (k, 3)."""
    drums, music, voice = likely.T
    return np.asarray(np.minimum(drums, 1 - np.maximum(music, voice)), np.float32)


def at_the_ends(likely: Table, heard: NDArray[np.bool_], edges: Edges, sure: float, music: Measure) -> Table:
    """What sounds (k, 3) between edges (k + 1 seconds of half bars), with what is known of music at the ends of bare drums.

    heard: (k,) what is not silence; sure: how sure bare drums have to be; music: decibels of it over all that sounds, in spans of
    seconds.
    """
    out = likely.copy()

    def measured(index: NDArray[np.int64]) -> Table:
        spans = np.column_stack((edges[index], edges[index + 1]))
        spans += np.where(np.diff(spans) > 2 * EDGE_S + SHORTEST_S, EDGE_S, 0.0) * (1, -1)
        return music([(first, last) for first, last in spans.tolist()])

    open_to = heard & (likely[:, 0] > DRUMS) & (likely[:, 1] < SURE_OF_MUSIC) & (likely[:, 2] < VOICE)
    for _ in range(FARTHEST):
        bare = heard & (bareness(out) >= sure)
        beside = np.zeros(len(bare), bool)
        beside[1:] |= bare[:-1]
        beside[:-1] |= bare[1:]
        asked = np.flatnonzero(beside & ~bare & open_to)
        found = asked[measured(asked) < ABSENT_DB]
        out[found, 1] = NOT_THERE
        if not len(found):
            break
        open_to[asked] = False
    bare = heard & (bareness(out) >= sure)
    # Where all was silent before, nothing rings.
    first = np.flatnonzero(bare[1:] & ~bare[:-1] & heard[:-1]) + 1
    out[first[measured(first) > RINGS_DB], 1] = THERE
    return out
