"""Edits to the grid of a find. What a musician sets is theirs: no later analysis changes it."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from grainpocket.core.edits.base import EditModel, Library, Refusal, the_source
from grainpocket.core.listen.tempo import grids
from grainpocket.core.pocket import QUARTERS, Grid, Metre, Pocket, Source


class SetGrid(EditModel):
    """Tempo, metre and bar one of a find by hand, or its length in bars, which gives the tempo to the sample."""

    type: Literal["set_grid"] = "set_grid"
    source: str
    bpm: float | None = Field(default=None, ge=grids.SLOWEST, le=grids.FASTEST)
    bar_one: int | None = Field(default=None, ge=0)
    bars: int | None = Field(default=None, ge=1, le=512, description="The whole find, or the stretch, lasts this many bars")
    beats: int | None = Field(default=None, ge=1, le=2048, description="The same, in beats")
    start: int | None = Field(default=None, ge=0, description="Of a stretch that bars or beats speak of")
    end: int | None = Field(default=None, ge=1)
    metre: Metre | None = None

    def label(self, pocket: Pocket) -> str:
        if self.metre is not None:
            return "metre"
        return "move bar one" if self.bpm is None and self.bars is None and self.beats is None else "tempo of a find"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        old = source.grid
        metre: Metre = self.metre or (old.metre if old else "4/4")
        quarters = QUARTERS[metre]
        if self.bars is not None or self.beats is not None:
            grid = self._by_length(pocket, source, metre, quarters)
        elif self.bpm is not None:
            grid = Grid(bpm=self.bpm, bar_one=old.bar_one if old else 0, beats_per_bar=quarters, metre=metre)
        elif old is None:
            raise Refusal(f"{source.name} has no tempo yet: set one, tap it, or say how many bars it lasts.")
        else:
            whole_bars = old.bars if metre == old.metre else None
            grid = old.model_copy(update={"metre": metre, "beats_per_bar": quarters, "bars": whole_bars})
        if self.bar_one is not None:
            grid = _with_bar_one(grid, self.bar_one, source)
        return pocket.with_source(source.model_copy(update={"grid": grid.model_copy(update={"by": "hand"})}))

    def _by_length(self, pocket: Pocket, source: Source, metre: Metre, quarters: int) -> Grid:
        start, end = self.start or 0, self.end if self.end is not None else source.frames
        if not start < end <= source.frames:
            raise Refusal(f"That stretch does not lie inside {source.name}.")
        count, per = (self.bars, quarters) if self.bars is not None else (self.beats or 1, 1)
        try:
            bpm = grids.whole(end - start, pocket.rate, count, per)
        except grids.NoGrid as error:
            raise Refusal(str(error)) from error
        is_all = start == 0 and end == source.frames and self.bars is not None
        return Grid(bpm=bpm, bar_one=start, beats_per_bar=quarters, metre=metre, bars=self.bars if is_all else None)


def _with_bar_one(grid: Grid, place: int, source: Source) -> Grid:
    if place >= source.frames:
        raise Refusal("Bar one lies behind the end of the find.")
    if not grid.beats:
        return grid.model_copy(update={"bar_one": place, "bars": None if place else grid.bars})
    # In a drifting grid the nearest beat becomes the one, and all lines go with it.
    nearest = min(grid.beats, key=lambda b: abs(b - place))
    beats = tuple(b + place - nearest for b in grid.beats if b >= nearest)
    return grid.model_copy(update={"bar_one": place, "beats": beats, "bars": None})


class TakeTempo(EditModel):
    """Lay the grid of one of the tempi that were found over the find."""

    type: Literal["take_tempo"] = "take_tempo"
    source: str
    candidate: int = Field(ge=0, description="Its place in the hearing's list")

    def label(self, pocket: Pocket) -> str:
        return "tempo of a find"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        tempi = library.hearing(source.audio).tempi
        if self.candidate >= len(tempi):
            raise Refusal(f"{source.name} has no such tempo among those found.")
        grid = grids.found_grid(tempi[self.candidate]).model_copy(update={"by": "hand"})
        return pocket.with_source(source.model_copy(update={"grid": grid}))


class MoveGrid(EditModel):
    """Nudge all lines by samples, or count twice or half as many beats."""

    type: Literal["move_grid"] = "move_grid"
    source: str
    by: int = 0
    ratio: Literal["half", "double"] | None = None

    def label(self, pocket: Pocket) -> str:
        return {"half": "halve tempo", "double": "double tempo", None: "nudge grid"}[self.ratio]

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        if source.grid is None:
            raise Refusal(f"{source.name} has no tempo yet: set one, tap it, or say how many bars it lasts.")
        try:
            grid = source.grid
            if self.ratio is not None:
                grid = grids.scaled(grid, 0.5 if self.ratio == "half" else 2.0)
            if self.by:
                grid = grids.moved(grid, self.by, source.frames, pocket.rate)
        except grids.NoGrid as error:
            raise Refusal(str(error)) from error
        return pocket.with_source(source.model_copy(update={"grid": grid}))


class TapTempo(EditModel):
    """Take the tempo from taps along the record."""

    type: Literal["tap_tempo"] = "tap_tempo"
    source: str
    taps: tuple[int, ...] = Field(min_length=1, max_length=256, description="Samples of the find that sounded at each tap")

    def label(self, pocket: Pocket) -> str:
        return "tap tempo"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        try:
            grid = grids.tapped([t for t in self.taps if t < source.frames], library.hearing(source.audio).tempi, pocket.rate)
        except grids.NoGrid as error:
            raise Refusal(str(error)) from error
        return pocket.with_source(source.model_copy(update={"grid": grid}))
