"""What an edit is."""

from __future__ import annotations

from typing import Any, Protocol

from pydantic import BaseModel, ConfigDict, model_validator

from grainpocket.core.document.mixing import Bus
from grainpocket.core.edits.linking import with_variants
from grainpocket.core.edits.naming import with_names
from grainpocket.core.listen.hearing import Hearing
from grainpocket.core.pocket import Pad, Pattern, Pocket, Source
from grainpocket.core.sound.audio import Samples
from grainpocket.core.text import with_readable_names


class Refusal(ValueError):
    """An edit that cannot be made. The message says what is in the way and what to do; the pocket stays as it was."""


class Library(Protocol):
    """What edits may look up outside the document."""

    def hearing(self, audio: str) -> Hearing:
        """The analysis of an audio by content hash. Raises KeyError when there is none."""

    def read(self, audio: str, start: int, end: int) -> Samples:
        """(end - start, channels) float32 of an audio; outside it is silence."""


class EditModel(BaseModel):
    """A change to a pocket: data that can be stored and sent, with `apply` to carry it out and `label` to name it."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    @model_validator(mode="before")
    @classmethod
    def _names(cls, data: Any) -> Any:
        return with_readable_names(data)

    def label(self, pocket: Pocket) -> str:
        """Two or three words for the undo button, from the pocket before the edit."""
        raise NotImplementedError

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        """The pocket after the edit. Raises Refusal."""
        raise NotImplementedError

    def made(self, pocket: Pocket, library: Library) -> Pocket:
        """The pocket after the edit, with variants taken along and everything called by its name: what is to be kept. Raises
        Refusal."""
        return with_names(pocket, with_variants(pocket, self.apply(pocket, library)), library)


def the_source(pocket: Pocket, source: str) -> Source:
    """A find by its id. Raises Refusal when it is not there."""
    if source not in pocket.sources:
        raise Refusal("That find is no longer in the pocket.")
    return pocket.sources[source]


def the_pattern(pocket: Pocket, pattern: str) -> Pattern:
    """A pattern by its id. Raises Refusal when it is not there."""
    if pattern not in pocket.patterns:
        raise Refusal("That pattern is no longer in the pocket.")
    return pocket.patterns[pattern]


def the_pad(pocket: Pocket, index: int) -> Pad:
    """A pad by its number. Raises Refusal when it is empty."""
    if index not in pocket.pads:
        raise Refusal("That pad is empty.")
    return pocket.pads[index]


def the_bus(pocket: Pocket, bus: str) -> Bus:
    """A bus by its id. Raises Refusal when it is not there."""
    if bus not in pocket.buses:
        raise Refusal("That bus is no longer there.")
    return pocket.buses[bus]


def new_ids(pocket: Pocket, prefix: str, count: int) -> tuple[Pocket, list[str]]:
    """The pocket with its counter moved on, and `count` fresh ids."""
    first = pocket.next_id
    return pocket.model_copy(update={"next_id": first + count}), [f"{prefix}{first + i}" for i in range(count)]
