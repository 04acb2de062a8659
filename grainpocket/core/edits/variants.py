"""Variants of patterns, linked to their original (how they go along with it: core/edits/linking)."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from grainpocket.core.edits.base import EditModel, Library, Refusal, new_ids, the_pattern
from grainpocket.core.pocket import Pocket


class AddVariant(EditModel):
    """A variant of a pattern, which goes along with it from now on."""

    type: Literal["add_variant"] = "add_variant"
    pattern: str
    name: str = Field(min_length=1, max_length=80)

    def label(self, pocket: Pocket) -> str:
        return "add variant"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        pocket, (key,) = new_ids(pocket, "p", 1)
        own = {"id": key, "name": self.name, "variant_of": pattern.id, "recordings": ()}
        return pocket.with_pattern(pattern.model_copy(update=own))


class UnlinkPattern(EditModel):
    """A variant that goes its own way from now on."""

    type: Literal["unlink_pattern"] = "unlink_pattern"
    pattern: str

    def label(self, pocket: Pocket) -> str:
        return "make independent"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        if pattern.variant_of is None:
            raise Refusal(f"{pattern.name} is no variant of another pattern.")
        return pocket.with_pattern(pattern.model_copy(update={"variant_of": None}))
