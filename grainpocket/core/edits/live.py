"""Cutting while the record plays: a press of a free pad cuts where the record is."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from grainpocket.core.chop.cuts import LEAST_SLICE
from grainpocket.core.chop.kin import cuts_of, root_of, slices
from grainpocket.core.chop.snap import Snapper
from grainpocket.core.edits.base import EditModel, Library, Refusal, the_source
from grainpocket.core.edits.cutting import with_new_cut
from grainpocket.core.edits.family_cuts import with_cuts
from grainpocket.core.edits.padding import fill_pads, pads_of
from grainpocket.core.params import of
from grainpocket.core.pocket import MOST_CHOKE, MOST_PADS, Pocket, Source


class LiveCut(EditModel):
    """Cut where a record was when a pad was pressed, and put the slice that begins there on that pad.

    The cut goes to the nearest attack within a window of where the hand meant it: the press less the input's delay. A pad that
    was cut live before takes the new place instead of its old one."""

    type: Literal["live_cut"] = "live_cut"
    source: str
    pad: int = Field(ge=0, lt=MOST_PADS)
    at: int = Field(ge=0, description="Sample that was heard when the pad was pressed")
    window: float = of("chop", "window").field()
    latency: float = of("chop", "latency").field()
    retake: bool = Field(default=False, description="The pad was cut in this pass already: move its cut")
    choke: int = Field(default=1, ge=0, le=MOST_CHOKE)

    def label(self, pocket: Pocket) -> str:
        return "cut again" if self.retake else "cut live"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        there = pocket.pads.get(self.pad)
        if there is not None and not self.retake:
            raise Refusal("That pad is taken. Press a free one to cut.")
        meant = max(0, self.at - round(self.latency * pocket.rate / 1000))
        hearing = library.hearing(source.audio)
        at = Snapper(hearing, source, pocket.rate, library).attack(meant, self.window / 1000)
        at = min(at, source.frames - LEAST_SLICE)
        if self.retake and there is not None and there.chop.source == source.id and there.chop.cut is not None:
            return self._again(pocket, source, there.chop.cut, at)
        cuts = cuts_of(pocket, source)
        near = next((c for c in cuts if abs(c.at - at) < LEAST_SLICE), None)
        if near is None:
            pocket, near = with_new_cut(pocket, source, cuts, at, library)
        chop = slices(pocket, pocket.sources[source.id], (near.id,))
        pads = pads_of(pocket, source, chop, self.choke)
        return fill_pads(pocket, pads, ["That slice"], None, (self.pad,))[0]

    def _again(self, pocket: Pocket, source: Source, cut: str, at: int) -> Pocket:
        """The pad's own cut at its new place; its neighbours stay where they are."""
        root, offset = root_of(pocket, source)
        others = [c for c in root.cuts if c.id != cut]
        mine = next((c for c in root.cuts if c.id == cut), None)
        if mine is None:
            raise Refusal("That cut is no longer there. Clear the pad and cut it anew.")
        if any(abs(c.at - offset - at) < LEAST_SLICE for c in others):
            raise Refusal("There is a cut here already.")
        inside = [c for c in cuts_of(pocket, source) if c.id != cut]
        moved = mine.model_copy(update={"at": at, "by": "hand"})
        return with_cuts(pocket, source, tuple(sorted((*inside, moved), key=lambda c: c.at)))
