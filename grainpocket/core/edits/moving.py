"""Moves on many hits at once: on the grid, and by the rules of core/rhythm/moves."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Literal

from pydantic import Field

from grainpocket.core.edits.base import EditModel, Library, Refusal, the_pad, the_pattern
from grainpocket.core.edits.hitting import MAX_HITS, with_hits, with_ids
from grainpocket.core.pocket import MOST_BARS, MOST_PADS, Hit, Pattern, Pocket
from grainpocket.core.rhythm import moves
from grainpocket.core.rhythm.feel import feel_of

Move = Literal[
    "shift", "reverse", "double", "halve", "thin", "accent", "even", "stutter", "alternate", "louder", "vary", "invert", "duplicate"
]
LABELS: dict[Move, str] = {
    "shift": "shift", "reverse": "turn round", "double": "double", "halve": "halve", "thin": "thin out", "accent": "accents",
    "even": "all equal", "stutter": "stutter", "alternate": "alternate",
    "louder": "all up", "vary": "a little variation", "invert": "invert",
    "duplicate": "double with a variation",
}  # fmt: skip
Lanes = Field(default=(), max_length=MOST_PADS, description="Pads whose hits are meant; none: all")


class Chosen(EditModel):
    """Hits of a pattern that are meant: by pad, by id, or both."""

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

    def _each_pad(self, pocket: Pocket, pattern: Pattern, change: Callable[[list[Hit], int], list[Hit]]) -> Pocket:
        """The pattern with a change made pad by pad to the hits that are meant; it is told the key of the pad's root (MIDI)."""
        mine, rest = self._parted(pattern)
        made: list[Hit] = []
        for pad in sorted({hit.pad for hit in mine}):
            root = round(pocket.pads[pad].sound.root) if pad in pocket.pads else 60
            made += change([hit for hit in mine if hit.pad == pad], root)
        return settled(pocket, pattern, rest, made)


class Quantise(Chosen):
    """Draw hits to a grid. step: beats; strength: % of the way; swing: % of a pair of steps that the first takes; reach: % of half
    a step within which a hit is drawn at all."""

    type: Literal["quantise"] = "quantise"
    step: float = Field(default=0.25, ge=1 / 16, le=4)
    strength: float = Field(default=100.0, ge=0, le=100)
    swing: float = Field(default=50.0, ge=50, le=75)
    reach: float = Field(default=100.0, ge=0, le=100)
    feel: str | None = Field(default=None, max_length=40, description="Its lines instead of straight ones")

    def label(self, pocket: Pocket) -> str:
        return "quantise"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        mine, rest = self._parted(pattern)
        feel = feel_of(pocket, self.feel) if self.feel is not None else None
        if self.feel is not None and feel is None:
            raise Refusal("That feel is no longer there.")
        share = (self.strength / 100, self.swing / 100, self.reach / 100)
        made = moves.quantised(mine, self.step, *share, pattern.beats, feel)
        return settled(pocket, pattern, rest, made)


class MoveLanes(Chosen):
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
        if self.move == "duplicate":
            return self._duplicate(pocket, pattern)
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
            "louder": lambda: moves.louder(mine, round(self.amount)),
            "vary": lambda: moves.varied(mine, whole, pattern.seed),
            "invert": lambda: moves.inverted(mine, 0.25, beats),
            "stutter": lambda: moves.stuttered(mine, beats, max(2, min(16, whole))),
        }[self.move]()
        return settled(pocket, pattern, rest, made)

    def _duplicate(self, pocket: Pocket, pattern: Pattern) -> Pocket:
        """Twice as long, the second time with a variation."""
        if pattern.bars * 2 > MOST_BARS:
            raise Refusal(f"A pattern holds {MOST_BARS} bars.")
        again = moves.variation(pattern.hits, float(pattern.beats), pattern.seed)
        longer = pattern.model_copy(update={"bars": pattern.bars * 2})
        return settled(pocket.with_pattern(longer), longer, pattern.hits, again)

    def _alternate(self, pocket: Pocket, pattern: Pattern) -> Pocket:
        if self.other is None or len(self.pads) != 1 or self.other == self.pads[0]:
            raise Refusal("Choose two lanes to strike in turn.")
        the_pad(pocket, self.pads[0])
        the_pad(pocket, self.other)
        return settled(pocket, pattern, [], moves.alternated(pattern.hits, self.pads[0], self.other))


