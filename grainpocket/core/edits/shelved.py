"""A favourite comes off the shelf into a pocket."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from grainpocket.core.edits.base import EditModel, Library, Refusal, new_ids
from grainpocket.core.edits.padding import fill_pads
from grainpocket.core.edits.pocket_wide import unused_name
from grainpocket.core.pocket import MOST_PADS, Chop, Favourite, Origin, Pad, Pocket, Source


class TakeFromShelf(EditModel):
    """Put a favourite on a pad. Its sound becomes a find of the pocket, unless it is one already."""

    type: Literal["take_from_shelf"] = "take_from_shelf"
    favourite: Favourite
    first: int | None = Field(default=None, ge=0, lt=MOST_PADS, description="Left out: the next free pad")

    def label(self, pocket: Pocket) -> str:
        return "from the shelf"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        kept = self.favourite
        try:
            library.hearing(kept.audio)
        except KeyError as error:
            raise Refusal(f"The sound of {kept.name} is not in the store any more.") from error
        source = next((s for s in pocket.sources.values() if s.audio == kept.audio and s.frames == kept.frames), None)
        if source is None:
            pocket, (key,) = new_ids(pocket, "s", 1)
            origin = Origin(file=kept.taken.record[:200], format="shelf", channels=kept.channels, taken=kept.taken)
            source = Source(
                id=key, name=unused_name(kept.name, pocket), audio=kept.audio, frames=kept.frames, channels=kept.channels,
                origin=origin, credits=kept.credits, trim=kept.trim,
            )  # fmt: skip
            pocket = pocket.with_source(source)
        pad = Pad(
            name=kept.name, role=kept.role, chop=Chop(source=source.id, start=0, end=source.frames), sound=kept.sound,
        )  # fmt: skip
        return fill_pads(pocket, [pad], [f"“{kept.name}”"], self.first)[0]
