"""Edits to the cuts of a find. Pads that play a slice follow it."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from grainpocket.core.chop.cuts import LEAST_SLICE, recut
from grainpocket.core.chop.kin import cuts_of, family, root_of
from grainpocket.core.chop.policies import NoCuts, propose
from grainpocket.core.chop.snap import Snapper
from grainpocket.core.edits.base import EditModel, Library, Refusal, new_ids, the_source
from grainpocket.core.edits.family_cuts import with_cuts
from grainpocket.core.listen.drums.roles import roles_at
from grainpocket.core.pocket import MAX_PARTS, Chop, Cut, Cutting, Pocket, Role, Snap, Source

# An attack this near to a cut made by hand is what it was meant for.
HAND_REACH_S = 0.012
# Moving a cut leaves no slice shorter than this: a slip of the hand must not make a pad silent.
LEAST_MOVED_S = 0.005


class Recut(EditModel):
    """Cut by a policy, all of a find or a stretch of it. Cuts moved, added or named by hand stay, unless keep_hand is off."""

    type: Literal["recut"] = "recut"
    source: str
    cutting: Cutting
    keep_hand: bool = True
    start: int | None = Field(default=None, ge=0)
    end: int | None = Field(default=None, ge=1)

    def label(self, pocket: Pocket) -> str:
        return {"transients": "sensitivity"}.get(self.cutting.by, "cut")

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        pocket, cuts = recut_by(pocket, source, self.cutting, library, self.keep_hand, self.start, self.end)
        return with_cuts(pocket, source.model_copy(update={"cutting": self.cutting}), cuts)


def recut_by(
    pocket: Pocket, source: Source, cutting: Cutting, library: Library, keep_hand: bool, start: int | None, end: int | None
) -> tuple[Pocket, tuple[Cut, ...]]:
    """The pocket with its counter moved on, and the cuts of a source after a policy has cut a stretch of it. Raises Refusal."""
    low, high = start or 0, end if end is not None else source.frames
    if not low < high:
        raise Refusal(f"That stretch does not lie inside {source.name}.")
    try:
        found = propose(pocket, source, cutting, library, low, high)
    except NoCuts as error:
        raise Refusal(str(error)) from error
    old = cuts_of(pocket, source)
    pocket, ids = new_ids(pocket, "c", len(found) + 1)
    inside = [c for c in old if low <= c.at < high]
    outside = [c for c in old if not low <= c.at < high]
    cuts = list(recut(inside, [p.at for p in found], [p.role for p in found], ids, keep_hand, cutting.by, [p.name for p in found]))
    if high < source.frames - LEAST_SLICE and all(abs(c.at - high) >= LEAST_SLICE for c in outside):
        # What follows a stretch begins a slice of its own.
        cuts.append(Cut(id=ids[-1], at=high, by=cutting.by))
    return pocket, tuple(sorted((*outside, *cuts), key=lambda c: c.at))


class AddCut(EditModel):
    type: Literal["add_cut"] = "add_cut"
    source: str
    at: int = Field(ge=0, description="Sample position")
    snap: Snap = "off"

    def label(self, pocket: Pocket) -> str:
        return "add cut"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source, cuts = the_source(pocket, self.source), cuts_of(pocket, the_source(pocket, self.source))
        at = snapped(pocket, source, self.at, self.snap, library)
        if at > source.frames - LEAST_SLICE:
            raise Refusal("That is at the end of the find: there is nothing behind it to cut.")
        if any(abs(cut.at - at) < LEAST_SLICE for cut in cuts):
            raise Refusal("There is a cut here already. Move that one, or zoom in and cut further from it.")
        return with_new_cut(pocket, source, cuts, at, library)[0]


class CutAtMarks(EditModel):
    """Cut where the file's own cue points and markers are, beside the cuts there are."""

    type: Literal["cut_at_marks"] = "cut_at_marks"
    source: str

    def label(self, pocket: Pocket) -> str:
        return "cut at marks"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        new: list[tuple[int, str]] = []
        for mark in source.origin.marks:
            places = [c.at for c in cuts_of(pocket, source)] + [at for at, _ in new]
            if mark.at <= source.frames - LEAST_SLICE and all(abs(at - mark.at) >= LEAST_SLICE for at in places):
                new.append((mark.at, mark.name[:80]))
        if not new:
            raise Refusal(f"{source.name} is cut at all of its marks already." if source.origin.marks else "The file has no marks.")
        pocket, ids = new_ids(pocket, "c", len(new))
        cuts = [Cut(id=i, at=at, by="hand", name=name or None) for i, (at, name) in zip(ids, new, strict=True)]
        return with_cuts(pocket, source, tuple(sorted((*cuts_of(pocket, source), *cuts), key=lambda c: c.at)))


class MoveCut(EditModel):
    """Move a cut; it stops short of its neighbours."""

    type: Literal["move_cut"] = "move_cut"
    source: str
    cut: str
    at: int = Field(description="Sample position")
    snap: Snap = "off"

    def label(self, pocket: Pocket) -> str:
        return "move cut"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        return moved_to(pocket, source, self.cut, snapped(pocket, source, self.at, self.snap, library))


