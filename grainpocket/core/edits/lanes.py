"""Edits to the lanes of a pattern: length, rate, steps left out, mute, solo, level, swing, feel; and to the feels of a pocket."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field

from grainpocket.core.edits.base import EditModel, Library, Refusal, new_ids, the_pattern, the_source
from grainpocket.core.edits.hitting import with_hits, with_ids
from grainpocket.core.edits.played import whole_bars
from grainpocket.core.params import of
from grainpocket.core.pocket import MOST_BARS, MOST_PADS, FeelUse, Hit, Lane, Pattern, Pocket
from grainpocket.core.rhythm.feel import feel_of, lifted
from grainpocket.core.rhythm.lanes import PLAIN, passes_of, steps_of
from grainpocket.core.rhythm.schedule import performed
from grainpocket.core.rhythm.timing import Timeline
from grainpocket.core.sound.audio import peak_of

MOST_FEELS = 64
ATTACK_S = 0.06  # after a cut, in which its loudest sample is what it is struck with


class SetLanes(EditModel):
    """Change lanes of a pattern; what is left out stays. steps: null for the pattern's own length; swing, feel: null for the
    pattern's."""

    type: Literal["set_lanes"] = "set_lanes"
    pattern: str
    pads: tuple[int, ...] = Field(min_length=1, max_length=MOST_PADS)
    step: float | None = of("lane", "step").optional_field()
    steps: int | None = Field(default=None, ge=1, le=256)
    skipped: tuple[int, ...] | None = Field(default=None, max_length=256)
    muted: bool | None = None
    solo: bool | None = None
    level: float | None = of("lane", "level").optional_field()
    swing: float | None = of("pattern", "swing").optional_field()
    feel: FeelUse | None = None

    def label(self, pocket: Pocket) -> str:
        given = self.model_fields_set - {"type", "pattern", "pads"}
        return f"lane {next(iter(sorted(given)), '')}".strip()

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        if self.feel is not None:
            the_feel(pocket, self.feel.feel)
        given = self.model_fields_set - {"type", "pattern", "pads"}
        update = {name: getattr(self, name) for name in given}
        update = {name: value for name, value in update.items() if value is not None or name in ("steps", "swing", "feel")}
        lanes = dict(pattern.lanes)
        for pad in self.pads:
            if not 0 <= pad < MOST_PADS:
                raise Refusal("There is no such lane.")
            lane = lanes.get(pad, PLAIN).model_copy(update=update)
            there = steps_of(pattern, lane)
            lane = lane.model_copy(update={"skipped": tuple(sorted({one for one in lane.skipped if 0 <= one < there}))})
            if len(lane.skipped) >= there:
                raise Refusal("One step at least has to be left.")
            lanes[pad] = lane
        return pocket.with_pattern(pattern.model_copy(update={"lanes": _set(lanes)}))


class LiftFeel(EditModel):
    """The timing and accents of a sliced find as a feel of the pocket. beats: after which it begins again, left out: all of it;
    pattern: the one that it is laid over at once."""

    type: Literal["lift_feel"] = "lift_feel"
    source: str
    start: int | None = Field(default=None, ge=0)
    end: int | None = Field(default=None, ge=1)
    step: float = Field(default=0.25, ge=1 / 12, le=1)
    beats: float | None = Field(default=None, ge=0.5, le=64)
    name: str | None = Field(default=None, min_length=1, max_length=80)
    pattern: str | None = None

    def label(self, pocket: Pocket) -> str:
        return "lift feel"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        if len(pocket.feels) >= MOST_FEELS:
            raise Refusal(f"A pocket holds {MOST_FEELS} feels. Remove one first.")
        source = the_source(pocket, self.source)
        span = whole_bars(pocket, source, self.start, self.end)
        time = Timeline(span.bpm, pocket.rate)
        at = np.array([time.beat(chop.start - span.start) for chop in span.chops])
        attack = int(ATTACK_S * pocket.rate)
        levels = np.array([peak_of(library.read(source.audio, c.start, min(c.end, c.start + attack))) for c in span.chops])
        pocket, (key,) = new_ids(pocket, "f", 1)
        most = min(self.beats or span.beats, 256 * self.step)
        feel = lifted(key, self.name or source.name, at, levels, float(span.beats), self.step, most)
        pocket = pocket.model_copy(update={"feels": {**pocket.feels, key: feel}})
        if self.pattern is not None:
            pattern = the_pattern(pocket, self.pattern)
            pocket = pocket.with_pattern(pattern.model_copy(update={"feel": FeelUse(feel=key)}))
        return pocket


