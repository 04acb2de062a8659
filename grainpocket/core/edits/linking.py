"""Linked variants go along with their original in all but what differs: after each edit, what is as it was in the original before
becomes as it is there now (a merge of three). A hit keeps its id in both, so that it is known again."""

from __future__ import annotations

from grainpocket.core.pocket import Hit, Pattern, Pocket

# What a linked variant takes on beside hits and lanes.
_FIELDS = ("bars", "beats_per_bar", "swing", "swing_step", "feel", "loose", "uneven", "seed", "chords")


def with_variants(before: Pocket, after: Pocket) -> Pocket:
    """The pocket after an edit, with variants taken along by their originals; those whose original is gone are independent."""
    waiting = [key for key, pattern in after.patterns.items() if pattern.variant_of is not None]
    for _ in range(len(waiting)):
        # A variant of a variant follows once its original has.
        changed = False
        for key in waiting:
            mine = after.patterns[key]
            origin = after.patterns.get(mine.variant_of or "")
            old = before.patterns.get(mine.variant_of or "")
            if origin is None:
                after = after.with_pattern(mine.model_copy(update={"variant_of": None}))
            elif old is not None and old is not origin and before.patterns.get(key) is mine:
                followed = _merged(old, origin, mine)
                if followed is not mine:
                    after, changed = after.with_pattern(followed), True
        waiting = [key for key in waiting if after.patterns[key].variant_of is not None]
        if not changed:
            break
    return after


def _merged(old: Pattern, new: Pattern, mine: Pattern) -> Pattern:
    update: dict[str, object] = {
        name: getattr(new, name) for name in _FIELDS if getattr(new, name) != getattr(old, name) == getattr(mine, name)
    }
    pads = {pad for pad in {*old.lanes, *new.lanes} if old.lanes.get(pad) != new.lanes.get(pad)}
    lanes = dict(mine.lanes)
    for pad in pads:
        if mine.lanes.get(pad) == old.lanes.get(pad):
            lanes.pop(pad, None)
            if pad in new.lanes:
                lanes[pad] = new.lanes[pad]
    if lanes != mine.lanes:
        update["lanes"] = lanes
    hits = _hits(old, new, mine)
    if hits is not None:
        update["hits"] = hits
    return mine.model_copy(update=update) if update else mine


def _hits(old: Pattern, new: Pattern, mine: Pattern) -> tuple[Hit, ...] | None:
    """What the variant's hits become; None: what they are."""
    if old.hits is new.hits:
        return None
    was, now, own = ({hit.id: hit for hit in pattern.hits} for pattern in (old, new, mine))
    out = dict(own)
    for key in was.keys() | now.keys():
        before, after = was.get(key), now.get(key)
        if before == after or own.get(key) != before:
            continue
        if after is None:
            out.pop(key, None)
        else:
            out[key] = after
    if out == own:
        return None
    # Where one that is new would stand on one of the variant's own, its own stays.
    there = {hit.place: hit for key, hit in out.items() if own.get(key) != hit}
    there.update({hit.place: hit for key, hit in out.items() if own.get(key) == hit})
    return tuple(sorted(there.values(), key=lambda h: (h.beat, h.pad, h.note)))
