"""Edits that lay a stretch of a find out: over pads, by drum, or one bar again and again."""

from __future__ import annotations

import itertools
from typing import Literal

import numpy as np
from pydantic import Field

from grainpocket.core.chop.cuts import LEAST_SLICE, is_own
from grainpocket.core.chop.kin import cuts_of, root_of, slices
from grainpocket.core.document.naming import NAMES
from grainpocket.core.edits.base import EditModel, Library, Refusal, new_ids, the_source
from grainpocket.core.edits.choking import record_group
from grainpocket.core.edits.family_cuts import with_cuts
from grainpocket.core.edits.hitting import with_ids
from grainpocket.core.edits.padding import fill_pads, pads_of
from grainpocket.core.edits.played import as_played, whole_bars, with_tempo
from grainpocket.core.listen.tempo.grids import beat_of, place_of
from grainpocket.core.pocket import (
    CHOKE_OF,
    MOST_BARS,
    MOST_CHOKE,
    MOST_PADS,
    PAGE,
    Chop,
    Cut,
    Hit,
    Pad,
    Pattern,
    Played,
    Pocket,
    Role,
    Source,
)
from grainpocket.core.rhythm.original import original_hits

_LANES: dict[Role | None, str] = {
    "kick": "kick", "snare": "snare", "hat": "hat", "perc": "percussion", "tonal": "notes", "vocal": "voice", None: "rest",
}  # fmt: skip


class FitToPads(EditModel):
    """Spread a find, or a stretch of it, over so many pads: in equal beats, or slices that follow each other joined into as
    many chops of about one length."""

    type: Literal["fit_to_pads"] = "fit_to_pads"
    source: str
    how: Literal["beats", "slices"] = "beats"
    pads: int = Field(default=PAGE, ge=2, le=128)
    first: int | None = Field(default=None, ge=0, lt=MOST_PADS, description="Left out: the next free ones")
    start: int | None = Field(default=None, ge=0)
    end: int | None = Field(default=None, ge=1)
    choke: int | None = Field(default=None, ge=0, le=MOST_CHOKE, description="Left out: its record's group")

    def label(self, pocket: Pocket) -> str:
        return f"fit to {self.pads} pads"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        low, high = self.start or 0, min(self.end or source.frames, source.frames)
        if not low < high:
            raise Refusal(f"That stretch does not lie inside {source.name}.")
        if self.how == "beats":
            pocket = self._cut_equally(pocket, source, low, high)
            source = pocket.sources[source.id]
        chops = self._joined(pocket, source, low, high)
        group = record_group(pocket, source) if self.choke is None else self.choke
        pads = pads_of(pocket, source, chops, group)
        return fill_pads(pocket, pads, [f"Part {i}" for i in range(1, len(pads) + 1)], self.first)[0]

    def _cut_equally(self, pocket: Pocket, source: Source, low: int, high: int) -> Pocket:
        """The pocket with a cut at every part's start; cuts made by hand stay, and lie inside a part."""
        ends = np.array([low, high], np.float64)
        if source.grid is not None:
            beats = beat_of(source.grid, pocket.rate, ends)
            places = place_of(source.grid, pocket.rate, np.linspace(beats[0], beats[1], self.pads + 1))
        else:
            places = np.linspace(low, high, self.pads + 1)
        at = np.round(places[:-1]).astype(np.int64)
        if np.diff(places).min() < LEAST_SLICE:
            raise Refusal("Those parts would be too short to play. Choose fewer pads.")
        old = cuts_of(pocket, source)
        kept = [c for c in old if not low <= c.at < high or is_own(c)]
        pocket, ids = new_ids(pocket, "c", len(at) + 1)
        where = {c.at for c in kept}
        new = [
            Cut(id=i, at=p, by="parts")
            for i, p in zip(ids, [*at.tolist(), high], strict=True)
            if p not in where and p < source.frames
        ]
        return with_cuts(pocket, source, tuple(sorted((*kept, *new), key=lambda c: c.at)))

    def _joined(self, pocket: Pocket, source: Source, low: int, high: int) -> list[Chop]:
        mine = [c for c in slices(pocket, source) if low <= c.start < high]
        if not mine:
            raise Refusal("There are no slices here. Raise the sensitivity or add cuts.")
        if len(mine) <= self.pads:
            return mine
        starts = np.array([c.start for c in mine])
        wanted = low + (high - low) * np.arange(1, self.pads) / self.pads
        edges = [0]
        for k, place in enumerate(wanted.tolist(), 1):
            # Each edge at the slice nearest to its place, leaving at least one slice for each part before and after it.
            first, last = edges[-1] + 1, len(mine) - (self.pads - k)
            edges.append(first + int(np.abs(starts[first : last + 1] - place).argmin()))
        edges.append(len(mine))
        out: list[Chop] = []
        for a, b in itertools.pairwise(edges):
            final = mine[b - 1]
            out.append(mine[a].model_copy(update={"end": final.end, "last": final.cut if b - a > 1 else None}))
        return out


