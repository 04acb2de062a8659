"""Edits that take what listening found, or what is selected, out of a find: onto pads, or as slices."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from grainpocket.core.chop.cuts import LEAST_SLICE
from grainpocket.core.chop.kin import cuts_of
from grainpocket.core.document.sound import Sound
from grainpocket.core.edits.base import EditModel, Library, Refusal, new_ids, the_source
from grainpocket.core.edits.family_cuts import with_cuts
from grainpocket.core.edits.padding import fill_pads
from grainpocket.core.params import of
from grainpocket.core.pocket import CHOKE_OF, MOST_PADS, Chop, Cut, Frozen, Pad, Pocket, Role, Source

WHOLE = 0.03  # bars by which a stretch may miss a whole number of them


class Stretch(Frozen):
    """start, end: samples of the find; name and role go with it to its pad or slice."""

    start: int = Field(ge=0)
    end: int = Field(ge=1)
    name: str = Field(default="", max_length=80)
    role: Role | None = None


class StretchesToPads(EditModel):
    """Put stretches of a find on the next free pads, or from `first` on. They belong to no slice, so no cut moves them. fit: what
    is whole bars of the find's grid lasts as many at any tempo of the pocket."""

    type: Literal["stretches_to_pads"] = "stretches_to_pads"
    source: str
    stretches: tuple[Stretch, ...] = Field(min_length=1, max_length=MOST_PADS)
    first: int | None = Field(default=None, ge=0, lt=MOST_PADS, description="Pad of the first one, replacing what is there")
    fit: bool = False

    def label(self, pocket: Pocket) -> str:
        return "to pad" if len(self.stretches) == 1 else "to pads"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        pads: list[Pad] = []
        for one in self.stretches:
            _check(source, one)
            chop = Chop(source=source.id, start=one.start, end=one.end)
            choke = CHOKE_OF[one.role] if one.role else 0
            beats = _whole_bars(source, one, pocket.rate) if self.fit else None
            sound = Sound(time="fit", beats=float(beats)) if beats else Sound()
            pads.append(Pad(name=one.name or None, role=one.role, chop=chop, choke=choke, sound=sound))
        return fill_pads(pocket, pads, [one.name or "That stretch" for one in self.stretches], self.first)[0]


def _whole_bars(source: Source, one: Stretch, rate: int) -> int | None:
    """The beats of a stretch that is whole bars of its find; None when it is none, or longer than a pad can be told to last."""
    grid = source.grid
    if grid is None:
        return None
    bars = (one.end - one.start) * grid.bpm / 60 / rate / grid.beats_per_bar
    beats = round(bars) * grid.beats_per_bar
    return beats if round(bars) >= 1 and abs(bars - round(bars)) < WHOLE and beats <= of("pad", "beats").high else None


class CutStretches(EditModel):
    """Make stretches of a find slices of their own: cut where each begins and ends. A cut that is there already is used, and
    what was named by hand keeps its name."""

    type: Literal["cut_stretches"] = "cut_stretches"
    source: str
    stretches: tuple[Stretch, ...] = Field(min_length=1, max_length=1024)

    def label(self, pocket: Pocket) -> str:
        return "cut out" if len(self.stretches) == 1 else "cut them out"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        cuts = list(cuts_of(pocket, source))
        pocket, ids = new_ids(pocket, "c", 2 * len(self.stretches))
        fresh = iter(ids)
        for one in self.stretches:
            _check(source, one)
            at = _near(cuts, one.start)
            if at is None:
                cuts.append(Cut(id=next(fresh), at=one.start, by="hand", name=one.name or None, role=one.role))
            else:
                # A cut that analysis made is the musician's from now on: no new sensitivity takes it away.
                old = cuts[at]
                role = one.role or old.role
                cuts[at] = old.model_copy(update={"by": "hand", "name": old.name or one.name or None, "role": role})
            if one.end <= source.frames - LEAST_SLICE and _near(cuts, one.end) is None:
                cuts.append(Cut(id=next(fresh), at=one.end, by="hand"))
        return with_cuts(pocket, source, tuple(sorted(cuts, key=lambda c: c.at)))


def _near(cuts: list[Cut], place: int) -> int | None:
    """The index of a cut that stands where one is wanted."""
    return next((i for i, cut in enumerate(cuts) if abs(cut.at - place) < LEAST_SLICE), None)


def _check(source: Source, stretch: Stretch) -> None:
    if not stretch.start < stretch.end <= source.frames:
        raise Refusal(f"That stretch does not lie inside {source.name}.")
