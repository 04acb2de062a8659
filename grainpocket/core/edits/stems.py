"""Edits that stems are made and changed by. All of them are the end of a job."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from grainpocket.core.edits.base import EditModel, Library, Refusal, the_source
from grainpocket.core.edits.pocket_wide import AddSource
from grainpocket.core.pocket import Pocket


class AddStems(EditModel):
    """The stems that a find was taken apart into, all at once. Made by splits."""

    type: Literal["add_stems"] = "add_stems"
    stems: tuple[AddSource, ...] = Field(min_length=1, max_length=12)

    def label(self, pocket: Pocket) -> str:
        return "add stems"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        for stem in self.stems:
            pocket = stem.apply(pocket, library)
        return pocket


class SwapSounds(EditModel):
    """Other sounds for stems, of the same length, so that all that plays them plays on. Made when a leak is moved."""

    type: Literal["swap_sounds"] = "swap_sounds"
    sounds: tuple[tuple[str, str, str], ...] = Field(
        min_length=1, max_length=12, description="A find, the audio that it has, and its new one"
    )

    def label(self, pocket: Pocket) -> str:
        return "move a leak"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        for key, was, audio in self.sounds:
            source = the_source(pocket, key)
            if source.audio != was:
                raise Refusal(f"{source.name} was changed meanwhile. Draw the box again.")
            try:
                same = library.hearing(audio).frames == source.frames
            except KeyError:
                raise Refusal("That sound is not in the store.") from None
            if not same or library.read(audio, 0, 1).shape[1] != source.channels:
                raise Refusal(f"{source.name} can only be swapped for a sound of the same length and channels.")
            pocket = pocket.with_source(source.model_copy(update={"audio": audio}))
        return pocket
