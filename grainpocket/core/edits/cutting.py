"""Edits to the cuts of a find. Pads that play a slice follow it."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from grainpocket.core.chop.cuts import LEAST_SLICE, recut, slices, transient_cuts, transient_roles
from grainpocket.core.edits.base import EditModel, Library, Refusal, new_ids, the_source
from grainpocket.core.params import of
from grainpocket.core.pocket import Cut, Pad, Pocket, Role, Source


class CutTransients(EditModel):
    """Cut on transients at a sensitivity. Cuts moved, added or named by hand stay, unless keep_hand is off."""

    type: Literal["cut_transients"] = "cut_transients"
    source: str
    sensitivity: float = of("chop", "sensitivity").field()
    keep_hand: bool = True

    def label(self, pocket: Pocket) -> str:
        return "sensitivity"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        hearing = library.hearing(source.audio)
        at = transient_cuts(hearing, self.sensitivity)
        pocket, ids = new_ids(pocket, "c", len(at))
        cuts = recut(source.cuts, at, transient_roles(hearing, at), ids, self.keep_hand)
        return with_cuts(pocket, source.model_copy(update={"sensitivity": self.sensitivity}), cuts)


class AddCut(EditModel):
    type: Literal["add_cut"] = "add_cut"
    source: str
    at: int = Field(ge=0, description="Sample position")

    def label(self, pocket: Pocket) -> str:
        return "add cut"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        if self.at > source.frames - LEAST_SLICE:
            raise Refusal("That is at the end of the find: there is nothing behind it to cut.")
        if any(abs(cut.at - self.at) < LEAST_SLICE for cut in source.cuts):
            raise Refusal("There is a cut here already. Move that one, or zoom in and cut further from it.")
        pocket, (cut_id,) = new_ids(pocket, "c", 1)
        cuts = sorted((*source.cuts, Cut(id=cut_id, at=self.at, by="hand")), key=lambda c: c.at)
        return with_cuts(pocket, source, tuple(cuts))


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
            places = [c.at for c in source.cuts] + [at for at, _ in new]
            if mark.at <= source.frames - LEAST_SLICE and all(abs(at - mark.at) >= LEAST_SLICE for at in places):
                new.append((mark.at, mark.name[:80]))
        if not new:
            raise Refusal(f"{source.name} is cut at all of its marks already." if source.origin.marks else "The file has no marks.")
        pocket, ids = new_ids(pocket, "c", len(new))
        cuts = [Cut(id=i, at=at, by="hand", name=name or None) for i, (at, name) in zip(ids, new, strict=True)]
        return with_cuts(pocket, source, tuple(sorted((*source.cuts, *cuts), key=lambda c: c.at)))


class MoveCut(EditModel):
    """Move a cut; it stops short of its neighbours."""

    type: Literal["move_cut"] = "move_cut"
    source: str
    cut: str
    at: int = Field(description="Sample position")

    def label(self, pocket: Pocket) -> str:
        return "move cut"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        i = _index(source, self.cut)
        low = source.cuts[i - 1].at + LEAST_SLICE if i else 0
        high = (source.cuts[i + 1].at if i + 1 < len(source.cuts) else source.frames) - LEAST_SLICE
        at = max(low, min(self.at, high))
        moved = source.cuts[i].model_copy(update={"at": at, "by": "hand"})
        return with_cuts(pocket, source, (*source.cuts[:i], moved, *source.cuts[i + 1 :]))


class DeleteCuts(EditModel):
    """Take cuts away; the slice before each grows. A pad that played a slice now gone keeps its sound as it was."""

    type: Literal["delete_cuts"] = "delete_cuts"
    source: str
    cuts: tuple[str, ...] = Field(min_length=1)

    def label(self, pocket: Pocket) -> str:
        return "delete cut" if len(self.cuts) == 1 else "delete cuts"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        for cut in self.cuts:
            _index(source, cut)
        return with_cuts(pocket, source, tuple(c for c in source.cuts if c.id not in self.cuts))


class NameSlice(EditModel):
    """Name a slice and say what it is; pads that play it take both on."""

    type: Literal["name_slice"] = "name_slice"
    source: str
    cut: str
    name: str | None = Field(default=None, max_length=80)
    role: Role | None = None

    def label(self, pocket: Pocket) -> str:
        return "name slice"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        i = _index(source, self.cut)
        named = source.cuts[i].model_copy(update={"name": self.name or None, "role": self.role, "role_by": "hand"})
        pads = {
            index: pad.model_copy(update={"role": self.role, **({"name": self.name} if self.name else {})})
            if pad.chop.source == source.id and pad.chop.cut == self.cut
            else pad
            for index, pad in pocket.pads.items()
        }
        pocket = pocket.model_copy(update={"pads": pads})
        return pocket.with_source(source.model_copy(update={"cuts": (*source.cuts[:i], named, *source.cuts[i + 1 :])}))


def _index(source: Source, cut: str) -> int:
    for i, candidate in enumerate(source.cuts):
        if candidate.id == cut:
            return i
    raise Refusal("That cut is no longer there.")


def with_cuts(pocket: Pocket, source: Source, cuts: tuple[Cut, ...]) -> Pocket:
    """The pocket with new cuts on a source and every pad that plays one of its slices brought along."""
    source = source.model_copy(update={"cuts": cuts})
    now = {chop.cut: chop for chop in slices(source)}
    pads: dict[int, Pad] = {}
    for index, pad in pocket.pads.items():
        if pad.chop.source == source.id and pad.chop.cut is not None:
            chop = now.get(pad.chop.cut, pad.chop.model_copy(update={"cut": None}))
            pad = pad if chop == pad.chop else pad.model_copy(update={"chop": chop})
        pads[index] = pad
    return pocket.model_copy(update={"sources": {**pocket.sources, source.id: source}, "pads": pads})