class PlaceHits(EditModel):
    """Hits of a pad by a rule: every so many beats from a beat on, so many as evenly as can be, or wherever other pads are silent;
    or so many at the end of the pattern, over the last `every` beats, in place of all else.
    replace: what the pad plays now goes."""

    type: Literal["place_hits"] = "place_hits"
    pattern: str
    pad: int = Field(ge=0, lt=MOST_PADS)
    rule: Literal["every", "spread", "silent", "end"]
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
        elif self.rule == "end":
            over = min(beats, self.every)
            return settled(
                pocket, pattern, [], moves.repeated_at_end(pattern.hits, self.pad, self.count, over, self.velocity, beats)
            )
        else:
            there = [hit for hit in pattern.hits if hit.pad != self.pad and (not self.others or hit.pad in self.others)]
            made = moves.where_silent(self.pad, there, self.every, self.velocity, beats)
        if not made:
            raise Refusal("That rule places no hit in this pattern.")
        rest = [hit for hit in pattern.hits if not (self.replace and hit.pad == self.pad)]
        return settled(pocket, pattern, rest, made)


class StretchHits(Chosen):
    """Hits so many times as far from a beat, and as long."""

    type: Literal["stretch_hits"] = "stretch_hits"
    factor: float = Field(ge=1 / 16, le=16)
    about: float = Field(default=0.0, ge=0, le=1024)

    def label(self, pocket: Pocket) -> str:
        return "stretch hits"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        mine, rest = self._parted(pattern)
        made = moves.stretched(mine, self.factor, self.about, float(pattern.beats))
        return settled(pocket, pattern, rest, made)


class CopyRhythm(EditModel):
    """What a pad plays, on other pads too: places, velocities, lengths and rolls; notes as well where `notes` says so."""

    type: Literal["copy_rhythm"] = "copy_rhythm"
    pattern: str
    pad: int = Field(ge=0, lt=MOST_PADS)
    to: tuple[int, ...] = Field(min_length=1, max_length=64)
    notes: bool = True
    velocity: int | None = Field(default=None, ge=1, le=127, description="All of them at this; left out: as they are")
    replace: bool = True

    def label(self, pocket: Pocket) -> str:
        return "copy rhythm"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        mine = [hit for hit in pattern.hits if hit.pad == self.pad]
        if not mine:
            raise Refusal("That lane plays nothing: there is no rhythm to copy.")
        made: list[Hit] = []
        for pad in self.to:
            the_pad(pocket, pad)
            if pad == self.pad:
                raise Refusal("Choose another lane to copy to.")
            plain: dict[str, object] = {"pad": pad, "id": "", "take": 0, "own": {}}
            if self.velocity is not None:
                plain["velocity"] = self.velocity
            made += [hit.model_copy(update=plain if self.notes else {**plain, "note": 0}) for hit in mine]
        if not self.notes:
            made = list({hit.place: hit for hit in made}.values())
        rest = [hit for hit in pattern.hits if not (self.replace and hit.pad in self.to)]
        return settled(pocket, pattern, rest, made)


def settled(pocket: Pocket, pattern: Pattern, rest: Sequence[Hit], made: Sequence[Hit]) -> Pocket:
    """The pattern with these hits; of two that came to stand in one place the later one stays, and new ones get ids."""
    if len(made) > MAX_HITS:
        raise Refusal(f"That would be more than {MAX_HITS:,} hits.")
    there = {hit.place: hit for hit in [*rest, *made]}
    fresh = [hit for hit in there.values() if not hit.id]
    pocket, named = with_ids(pocket, fresh)
    return with_hits(pocket, pattern, [*(hit for hit in there.values() if hit.id), *named])