class RemoveFeel(EditModel):
    """Take a feel out of the pocket; what it lay over is straight again."""

    type: Literal["remove_feel"] = "remove_feel"
    feel: str

    def label(self, pocket: Pocket) -> str:
        return "remove feel"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        if self.feel not in pocket.feels:
            raise Refusal("That feel is no longer in the pocket.")
        feels = {key: feel for key, feel in pocket.feels.items() if key != self.feel}
        patterns = {key: self._without(pattern) for key, pattern in pocket.patterns.items()}
        return pocket.model_copy(update={"feels": feels, "patterns": patterns})

    def _without(self, pattern: Pattern) -> Pattern:
        mine = {pad for pad, lane in pattern.lanes.items() if lane.feel and lane.feel.feel == self.feel}
        over = pattern.feel is not None and pattern.feel.feel == self.feel
        if not mine and not over:
            return pattern
        lanes = {pad: lane.model_copy(update={"feel": None}) if pad in mine else lane for pad, lane in pattern.lanes.items()}
        return pattern.model_copy(update={"lanes": _set(lanes), "feel": None if over else pattern.feel})


class RenameFeel(EditModel):
    type: Literal["rename_feel"] = "rename_feel"
    feel: str
    name: str = Field(min_length=1, max_length=80)

    def label(self, pocket: Pocket) -> str:
        return "rename feel"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        if self.feel not in pocket.feels:
            raise Refusal("That feel is no longer in the pocket.")
        feel = pocket.feels[self.feel].model_copy(update={"name": self.name})
        return pocket.model_copy(update={"feels": {**pocket.feels, self.feel: feel}})


class WriteIn(EditModel):
    """Write what lies over a pattern into its hits: swing, feel and what strays. lanes: also lanes with a length of their own, and
    what does not come each time; the pattern then lasts until all is the same again."""

    type: Literal["write_in"] = "write_in"
    pattern: str
    lanes: bool = False

    def label(self, pocket: Pocket) -> str:
        return "write in"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        passes = passes_of(pattern) if self.lanes else 1
        if passes * pattern.bars > MOST_BARS:
            raise Refusal(f"That would be longer than {MOST_BARS} bars.")
        over = {"swing": 50.0, "feel": None, "loose": 0.0, "uneven": 0.0}
        cleared = {pad: lane.model_copy(update={"swing": None, "feel": None}) for pad, lane in pattern.lanes.items()}
        if not self.lanes:
            made = _in_place(pocket, pattern)
            bare = pattern.model_copy(update={**over, "lanes": _set(cleared)})
            return with_hits(pocket.with_pattern(bare), bare, made)
        whole = pattern.beats * passes
        hits: dict[tuple[int, float, int], Hit] = {}
        for turn in range(passes):
            there, at = performed(pocket, pattern, turn)
            for hit, beat in zip(there, at.tolist(), strict=True):
                placed = hit.model_copy(update={"id": "", "when": None, "beat": (round(beat, 9) + turn * pattern.beats) % whole})
                hits[placed.place] = placed
        plain = {
            pad: lane.model_copy(update={"steps": None, "skipped": (), "muted": False, "solo": False})
            for pad, lane in cleared.items()
        }
        bare = pattern.model_copy(update={**over, "bars": pattern.bars * passes, "lanes": _set(plain)})
        pocket, named = with_ids(pocket, tuple(hits.values()))
        return with_hits(pocket.with_pattern(bare), bare, named)


def _in_place(pocket: Pocket, pattern: Pattern) -> list[Hit]:
    """The hits as written, each where it is heard the first time and as hard; rolls and lanes stay what they are."""
    flat = pattern.model_copy(
        update={
            "hits": tuple(hit.model_copy(update={"roll": None, "when": None}) for hit in pattern.hits if hit.beat < pattern.beats),
            "lanes": {pad: Lane(swing=lane.swing, feel=lane.feel) for pad, lane in pattern.lanes.items()},
        }
    )
    there, at = performed(pocket, flat)
    heard = {hit.id: (beat, hit.velocity) for hit, beat in zip(there, at.tolist(), strict=True)}
    out: dict[tuple[int, float, int], Hit] = {}
    for hit in pattern.hits:
        beat, velocity = heard.get(hit.id, (hit.beat, hit.velocity))
        moved = beat if beat == hit.beat else round(beat, 9) % pattern.beats
        new = hit.model_copy(update={"beat": moved, "velocity": velocity})
        out[new.place] = new
    return list(out.values())


def the_feel(pocket: Pocket, key: str) -> None:
    """Raises Refusal when there is no feel of that key."""
    if feel_of(pocket, key) is None:
        raise Refusal("That feel is no longer there.")


def _set(lanes: dict[int, Lane]) -> dict[int, Lane]:
    """Lanes that are as all are need not be written down."""
    return {pad: lane for pad, lane in sorted(lanes.items()) if lane != PLAIN}
