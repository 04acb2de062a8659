"""Which choke group a pad gets by itself: one for each record, so that no record cuts another off; none for what is to ring on."""

from __future__ import annotations

from collections.abc import Sequence

from grainpocket.core.chop.kin import root_of
from grainpocket.core.pocket import CHOKE_OF, MOST_CHOKE, Chop, Pad, Pocket, Role, Source

RINGS = ("tonal", "vocal")  # roles of what no drum should end
LONGEST_S = 2.5  # a phrase or a loop, not a stroke, is longer than this


def record_group(pocket: Pocket, source: Source, but: Sequence[int] = ()) -> int:
    """The group in which a record's slices cut each other off: the one that pads of its family have, else the first that nobody
    has and that is no drum's, 0 where all are taken. but: pads that are not looked at."""
    root = root_of(pocket, source)[0].id
    drums = set(CHOKE_OF.values())
    used = set()
    for index, pad in pocket.pads.items():
        if not pad.choke or index in but:
            continue
        used.add(pad.choke)
        there = pocket.sources.get(pad.chop.source)
        if pad.choke not in drums and there is not None and root_of(pocket, there)[0].id == root:
            return pad.choke
    return next((group for group in range(1, MOST_CHOKE + 1) if group not in used and group not in drums), 0)


def choke_of(pocket: Pocket, source: Source, chop: Chop, role: Role | None, but: Sequence[int] = ()) -> int:
    """The group of a pad with this chop: its record's; 0 (it rings on) for notes and voices, for what is long, and for a find that
    is one sound, of which there is nothing else to cut off."""
    frames = chop.end - chop.start
    if role in RINGS or frames >= source.frames or frames > LONGEST_S * pocket.rate:
        return 0
    return record_group(pocket, source, but)


def sorted_chokes(pocket: Pocket, pads: Sequence[int]) -> dict[int, Pad]:
    """These pads with the groups that they would get by themselves."""
    out: dict[int, Pad] = {}
    for index in pads:
        pad = pocket.pads[index]
        source = pocket.sources.get(pad.chop.source)
        if source is None:
            continue
        rest = [i for i in pads if i not in out]
        out[index] = pad.model_copy(
            update={"choke": choke_of(pocket.model_copy(update={"pads": {**pocket.pads, **out}}), source, pad.chop, pad.role, rest)}
        )
    return out
