"""Edits to the pocket as a whole and to its finds."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from grainpocket.core.chop.cuts import recut, transient_cuts
from grainpocket.core.edits.base import EditModel, Library, Refusal, new_ids, the_source
from grainpocket.core.params import of
from grainpocket.core.pocket import Grid, Name, Origin, Pocket, Source


class SetPocket(EditModel):
    """Name, tempo, master level or edge fades; what is left out stays."""

    type: Literal["set_pocket"] = "set_pocket"
    name: str | None = Field(default=None, min_length=1, max_length=80)
    tempo: float | None = of("pocket", "tempo").optional_field()
    level: float | None = of("pocket", "level").optional_field()
    fade_in_edge: float | None = of("pocket", "fade_in_edge").optional_field()
    fade_out_edge: float | None = of("pocket", "fade_out_edge").optional_field()

    def _changes(self) -> dict[str, object]:
        return self.model_dump(exclude={"type"}, exclude_none=True)

    def label(self, pocket: Pocket) -> str:
        names = {"name": "rename pocket", "tempo": "tempo", "level": "master level"}
        return names.get(next(iter(self._changes()), ""), "edge fades")

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        return pocket.model_copy(update=self._changes())


class AddSource(EditModel):
    """A new find, cut on its transients. Made by imports and prints."""

    type: Literal["add_source"] = "add_source"
    name: str = Name
    audio: str
    frames: int = Field(ge=1)
    channels: int = Field(ge=1, le=2)
    origin: Origin = Origin()

    def label(self, pocket: Pocket) -> str:
        return f"add {self.name}"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        hearing = library.hearing(self.audio)
        pocket, (source_id,) = new_ids(pocket, "s", 1)
        grid = None
        if hearing.tempi:
            best = hearing.tempi[0]
            first = int(hearing.onsets.at[0]) if len(hearing.onsets.at) and not best.bars else 0
            grid = Grid(bpm=best.bpm, bar_one=first, bars=best.bars)
        source = Source(
            id=source_id, name=_unused_name(self.name, pocket), audio=self.audio, frames=self.frames,
            channels=self.channels, origin=self.origin, grid=grid,
        )  # fmt: skip
        at = transient_cuts(hearing, source.sensitivity)
        pocket, ids = new_ids(pocket, "c", len(at))
        return pocket.with_source(source.model_copy(update={"cuts": recut((), at, ids)}))


class RenameSource(EditModel):
    type: Literal["rename_source"] = "rename_source"
    source: str
    name: str = Name

    def label(self, pocket: Pocket) -> str:
        return "rename find"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        return pocket.with_source(the_source(pocket, self.source).model_copy(update={"name": self.name}))


class RemoveSource(EditModel):
    """Take a find out of the pocket. Its audio stays in the store, so undo brings it back."""

    type: Literal["remove_source"] = "remove_source"
    source: str
    with_pads: bool = Field(default=False, description="Also empty the pads that play it")

    def label(self, pocket: Pocket) -> str:
        return f"remove {pocket.sources[self.source].name}" if self.source in pocket.sources else "remove find"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        users = [index for index, pad in pocket.pads.items() if pad.chop.source == self.source]
        if users and not self.with_pads:
            raise Refusal(f"{source.name} is on {len(users)} pads. Remove it together with them, or clear them first.")
        return pocket.model_copy(
            update={
                "sources": {k: s for k, s in pocket.sources.items() if k != self.source},
                "pads": {k: p for k, p in pocket.pads.items() if k not in users},
            }
        )


class SetGrid(EditModel):
    """Tempo and bar one of a find by hand, or its length in bars, which gives the tempo to the sample."""

    type: Literal["set_grid"] = "set_grid"
    source: str
    bpm: float | None = Field(default=None, ge=20, le=400)
    bar_one: int | None = Field(default=None, ge=0)
    bars: int | None = Field(default=None, ge=1, le=512, description="The whole find lasts this many bars")
    beats_per_bar: int | None = Field(default=None, ge=1, le=16)

    def label(self, pocket: Pocket) -> str:
        return "move bar one" if self.bpm is None and self.bars is None else "tempo of a find"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        old = source.grid
        beats = self.beats_per_bar or (old.beats_per_bar if old else 4)
        bpm, bars = self.bpm, None
        if self.bars is not None:
            bpm, bars = self.bars * beats * 60.0 * pocket.rate / source.frames, self.bars
        elif bpm is None:
            if old is None:
                raise Refusal(f"{source.name} has no tempo yet: set one, or say how many bars it lasts.")
            bpm, bars = old.bpm, old.bars
        if not 20 <= bpm <= 400:
            raise Refusal(f"{self.bars} bars in {source.frames / pocket.rate:.2f} s is {bpm:.0f} BPM; it must be 20 to 400.")
        bar_one = self.bar_one if self.bar_one is not None else (0 if bars else old.bar_one if old else 0)
        if bar_one >= source.frames:
            raise Refusal("Bar one lies behind the end of the find.")
        return pocket.with_source(
            source.model_copy(update={"grid": Grid(bpm=bpm, bar_one=bar_one, beats_per_bar=beats, bars=bars, by="hand")})
        )


def _unused_name(name: str, pocket: Pocket) -> str:
    taken = {source.name for source in pocket.sources.values()}
    if name not in taken:
        return name
    number = 2
    while (candidate := f"{name[:74]} ({number})") in taken:
        number += 1
    return candidate
