"""Edits to which finds belong together: stems and the mix they came from."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from grainpocket.core.chop.cuts import LEAST_SLICE, is_own
from grainpocket.core.chop.kin import cuts_of, root_of
from grainpocket.core.edits.base import EditModel, Library, Refusal, new_ids, the_source
from grainpocket.core.edits.family_cuts import with_chops, with_root_cuts
from grainpocket.core.pocket import Chop, Cut, Kin, Pocket, Source


class JoinFamily(EditModel):
    """A find is a stem of another and begins at one of its samples."""

    type: Literal["join_family"] = "join_family"
    source: str
    root: str
    offset: int
    likeness: float | None = Field(default=None, ge=0, le=1)

    def label(self, pocket: Pocket) -> str:
        return "join a family"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source, root = the_source(pocket, self.source), the_source(pocket, self.root)
        offset = self.offset
        while root.kin is not None:
            # A stem of a stem belongs to the mix that both came from.
            offset += root.kin.offset
            root = the_source(pocket, root.kin.root)
        if root.id == source.id:
            raise Refusal(f"{source.name} is what the other one belongs to already.")
        if not -source.frames < offset < root.frames:
            raise Refusal(f"{source.name} would lie outside {root.name}.")
        kind = source.kin.kind if source.kin is not None and source.kin.root == root.id else "stem"
        kin = Kin(root=root.id, kind=kind, offset=offset, likeness=self.likeness)
        # Its own stems come along.
        moved = {
            s.id: s.model_copy(update={"kin": s.kin.model_copy(update={"root": root.id, "offset": s.kin.offset + offset})})
            for s in pocket.sources.values()
            if s.kin is not None and s.kin.root == source.id
        }
        joined = pocket.model_copy(
            update={"sources": {**pocket.sources, **moved, source.id: source.model_copy(update={"kin": kin})}}
        )
        return with_shared_cuts(joined, source.id)


class LeaveFamily(EditModel):
    type: Literal["leave_family"] = "leave_family"
    source: str

    def label(self, pocket: Pocket) -> str:
        return "leave a family"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        if source.kin is None:
            raise Refusal(f"{source.name} belongs to no other find.")
        return parted(pocket, source)


def with_shared_cuts(pocket: Pocket, member: str) -> Pocket:
    """A source that has joined a family brings its own cuts along: those made or named by hand, and all of them when the root
    has none. Where the root has one already, that one counts. What played its slices follows the family's from now on."""
    source = pocket.sources[member]
    root, offset = root_of(pocket, source)
    if root.id == source.id or not source.cuts:
        return pocket
    now: dict[str, str] = {}
    new: list[Cut] = []
    for cut in source.cuts:
        at = cut.at + offset
        near = min(root.cuts, key=lambda c: abs(c.at - at), default=None)
        if near is not None and abs(near.at - at) < LEAST_SLICE:
            now[cut.id] = near.id
        elif 0 <= at < root.frames and (not root.cuts or is_own(cut)):
            now[cut.id] = cut.id
            new.append(cut.model_copy(update={"at": at}))
    pocket = pocket.with_source(source.model_copy(update={"cuts": ()}))
    pocket = with_chops(pocket, lambda chop: _called(chop, now) if chop.source == member else chop)
    return with_root_cuts(pocket, root, tuple(sorted((*root.cuts, *new), key=lambda c: c.at)))


def parted(pocket: Pocket, source: Source) -> Pocket:
    """The pocket with a source on its own again: it keeps the cuts that it shared, as its own."""
    cuts = cuts_of(pocket, source)
    pocket, ids = new_ids(pocket, "c", len(cuts))
    own = tuple(cut.model_copy(update={"id": i}) for cut, i in zip(cuts, ids, strict=True))
    now = {cut.id: i for cut, i in zip(cuts, ids, strict=True)}
    pocket = with_chops(pocket, lambda chop: _called(chop, now) if chop.source == source.id else chop)
    return with_root_cuts(pocket, source.model_copy(update={"kin": None}), own)


def _called(chop: Chop, now: dict[str, str]) -> Chop:
    """A chop with its slice's new id; one whose slice has none keeps its sound alone."""
    if chop.cut is None:
        return chop
    cut, last = now.get(chop.cut), now.get(chop.last) if chop.last else None
    gone = cut is None or (chop.last is not None and last is None)
    return chop.model_copy(update={"cut": None if gone else cut, "last": None if gone else last})
