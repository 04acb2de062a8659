"""Edits to the pads."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal

from pydantic import Field

from grainpocket.core.chop.cuts import slices
from grainpocket.core.edits.base import EditModel, Library, Refusal, the_pad, the_source
from grainpocket.core.params import PAD, of
from grainpocket.core.pocket import LONGEST_CHOP_S, MOST_CHOKE, MOST_PADS, Chop, Pad, Pocket, Role, Source


class SlicesToPads(EditModel):
    """Put slices on pads, one each, in order. Without `first`, on the next free pads. Without `cuts`, all slices that are
    on no pad yet."""

    type: Literal["slices_to_pads"] = "slices_to_pads"
    source: str
    cuts: tuple[str, ...] | None = Field(default=None, description="Cut ids of the slices; left out: all not on pads yet")
    first: int | None = Field(default=None, ge=0, lt=MOST_PADS, description="Pad of the first one, replacing what is there")
    choke: int = Field(default=1, ge=0, le=MOST_CHOKE)

    def label(self, pocket: Pocket) -> str:
        return "slice to pad" if self.cuts is not None and len(self.cuts) == 1 else "slices to pads"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        try:
            chops = slices(source, self.cuts)
        except KeyError as error:
            raise Refusal("One of those slices is no longer there. Choose again.") from error
        if not chops:
            raise Refusal(f"{source.name} has no cuts yet. Raise the sensitivity or add a cut.")
        if self.cuts is None:
            there = {pad.chop.cut for pad in pocket.pads.values() if pad.chop.source == source.id}
            chops = [chop for chop in chops if chop.cut not in there]
            if not chops:
                raise Refusal("All its slices are on pads already. To put one on a second pad, choose it and press To pad.")
        return put_on_pads(pocket, source, chops, self.first, self.choke)[0]


class SetPads(EditModel):
    """Change settings of one or several pads; what is left out stays as it is on each."""

    type: Literal["set_pads"] = "set_pads"
    pads: tuple[int, ...] = Field(min_length=1)
    name: str | None = Field(default=None, min_length=1, max_length=80)
    role: Role | None = None
    level: float | None = of("pad", "level").optional_field()
    pitch: float | None = of("pad", "pitch").optional_field()
    fade_out: float | None = of("pad", "fade_out").optional_field()
    reverse: bool | None = None
    play: Literal["one-shot", "held"] | None = None
    choke: int | None = Field(default=None, ge=0, le=MOST_CHOKE)

    def _changes(self) -> dict[str, Any]:
        return self.model_dump(exclude={"type", "pads"}, exclude_none=True)

    def label(self, pocket: Pocket) -> str:
        field = next(iter(self._changes()), "pad")
        return f"pad {next((p.label.lower() for p in PAD if p.name == field), field)}"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        changed = {index: the_pad(pocket, index).model_copy(update=self._changes()) for index in self.pads}
        return pocket.model_copy(update={"pads": {**pocket.pads, **changed}})


class ClearPads(EditModel):
    """Empty pads. Hits on them stay in the patterns, silent, until the pad is filled again."""

    type: Literal["clear_pads"] = "clear_pads"
    pads: tuple[int, ...] = Field(min_length=1)

    def label(self, pocket: Pocket) -> str:
        return "clear pad" if len(self.pads) == 1 else "clear pads"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        for index in self.pads:
            the_pad(pocket, index)
        return pocket.model_copy(update={"pads": {k: p for k, p in pocket.pads.items() if k not in self.pads}})


class MovePad(EditModel):
    """Move a pad to another place, with its hits in every pattern; what was there changes places with it."""

    type: Literal["move_pad"] = "move_pad"
    pad: int
    to: int = Field(ge=0, lt=MOST_PADS)

    def label(self, pocket: Pocket) -> str:
        return "swap pads" if self.to in pocket.pads else "move pad"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        moved = the_pad(pocket, self.pad)
        swap = {self.pad: self.to, self.to: self.pad}
        pads = {k: p for k, p in pocket.pads.items() if k not in swap}
        pads[self.to] = moved
        if self.to in pocket.pads:
            pads[self.pad] = pocket.pads[self.to]
        patterns = {}
        for key, pattern in pocket.patterns.items():
            if any(hit.pad in swap for hit in pattern.hits):
                hits = [h.model_copy(update={"pad": swap[h.pad]}) if h.pad in swap else h for h in pattern.hits]
                pattern = pattern.model_copy(update={"hits": tuple(sorted(hits, key=lambda h: (h.beat, h.pad)))})
            patterns[key] = pattern
        return pocket.model_copy(update={"pads": dict(sorted(pads.items())), "patterns": patterns})


def put_on_pads(pocket: Pocket, source: Source, chops: Sequence[Chop], first: int | None, choke: int) -> tuple[Pocket, list[int]]:
    """The pocket with slices on pads, and the pads they went to. Raises Refusal when one is too long or pads run out."""
    numbers = {cut.id: n for n, cut in enumerate(source.cuts, 1)}
    by_id = {cut.id: cut for cut in source.cuts}
    pads: list[Pad] = []
    for chop in chops:
        cut = by_id[chop.cut or ""]
        name = cut.name or f"{source.name[:70]} {numbers[cut.id]}"
        pads.append(Pad(name=name, role=cut.role, chop=chop, choke=choke))
    return fill_pads(pocket, pads, [f"Slice {numbers[c.cut or '']}" for c in chops], first)


def fill_pads(pocket: Pocket, new: Sequence[Pad], what: Sequence[str], first: int | None) -> tuple[Pocket, list[int]]:
    """The pocket with new pads on the next free places, or from `first` on in place of what is there, and the places they
    went to. what: each one's name in a message. Raises Refusal when one is too long or pads run out."""
    free = [i for i in range(MOST_PADS) if i not in pocket.pads] if first is None else list(range(first, MOST_PADS))
    if len(new) > len(free):
        raise Refusal(f"{len(new)} slices do not fit on {len(free)} free pads. Choose fewer, or clear some pads.")
    for pad, name in zip(new, what, strict=True):
        seconds = (pad.chop.end - pad.chop.start) / pocket.rate
        if seconds > LONGEST_CHOP_S:
            raise Refusal(f"{name} is {seconds:.0f} s long; a pad holds up to {LONGEST_CHOP_S} s. Cut it shorter first.")
    pads = {**pocket.pads, **dict(zip(free, new, strict=False))}
    return pocket.model_copy(update={"pads": dict(sorted(pads.items()))}), free[: len(new)]
