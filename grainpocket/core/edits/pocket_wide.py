"""Edits to the pocket as a whole and to its finds."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from grainpocket.core.chop.cuts import recut, transient_cuts, transient_roles
from grainpocket.core.chop.kin import cuts_of
from grainpocket.core.edits.base import EditModel, Library, Refusal, new_ids, the_source
from grainpocket.core.edits.family_cuts import chops_of
from grainpocket.core.listen.tempo.grids import found_grid
from grainpocket.core.params import of
from grainpocket.core.pocket import MAX_PARTS, Credits, Cut, Frozen, Grid, Key, Kin, Name, Origin, Pad, Pocket, Role, Source
from grainpocket.core.rhythm.timing import tapped_tempo


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


class TapPocket(EditModel):
    """The pocket's tempo as it is tapped. at: seconds, rising. One that was missed, or came twice, changes nothing."""

    type: Literal["tap_pocket"] = "tap_pocket"
    at: tuple[float, ...] = Field(min_length=3, max_length=64)

    def label(self, pocket: Pocket) -> str:
        return "tapped tempo"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        bpm = tapped_tempo(self.at)
        plays = of("pocket", "tempo")
        if bpm is None or not plays.low <= bpm <= plays.high:
            raise Refusal(f"Those taps make no tempo from {plays.low:g} to {plays.high:g} BPM.")
        return pocket.model_copy(update={"tempo": round(bpm, 1)})


class SetKey(EditModel):
    """The key that the pocket is in, or none."""

    type: Literal["set_key"] = "set_key"
    key: Key | None

    def label(self, pocket: Pocket) -> str:
        return "key of the pocket"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        return pocket.model_copy(update={"key": self.key})


class SetSourceKey(EditModel):
    """The key that a find is in, or null: as it is heard."""

    type: Literal["set_source_key"] = "set_source_key"
    source: str
    key: Key | None

    def label(self, pocket: Pocket) -> str:
        return "key of a find"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        return pocket.with_source(the_source(pocket, self.source).model_copy(update={"key": self.key}))


class KnownCut(Frozen):
    """A cut that a print takes on from what it was made of."""

    at: int = Field(ge=0)
    role: Role | None = None
    name: str | None = Field(default=None, max_length=80)


class AddSource(EditModel):
    """A new find, cut on its transients. Made by imports and prints."""

    type: Literal["add_source"] = "add_source"
    name: str = Name
    audio: str
    frames: int = Field(ge=1)
    channels: int = Field(ge=1, le=2)
    origin: Origin = Origin()
    credits: Credits = Credits()
    trim: float = of("source", "trim").field()
    kin: Kin | None = Field(default=None, description="Of a print: the source it was made from, whose grid and cuts it takes on")
    grid: Grid | None = Field(default=None, description="Known already; left out: as it is heard")
    known: tuple[KnownCut, ...] | None = Field(default=None, max_length=MAX_PARTS, description="Cuts that are known already")
    key: Key | None = Field(default=None, description="Known already; left out: as it is heard")

    def label(self, pocket: Pocket) -> str:
        return f"add {self.name}"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        hearing = library.hearing(self.audio)
        if hearing.frames != self.frames:
            raise Refusal(f"{self.name} is {self.frames} samples long as told and {hearing.frames} as heard: bring it in again.")
        if library.read(self.audio, 0, 1).shape[1] != self.channels:
            raise Refusal(f"{self.name} has another number of channels than was said: bring it in again.")
        pocket, (source_id,) = new_ids(pocket, "s", 1)
        grid = found_grid(hearing.tempi[0]) if hearing.tempi else None
        source = Source(
            id=source_id, name=unused_name(self.name, pocket), audio=self.audio, frames=self.frames,
            channels=self.channels, origin=self.origin, credits=self.credits, trim=self.trim, grid=grid, key=self.key,
        )  # fmt: skip
        root = pocket.sources.get(self.kin.root) if self.kin else None
        if root is not None and self.kin is not None:
            # The same time line: what was set by hand on it holds for the copy too, and its cuts are shared.
            kin = self.kin
            if root.kin is not None:
                kin = kin.model_copy(update={"root": root.kin.root, "offset": kin.offset + root.kin.offset})
            return pocket.with_source(source.model_copy(update={"grid": root.grid, "cutting": root.cutting, "kin": kin}))
        if self.grid is not None:
            source = source.model_copy(update={"grid": self.grid})
        if self.known is not None:
            inside = sorted({c.at: c for c in self.known if c.at < self.frames}.values(), key=lambda c: c.at)
            pocket, ids = new_ids(pocket, "c", len(inside))
            cuts = tuple(Cut(id=i, at=c.at, by="copied", role=c.role, name=c.name) for i, c in zip(ids, inside, strict=True))
            return pocket.with_source(source.model_copy(update={"cuts": cuts}))
        at = transient_cuts(hearing, source.cutting.sensitivity)
        pocket, ids = new_ids(pocket, "c", len(at))
        return pocket.with_source(source.model_copy(update={"cuts": recut((), at, transient_roles(hearing, at), ids)}))