class SplitByRole(EditModel):
    """One pad for each drum of a sliced loop, with every chop of it as a take, and a pattern that plays each at its own time."""

    type: Literal["split_by_role"] = "split_by_role"
    source: str
    start: int | None = Field(default=None, ge=0)
    end: int | None = Field(default=None, ge=1)
    take_tempo: bool = Field(default=True, description="Set the pocket's tempo to its own, where no pattern stands yet")

    def label(self, pocket: Pocket) -> str:
        return "split by drum"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        span = whole_bars(pocket, source, self.start, self.end)
        root, _ = root_of(pocket, source)
        role_of = {cut.id: cut.role for cut in root.cuts}
        groups: dict[Role | None, list[Chop]] = {}
        for chop in span.chops:
            groups.setdefault(role_of[chop.cut or ""], []).append(chop)
        order = [role for role in _LANES if role in groups]
        pads = [
            Pad(
                called=NAMES[role],
                role=role,
                chop=groups[role][0],
                takes=tuple(groups[role][1:]),
                choke=CHOKE_OF[role],
            )
            for role in order
        ]
        pocket, filled = fill_pads(pocket, pads, [_LANES[role] for role in order], None)
        played = [(pad, take, chop) for pad, role in zip(filled, order, strict=True) for take, chop in enumerate(groups[role])]
        hits = original_hits(played, span.bpm, span.start, span.beats, pocket.rate)
        return as_played(pocket, source, span, hits, f"{source.name[:66]}, by drum", self.take_tempo)


class RepeatBars(EditModel):
    """A stretch of a find as one chop that a pattern plays again and again, without a gap, at its own tempo."""

    type: Literal["repeat_bars"] = "repeat_bars"
    source: str
    start: int = Field(ge=0)
    end: int = Field(ge=1)
    beats: int = Field(ge=1, le=MOST_BARS * 16, description="Quarter notes in the stretch")
    times: int = Field(ge=1, le=MOST_BARS)
    take_tempo: bool = Field(default=True, description="Set the pocket's tempo to its own, where no pattern stands yet")

    def label(self, pocket: Pocket) -> str:
        return "repeat bars"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        if not self.start < self.end <= source.frames:
            raise Refusal(f"That stretch does not lie inside {source.name}.")
        per_bar = source.grid.beats_per_bar if source.grid else 4
        bars = self.times * self.beats / per_bar
        if bars != int(bars) or bars > MOST_BARS:
            raise Refusal(
                f"{self.times} times {self.beats} beats are no whole number of bars up to {MOST_BARS}. Choose another number."
            )
        bpm = self.beats * 60.0 * pocket.rate / (self.end - self.start)
        chop = Chop(source=source.id, start=self.start, end=self.end)
        pad = Pad(role=None, chop=chop, choke=record_group(pocket, source))
        pocket, (place,) = fill_pads(pocket, [pad], ["That stretch"], None)
        pocket, (key,) = new_ids(pocket, "p", 1)
        hits = tuple(Hit(pad=place, beat=float(k * self.beats), velocity=127, length=float(self.beats)) for k in range(self.times))
        until = self.start + self.times * (self.end - self.start)
        played = Played(source=source.id, start=self.start, end=until, bpm=bpm)
        pocket, hits = with_ids(pocket, hits)
        pattern = Pattern(
            id=key, name=f"{source.name[:60]}, {self.times} times", bars=int(bars), beats_per_bar=per_bar, hits=hits, played=played
        )
        return with_tempo(pocket, bpm, self.take_tempo).with_pattern(pattern)
