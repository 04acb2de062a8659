"""From a sound back to the seconds of the records that it came from, through any number of prints and takes.

A source that came in as a file is a record. One that was made of others names their stretches in its origin: `parts` where
several records sound in it, `taken` where it is one stretch of one.
"""

from __future__ import annotations

from collections.abc import Iterable

from grainpocket.core.pocket import Chop, Pad, Part, Pocket, Source


def parts_of_stretch(source: Source, start: int, end: int) -> tuple[Part, ...]:
    """The stretches of records that sound in samples start..end of a source, each with its place in that stretch where it is
    known. A stretch that reaches outside the source is clipped to it."""
    start, end = max(0, start), min(source.frames, end)
    if end <= start:
        return ()
    origin = source.origin
    if not origin.parts:
        taken = origin.taken
        record, first = (taken.record, taken.start) if taken is not None else (source.name, 0)
        return (Part(record=record, audio=source.audio, start=first + start, end=first + end, at=0),)
    out = []
    for part in origin.parts:
        if part.at is None:
            # Somewhere in it: nobody wrote down where.
            out.append(part)
            continue
        low, high = max(start, part.at), min(end, part.at + part.end - part.start)
        if low < high:
            first = part.start + low - part.at
            out.append(part.model_copy(update={"start": first, "end": first + high - low, "at": low - start}))
    return tuple(out)


def parts_of_pads(pocket: Pocket, pads: Iterable[Pad]) -> tuple[Part, ...]:
    """Every record that pads play and the stretches of it, whatever settings bend them; places are not known."""
    chops: list[Chop] = []
    for pad in pads:
        chops += [pad.chop, *pad.takes, *(layer.chop for layer in pad.layers), *(zone.chop for zone in pad.zones)]
    found = [p for c in chops if c.source in pocket.sources for p in parts_of_stretch(pocket.sources[c.source], c.start, c.end)]
    return merged(found)


def merged(parts: Iterable[Part]) -> tuple[Part, ...]:
    """Each stretch once, in the order of the records and of their seconds; those that touch become one where no place is known."""
    ordered = sorted({p.model_copy(update={"at": None}) for p in parts}, key=lambda p: (p.record, p.audio, p.start, p.end))
    out: list[Part] = []
    for part in ordered:
        last = out[-1] if out else None
        if last is not None and (last.record, last.audio) == (part.record, part.audio) and part.start <= last.end:
            out[-1] = last.model_copy(update={"end": max(last.end, part.end)})
        else:
            out.append(part)
    return tuple(out)