class RenameSource(EditModel):
    type: Literal["rename_source"] = "rename_source"
    source: str
    name: str = Name

    def label(self, pocket: Pocket) -> str:
        return "rename find"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        return pocket.with_source(the_source(pocket, self.source).model_copy(update={"name": self.name}))


class SetTrim(EditModel):
    """Level of a find wherever it sounds."""

    type: Literal["set_trim"] = "set_trim"
    source: str
    trim: float = of("source", "trim").field()

    def label(self, pocket: Pocket) -> str:
        return "trim of a find"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        return pocket.with_source(the_source(pocket, self.source).model_copy(update={"trim": self.trim}))


class SetCredits(EditModel):
    """Whose record a find is; what is left out stays as it was."""

    type: Literal["set_credits"] = "set_credits"
    source: str
    artist: str | None = Field(default=None, max_length=200)
    title: str | None = Field(default=None, max_length=200)
    year: str | None = Field(default=None, max_length=10)
    rights: str | None = Field(default=None, max_length=200)
    cleared: Literal["yes", "no", "unknown"] | None = None

    def label(self, pocket: Pocket) -> str:
        return "credits"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        change: dict[str, object] = self.model_dump(exclude={"type", "source", "cleared"}, exclude_none=True)
        if self.cleared is not None:
            change["cleared"] = {"yes": True, "no": False, "unknown": None}[self.cleared]
        return pocket.with_source(source.model_copy(update={"credits": source.credits.model_copy(update=change)}))


class RemoveSource(EditModel):
    """Take a find out of the pocket. Its audio stays in the store, so undo brings it back."""

    type: Literal["remove_source"] = "remove_source"
    source: str
    with_pads: bool = Field(default=False, description="Also empty the pads that play it")

    def label(self, pocket: Pocket) -> str:
        return f"remove {pocket.sources[self.source].name}" if self.source in pocket.sources else "remove find"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        users = [index for index, pad in pocket.pads.items() if any(chop.source == self.source for chop in chops_of(pad))]
        if users and not self.with_pads:
            raise Refusal(f"{source.name} is on {len(users)} pads. Remove it together with them, or clear them first.")
        heirs = [s for s in pocket.sources.values() if s.kin is not None and s.kin.root == self.source]
        if heirs:
            pocket = _inherited(pocket, source, heirs)
        # A pad that has other sounds keeps those.
        pads = {k: _without(pad, self.source) if k in users else pad for k, pad in pocket.pads.items()}
        return pocket.model_copy(
            update={
                "sources": {k: s for k, s in pocket.sources.items() if k != self.source},
                "pads": {k: p for k, p in pads.items() if p is not None},
                "tray": tuple(held for held in pocket.tray if held.chop.source != self.source),
            }
        )


def _inherited(pocket: Pocket, root: Source, heirs: list[Source]) -> Pocket:
    """A family without its root: the first of its kin heads it now, and holds the cuts."""
    first, others = heirs[0], heirs[1:]
    cuts, offset = cuts_of(pocket, first), first.kin.offset if first.kin else 0
    if not others:
        return pocket.with_source(first.model_copy(update={"kin": None, "cuts": cuts}))
    moved = {
        s.id: s.model_copy(update={"kin": s.kin.model_copy(update={"root": first.id, "offset": s.kin.offset - offset})})
        for s in others
        if s.kin is not None
    }
    sources = {**pocket.sources, **moved, first.id: first.model_copy(update={"kin": None, "cuts": cuts})}
    return pocket.model_copy(update={"sources": sources})


def _without(pad: Pad, source: str) -> Pad | None:
    """A pad without the sounds of a find; None when its own sound was one."""
    if pad.chop.source == source:
        return None
    # A hit names its take by number: the others keep theirs.
    takes = tuple(pad.chop if take.source == source else take for take in pad.takes)
    layers, zones = (tuple(one for one in some if one.chop.source != source) for some in (pad.layers, pad.zones))
    return pad.model_copy(update={"takes": takes, "layers": layers, "zones": zones})


def unused_name(name: str, pocket: Pocket) -> str:
    """A find's name that no other has."""
    taken = {source.name for source in pocket.sources.values()}
    if name not in taken:
        return name
    number = 2
    while (candidate := f"{name[:74]} ({number})") in taken:
        number += 1
    return candidate
