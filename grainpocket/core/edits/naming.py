"""Names by themselves, settled after every edit (what they are: core/document/naming)."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from grainpocket.core.chop.kin import root_of
from grainpocket.core.document.naming import GHOST, NAMES, STRETCH, base_of, free, numbered, of_base
from grainpocket.core.pocket import Chop, Cut, Held, Pad, Pocket, Role, Source

if TYPE_CHECKING:
    from grainpocket.core.edits.base import Library
    from grainpocket.core.listen.hearing import Hearing

# A snare this far below the loudest one of its record is a ghost; `hard` spans 36 dB from 0 to 1.
GHOST_UNDER = 12 / 36
NEAR_S = 0.012
# A chord names a slice that it fills this much of.
CHORD_SHARE = 0.6
# Of these even the first has a number.
_COUNTED = {*NAMES.values(), GHOST, STRETCH}


def with_names(before: Pocket, after: Pocket, library: Library) -> Pocket:
    """The pocket after an edit, with everything called by its own name or by what it is."""
    if before is after:
        return after
    for key, source in after.sources.items():
        old = before.sources.get(key)
        if old is None or old.cuts is not source.cuts or old.name != source.name:
            named = _with_slices_named(source, library)
            if named is not source:
                after = after.with_source(named)
    slices = _Slices(after)
    tray = tuple(_held(slices, held) for held in after.tray)
    if any(a is not b for a, b in zip(tray, after.tray, strict=True)):
        after = after.model_copy(update={"tray": tray})
    return _with_pads_named(before, after, slices)


def is_single(source: Source) -> bool:
    """Whether a file is one hit: nothing else begins in it, so that it is called as it came."""
    return source.kin is None and len(source.cuts) <= 1 and not source.origin.parts


def _with_slices_named(source: Source, library: Library) -> Source:
    cuts = source.cuts
    if not cuts:
        return source
    free_of_name = [cut for cut in cuts if not cut.name]
    if is_single(source):
        names = [source.name] * len(free_of_name)
    else:
        try:
            hearing = library.hearing(source.audio)
        except KeyError:
            hearing = None
        bases = _bases(source, hearing)
        names = numbered([bases[cut.id] for cut in free_of_name], (cut.name for cut in cuts), lambda base: base.startswith("Keys "))
    by_id = dict(zip((cut.id for cut in free_of_name), names, strict=True))
    new = tuple(
        cut if cut.called == (name := cut.name or by_id[cut.id]) else cut.model_copy(update={"called": name}) for cut in cuts
    )
    return source if all(a is b for a, b in zip(new, cuts, strict=True)) else source.model_copy(update={"cuts": new})


def _bases(source: Source, hearing: Hearing | None) -> dict[str, str]:
    """By cut: what kind of thing begins there."""
    out = {cut.id: NAMES[cut.role] for cut in source.cuts}
    if hearing is None:
        return out
    snares = [cut for cut in source.cuts if cut.role == "snare"]
    if snares and len(hearing.onsets.at):
        at, hard = hearing.onsets.at, hearing.onsets.hard
        nearest = [(cut, int(np.abs(at - cut.at).argmin())) for cut in snares]
        known = {cut.id: float(hard[i]) for cut, i in nearest if abs(int(at[i]) - cut.at) <= NEAR_S * hearing.rate}
        loudest = max(known.values(), default=0.0)
        out.update({k: GHOST for k, value in known.items() if value < loudest - GHOST_UNDER})
    ends = [*(cut.at for cut in source.cuts[1:]), source.frames]
    for cut, end in zip(source.cuts, ends, strict=True):
        if cut.role == "tonal" and (chord := _chord(hearing, cut.at / hearing.rate, end / hearing.rate)):
            out[cut.id] = f"{NAMES['tonal']} {chord}"
    return out


def _chord(hearing: Hearing, start: float, end: float) -> str | None:
    """The chord that most of a stretch (seconds) stands on, if one does."""
    heard = max(hearing.chords, key=lambda c: min(end, c.end) - max(start, c.start), default=None)
    if heard is None or min(end, heard.end) - max(start, heard.start) < CHORD_SHARE * (end - start):
        return None
    return heard.label if heard.label[:1] in "ABCDEFG" else None


class _Slices:
    """The slices that chops begin with: a pocket of many pads asks for many of one find."""

    def __init__(self, pocket: Pocket) -> None:
        self.pocket = pocket
        self._by_root: dict[str, dict[str, Cut]] = {}

    def of(self, chop: Chop) -> Cut | None:
        source = self.pocket.sources.get(chop.source)
        if source is None or chop.cut is None:
            return None
        root, _ = root_of(self.pocket, source)
        if root.id not in self._by_root:
            self._by_root[root.id] = {cut.id: cut for cut in root.cuts}
        return self._by_root[root.id].get(chop.cut)


def slice_name(pocket: Pocket, source: Source, chop: Chop) -> str:
    """What a slice is called; a stretch that is none is called by its find."""
    cut = next((cut for cut in root_of(pocket, source)[0].cuts if cut.id == chop.cut), None)
    return source.name if cut is None else cut.called or cut.name or source.name


def _held(slices: _Slices, held: Held) -> Held:
    called = held.name or _base(slices, held.chop, held.role)[0]
    return held if held.called == called else held.model_copy(update={"called": called})


def _base(slices: _Slices, chop: Chop, role: Role | None) -> tuple[str, str, bool]:
    """(the name that is wanted, what a number may be put behind, whether even the first has one) for what plays a chop."""
    pocket, cut = slices.pocket, slices.of(chop)
    if cut is not None and cut.role == role and cut.called:
        base = cut.called if cut.name or is_single(root_of(pocket, pocket.sources[chop.source])[0]) else base_of(cut.called)
        return cut.called, base, base in _COUNTED and base != cut.called
    source = pocket.sources.get(chop.source)
    if source is not None and is_single(source) and (cut is not None or chop.end - chop.start >= source.frames):
        return source.name, source.name, False
    base = STRETCH if role is None and cut is None else NAMES[role]
    return base, base, True


def _with_pads_named(before: Pocket, after: Pocket, slices: _Slices) -> Pocket:
    if before.pads is after.pads and before.sources is after.sources:
        return after
    taken = {pad.name for pad in after.pads.values() if pad.name}
    new: dict[int, Pad] = {}
    # What stood there before keeps what it was called; what came now takes what is left.
    there = before.pads
    for index in sorted(after.pads, key=lambda i: (i not in there or there[i].called != after.pads[i].called, i)):
        pad = after.pads[index]
        if pad.name:
            called = pad.name
        else:
            wanted, base, counted = _base(slices, pad.chop, pad.role)
            if pad.called and of_base(pad.called, base) and pad.called not in taken:
                called = pad.called
            elif wanted not in taken and not (counted and wanted == base):
                called = wanted
            else:
                called = free(base, taken, alone=not counted)
            taken.add(called)
        new[index] = pad if pad.called == called else pad.model_copy(update={"called": called})
    if all(new[index] is pad for index, pad in after.pads.items()):
        return after
    return after.model_copy(update={"pads": {index: new[index] for index in after.pads}})
