"""Moves on many hits at once: on the grid, and by the rules of core/rhythm/moves."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field

from grainpocket.core.edits.base import EditModel, Library, Refusal, the_pad, the_pattern
from grainpocket.core.edits.hitting import MAX_HITS, with_hits, with_ids
from grainpocket.core.pocket import MOST_PADS, Hit, Pattern, Pocket
from grainpocket.core.rhythm import moves

Move = Literal["shift", "reverse", "double", "halve", "thin", "accent", "even", "stutter", "alternate"]
LABELS: dict[Move, str] = {
    "shift": "shift", "reverse": "turn round", "double": "double", "halve": "halve", "thin": "thin out", "accent": "accents",
    "even": "all equal", "stutter": "stutter", "alternate": "alternate",
}  # fmt: skip
Lanes = Field(default=(), max_length=MOST_PADS, description="Pads whose hits are meant; none: all")


class _OnHits(EditModel):
    pattern: str
    pads: tuple[int, ...] = Lanes
    hits: tuple[str, ...] = Field(default=(), max_length=MAX_HITS, description="Hits by id; none: all of those pads")

    def _parted(self, pattern: Pattern) -> tuple[list[Hit], list[Hit]]:
        """(those that are meant, the rest)."""
        chosen, pads = set(self.hits), set(self.pads)
        mine = [hit for hit in pattern.hits if (not pads or hit.pad in pads) and (not chosen or hit.id in chosen)]
        if not mine:
            raise Refusal("There are no hits to move: choose another lane.")
        kept = {hit.id for hit in mine}
        return mine, [hit for hit in pattern.hits if hit.id not in kept]


class Quantise(_OnHits):
    """Draw hits to a grid. step: beats; strength: % of the way; swing: % of a pair of steps that the first takes; reach: % of half
    a step within which a hit is drawn at all."""

    type: Literal["quantise"] = "quantise"
    step: float = Field(default=0.25, ge=1 / 16, le=4)
    strength: float = Field(default=100.0, ge=0, le=100)
    swing: float = Field(default=50.0, ge=50, le=75)
    reach: float = Field(default=100.0, ge=0, le=100)

    def label(self, pocket: Pocket) -> str:
        return "quantise"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        mine, rest = self._parted(pattern)
        made = moves.quantised(mine, self.step, self.strength / 100, self.swing / 100, self.reach / 100, pattern.beats)
        return _settled(pocket, pattern, rest, made)


class MoveLanes(_OnHits):
    """One of the fast moves. amount: beats to shift by; of thinning and accents every how manieth hit; of a stutter how many times;
    of all equal the velocity. other: the pad that is struck in turn with the first of `pads`."""

    type: Literal["move_lanes"] = "move_lanes"
    move: Move
    amount: float = Field(default=0.25, ge=-256, le=256)
    other: int | None = Field(default=None, ge=0, lt=MOST_PADS)

    def label(self, pocket: Pocket) -> str:
        return LABELS[self.move]

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        if self.move == "alternate":
            return self._alternate(pocket, pattern)
        mine, rest = self._parted(pattern)
        beats, whole = float(pattern.beats), max(1, round(abs(self.amount)))
        made = {
            "shift": lambda: moves.shifted(mine, self.amount, beats),
            "reverse": lambda: moves.turned_round(mine, beats, 0.25),
            "double": lambda: moves.doubled(mine, beats),
            "halve": lambda: moves.halved(mine, beats),
            "thin": lambda: moves.thinned(mine, max(2, whole)),
            "accent": lambda: moves.accented(mine, max(2, whole), 24),
            "even": lambda: moves.even(mine, max(1, min(127, whole))),
            "stutter": lambda: moves.stuttered(mine, beats, max(2, min(16, whole))),
        }[self.move]()
        return _settled(pocket, pattern, rest, made)

    def _alternate(self, pocket: Pocket, pattern: Pattern) -> Pocket:
        if self.other is None or len(self.pads) != 1 or self.other == self.pads[0]:
            raise Refusal("Choose two lanes to strike in turn.")
        the_pad(pocket, self.pads[0])
        the_pad(pocket, self.other)
        return _settled(pocket, pattern, [], moves.alternated(pattern.hits, self.pads[0], self.other))


class PlaceHits(EditModel):
    """Hits of a pad by a rule: every so many beats from a beat on, so many as evenly as can be, or wherever other pads are silent.
    replace: what the pad plays now goes."""

    type: Literal["place_hits"] = "place_hits"
    pattern: str
    pad: int = Field(ge=0, lt=MOST_PADS)
    rule: Literal["every", "spread", "silent"]
    every: float = Field(default=1.0, ge=1 / 32, le=256, description="Beats; of the other rules the step")
    start: float = Field(default=0.0, ge=0, le=256)
    count: int = Field(default=4, ge=1, le=256)
    velocity: int = Field(default=100, ge=1, le=127)
    others: tuple[int, ...] = Lanes
    replace: bool = True

    def label(self, pocket: Pocket) -> str:
        return "place hits"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        the_pad(pocket, self.pad)
        beats = float(pattern.beats)
        if self.rule == "every":
            made = moves.placed(self.pad, self.every, self.start, self.velocity, beats)
        elif self.rule == "spread":
            made = moves.spread(self.pad, self.count, self.every, round(self.start / self.every), self.velocity, beats)
        else:
            there = [hit for hit in pattern.hits if hit.pad != self.pad and (not self.others or hit.pad in self.others)]
            made = moves.where_silent(self.pad, there, self.every, self.velocity, beats)
        if not made:
            raise Refusal("That rule places no hit in this pattern.")
        rest = [hit for hit in pattern.hits if not (self.replace and hit.pad == self.pad)]
        return _settled(pocket, pattern, rest, made)


def _settled(pocket: Pocket, pattern: Pattern, rest: Sequence[Hit], made: Sequence[Hit]) -> Pocket:
    """The pattern with these hits; of two that came to stand in one place the later one stays, and new ones get ids."""
    if len(made) > MAX_HITS:
        raise Refusal(f"That would be more than {MAX_HITS:,} hits.")
    there = {hit.place: hit for hit in [*rest, *made]}
    fresh = [hit for hit in there.values() if not hit.id]
    pocket, named = with_ids(pocket, fresh)
    return with_hits(pocket, pattern, [*(hit for hit in there.values() if hit.id), *named])