class StepCut(EditModel):
    """Move a cut to the transient before or after it; it stops short of its neighbours."""

    type: Literal["step_cut"] = "step_cut"
    source: str
    cut: str
    way: Literal[-1, 1]

    def label(self, pocket: Pocket) -> str:
        return "move cut"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        cuts = cuts_of(pocket, source)
        now = cuts[_index(cuts, self.cut)].at
        at = Snapper(library.hearing(source.audio), source, pocket.rate, library).beside(now, self.way)
        if at == now:
            raise Refusal("There is no transient on that side.")
        return moved_to(pocket, source, self.cut, at)


def moved_to(pocket: Pocket, source: Source, cut: str, at: int) -> Pocket:
    """The pocket with a cut as near to a place as its neighbours let it."""
    cuts = cuts_of(pocket, source)
    i = _index(cuts, cut)
    here, least = cuts[i].at, round(LEAST_MOVED_S * pocket.rate)
    # A slice that is shorter already may stay so, and not become shorter still.
    low = min(here, cuts[i - 1].at + least) if i else 0
    high = max(here, (cuts[i + 1].at if i + 1 < len(cuts) else source.frames) - least)
    moved = cuts[i].model_copy(update={"at": max(low, min(at, high)), "by": "hand"})
    return with_cuts(pocket, source, (*cuts[:i], moved, *cuts[i + 1 :]))


class DeleteCuts(EditModel):
    """Take cuts away; the slice before each grows. A pad that played a slice now gone keeps its sound as it was."""

    type: Literal["delete_cuts"] = "delete_cuts"
    source: str
    cuts: tuple[str, ...] = Field(min_length=1)

    def label(self, pocket: Pocket) -> str:
        return "delete cut" if len(self.cuts) == 1 else "delete cuts"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        cuts = cuts_of(pocket, source)
        for cut in self.cuts:
            _index(cuts, cut)
        return with_cuts(pocket, source, tuple(c for c in cuts if c.id not in self.cuts))


class NameSlice(EditModel):
    """Name a slice and say what it is; pads that play it take both on, but for a name of their own."""

    type: Literal["name_slice"] = "name_slice"
    source: str
    cut: str
    name: str | None = Field(default=None, max_length=80)
    role: Role | None = None

    def label(self, pocket: Pocket) -> str:
        return "name slice"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        root, _ = root_of(pocket, the_source(pocket, self.source))
        i = _index(root.cuts, self.cut)
        named = root.cuts[i].model_copy(update={"name": self.name or None, "role": self.role, "role_by": "hand"})
        if self.name and named.by == "copied":
            # Its name is the musician's own from now on, and stays when the find is cut anew.
            named = named.model_copy(update={"by": "hand"})
        root = root.model_copy(update={"cuts": (*root.cuts[:i], named, *root.cuts[i + 1 :])})
        return _with_role(pocket, root, {self.cut}, self.role)


class SetRole(EditModel):
    """Say what several slices are, in one step; pads that play them take it on."""

    type: Literal["set_role"] = "set_role"
    source: str
    cuts: tuple[str, ...] = Field(min_length=1, max_length=MAX_PARTS)
    role: Role | None

    def label(self, pocket: Pocket) -> str:
        return "role of a slice" if len(self.cuts) == 1 else "role of slices"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        root, _ = root_of(pocket, the_source(pocket, self.source))
        chosen = set(self.cuts)
        for gone in chosen - {cut.id for cut in root.cuts}:
            _index(root.cuts, gone)
        said = {"role": self.role, "role_by": "hand"}
        cuts = tuple(cut.model_copy(update=said) if cut.id in chosen else cut for cut in root.cuts)
        return _with_role(pocket, root.model_copy(update={"cuts": cuts}), chosen, self.role)


def _with_role(pocket: Pocket, root: Source, cuts: set[str], role: Role | None) -> Pocket:
    """The pocket with the root of a family as given, and with a role for whatever plays some of its cuts."""
    plays = {s.id for s in family(pocket, root)}

    def is_one(chop: Chop) -> bool:
        return chop.source in plays and chop.cut in cuts

    said = {"role": role}
    pads = {index: pad.model_copy(update=said) if is_one(pad.chop) else pad for index, pad in pocket.pads.items()}
    tray = tuple(held.model_copy(update=said) if is_one(held.chop) else held for held in pocket.tray)
    pocket = pocket.model_copy(update={"pads": pads, "tray": tray if tray != pocket.tray else pocket.tray})
    return pocket.with_source(root)


def snapped(pocket: Pocket, source: Source, at: int, snap: Snap, library: Library) -> int:
    """The sample at which a cut goes when it is asked for at another. Raises KeyError when the find has no analysis."""
    if snap == "off":
        return at
    return Snapper(library.hearing(source.audio), source, pocket.rate, library).snap(at, snap, source.cutting.step)


def with_new_cut(pocket: Pocket, source: Source, cuts: tuple[Cut, ...], at: int, library: Library) -> tuple[Pocket, Cut]:
    """The pocket with a cut made by hand, and the cut. Its role is what analysis says begins there."""
    role = roles_at(library.hearing(source.audio).onsets, np.array([at]), round(HAND_REACH_S * pocket.rate))[0]
    pocket, (cut_id,) = new_ids(pocket, "c", 1)
    cut = Cut(id=cut_id, at=at, by="hand", role=role, role_by="analysis")
    return with_cuts(pocket, source, tuple(sorted((*cuts, cut), key=lambda c: c.at))), cut


def _index(cuts: tuple[Cut, ...], cut: str) -> int:
    for i, candidate in enumerate(cuts):
        if candidate.id == cut:
            return i
    raise Refusal("That cut is no longer there.")
