"""Edits to which finds belong together: stems and the mix they came from."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from grainpocket.core.edits.base import EditModel, Library, Refusal, the_source
from grainpocket.core.pocket import Kin, Pocket


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
        kin = Kin(root=root.id, kind="stem", offset=offset, likeness=self.likeness)
        # Its own stems come along.
        moved = {
            s.id: s.model_copy(update={"kin": s.kin.model_copy(update={"root": root.id, "offset": s.kin.offset + offset})})
            for s in pocket.sources.values()
            if s.kin is not None and s.kin.root == source.id
        }
        return pocket.model_copy(update={"sources": {**pocket.sources, **moved, source.id: source.model_copy(update={"kin": kin})}})


class LeaveFamily(EditModel):
    type: Literal["leave_family"] = "leave_family"
    source: str

    def label(self, pocket: Pocket) -> str:
        return "leave a family"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        if source.kin is None:
            raise Refusal(f"{source.name} belongs to no other find.")
        return pocket.with_source(source.model_copy(update={"kin": None}))
