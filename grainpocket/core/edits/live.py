"""Cutting while the record plays: a press of a free pad cuts where the record is."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from grainpocket.core.chop.cuts import LEAST_SLICE
from grainpocket.core.chop.kin import cuts_of, slices
from grainpocket.core.chop.snap import Snapper
from grainpocket.core.edits.base import EditModel, Library, Refusal, the_source
from grainpocket.core.edits.choking import record_group
from grainpocket.core.edits.cutting import with_new_cut
from grainpocket.core.edits.family_cuts import with_cuts
from grainpocket.core.edits.padding import fill_pads, pads_of
from grainpocket.core.params import of
from grainpocket.core.pocket import LONGEST_CHOP_S, MOST_CHOKE, MOST_PADS, Chop, Pocket, Source


class LiveCut(EditModel):
    """Cut where a record was when a pad was pressed. The pad plays from there to the next place that was cut in this pass, or
    as far as a pad can reach, whatever other cuts lie between; the pad before it ends there.

    The cut goes to the nearest attack within a window of where the hand meant it: the press less the input's delay. A pad of
    this pass takes the new place instead of its old one."""

    type: Literal["live_cut"] = "live_cut"
    source: str
    pad: int = Field(ge=0, lt=MOST_PADS)
    at: int = Field(ge=0, description="Sample that was heard when the pad was pressed")
    window: float = of("chop", "window").field()
    latency: float = of("chop", "latency").field()
    passed: tuple[int, ...] = Field(default=(), max_length=MOST_PADS, description="Pads cut in this pass")
    choke: int | None = Field(default=None, ge=0, le=MOST_CHOKE, description="Left out: its record's group")

    def label(self, pocket: Pocket) -> str:
        return "cut again" if self.pad in self.passed and self.pad in pocket.pads else "cut live"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        there = pocket.pads.get(self.pad)
        if there is not None and self.pad not in self.passed:
            raise Refusal("That pad is taken. Press a free one to cut.")
        if there is not None and there.locked:
            raise Refusal(f"{there.called} is locked. Unlock it first.")
        meant = max(0, self.at - round(self.latency * pocket.rate / 1000))
        at = Snapper(library.hearing(source.audio), source, pocket.rate, library).attack(meant, self.window / 1000)
        at = min(at, source.frames - LEAST_SLICE)
        pocket, cut = self._cut(pocket, source, there.chop if there else None, at, library)
        starts = {cut: self.pad}
        for pad in self.passed:
            chop = pocket.pads[pad].chop if pad in pocket.pads else None
            if pad != self.pad and chop is not None and chop.source == source.id and chop.cut is not None:
                starts[chop.cut] = pad
        return self._laid_out(pocket, source, cut, starts)

    def _cut(self, pocket: Pocket, source: Source, old: Chop | None, at: int, library: Library) -> tuple[Pocket, str]:
        """The pocket with a cut at a place, and its id: one that is there, the pad's own moved there, or a new one."""
        cuts = cuts_of(pocket, source)
        near = next((c for c in cuts if abs(c.at - at) < LEAST_SLICE), None)
        if near is not None:
            return pocket, near.id
        mine = next((c for c in cuts if old is not None and c.id == old.cut and c.by == "hand"), None)
        if mine is None or old is None or old.source != source.id:
            # What a policy cut stays where it is.
            pocket, made = with_new_cut(pocket, source, cuts, at, library)
            return pocket, made.id
        others = [c for c in cuts if c.id != mine.id]
        moved = mine.model_copy(update={"at": at})
        return with_cuts(pocket, source, tuple(sorted((*others, moved), key=lambda c: c.at))), mine.id

    def _laid_out(self, pocket: Pocket, source: Source, cut: str, starts: dict[str, int]) -> Pocket:
        """Every pad of the pass from its cut to the next one of the pass. starts: pads by the cuts at which they begin."""
        all_of_them = slices(pocket, pocket.sources[source.id])
        begins = [i for i, chop in enumerate(all_of_them) if chop.cut in starts]
        for i, until in zip(begins, [*begins[1:], len(all_of_them)], strict=True):
            first, last = all_of_them[i], all_of_them[i]
            for chop in all_of_them[i + 1 : until]:
                if chop.end - first.start > LONGEST_CHOP_S * pocket.rate:
                    break
                last = chop
            whole = first.model_copy(update={"end": last.end, "last": last.cut if last is not first else None})
            pad = starts[first.cut or ""]
            if first.cut == cut:
                group = record_group(pocket, source) if self.choke is None else self.choke
                new = pads_of(pocket, source, [whole], group)
                pocket, _ = fill_pads(pocket, new, ["That slice"], None, (pad,))
            elif pocket.pads[pad].chop != whole:
                pocket = pocket.with_pad(pad, pocket.pads[pad].model_copy(update={"chop": whole}))
        return pocket
