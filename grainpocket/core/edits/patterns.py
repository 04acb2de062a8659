"""Edits to the patterns."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from grainpocket.core.document.sound import Sound
from grainpocket.core.edits.base import EditModel, Library, Refusal, new_ids, the_pattern, the_source
from grainpocket.core.edits.hitting import MAX_HITS, with_hits, with_ids
from grainpocket.core.edits.lanes import the_feel
from grainpocket.core.edits.padding import fill_pads, pads_of, slice_numbers, with_sound
from grainpocket.core.edits.played import as_played, whole_bars
from grainpocket.core.params import of
from grainpocket.core.pocket import MOST_BARS, FeelUse, Hit, Name, Pattern, Pocket
from grainpocket.core.rhythm.original import original_hits


class AddPattern(EditModel):
    type: Literal["add_pattern"] = "add_pattern"
    name: str = Name
    bars: int = Field(default=2, ge=1, le=MOST_BARS)
    copy_of: str | None = Field(default=None, description="Start with the hits, length and swing of this pattern")
    beats_per_bar: int = Field(default=4, ge=1, le=16)
    hits: tuple[Hit, ...] = Field(default=(), max_length=MAX_HITS, description="To begin with, as from a MIDI file")

    def label(self, pocket: Pocket) -> str:
        return "copy pattern" if self.copy_of else "add pattern"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pocket, (key,) = new_ids(pocket, "p", 1)
        if self.copy_of is not None:
            own = {"id": key, "name": self.name, "variant_of": None}
            return pocket.with_pattern(the_pattern(pocket, self.copy_of).model_copy(update=own))
        pattern = Pattern(id=key, name=self.name, bars=self.bars, beats_per_bar=self.beats_per_bar)
        if any(hit.beat >= pattern.beats for hit in self.hits):
            raise Refusal(f"{self.name} is {self.bars} bars long: a hit would lie behind its end.")
        for hit in self.hits:
            with_sound(Sound(), hit.own)
        pocket, hits = with_ids(pocket, tuple({hit.place: hit for hit in self.hits}.values()))
        return with_hits(pocket.with_pattern(pattern), pattern, hits)


class SetPattern(EditModel):
    """Name, length, metre, swing, feel and what strays. Hits beyond a shorter end are kept, unheard, until it is made longer again.
    feel: null takes it off."""

    type: Literal["set_pattern"] = "set_pattern"
    pattern: str
    name: str | None = Field(default=None, min_length=1, max_length=80)
    bars: int | None = Field(default=None, ge=1, le=MOST_BARS)
    beats_per_bar: int | None = Field(default=None, ge=1, le=16)
    swing: float | None = of("pattern", "swing").optional_field()
    swing_step: float | None = of("pattern", "swing_step").optional_field()
    loose: float | None = of("pattern", "loose").optional_field()
    uneven: float | None = of("pattern", "uneven").optional_field()
    seed: int | None = Field(default=None, ge=0, le=9999)
    feel: FeelUse | None = None

    def _changes(self) -> dict[str, Any]:
        given = self.model_dump(exclude={"type", "pattern", "feel"}, exclude_none=True)
        return {**given, "feel": self.feel} if "feel" in self.model_fields_set else given

    def label(self, pocket: Pocket) -> str:
        labels = {
            "name": "rename pattern", "bars": "pattern length", "beats_per_bar": "metre", "feel": "feel", "loose": "loose",
            "uneven": "uneven", "seed": "other dice",
        }  # fmt: skip
        return labels.get(next(iter(self._changes()), ""), "swing")

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        if self.feel is not None:
            the_feel(pocket, self.feel.feel)
        return pocket.with_pattern(the_pattern(pocket, self.pattern).model_copy(update=self._changes()))


class RemovePattern(EditModel):
    type: Literal["remove_pattern"] = "remove_pattern"
    pattern: str

    def label(self, pocket: Pocket) -> str:
        return "remove pattern"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        the_pattern(pocket, self.pattern)
        sections = {
            key: section.model_copy(update={"patterns": tuple(p for p in section.patterns if p != self.pattern)})
            if self.pattern in section.patterns else section
            for key, section in pocket.sections.items()
        }  # fmt: skip
        patterns = {k: p for k, p in pocket.patterns.items() if k != self.pattern}
        return pocket.model_copy(update={"patterns": patterns, "sections": sections})


class OriginalRhythm(EditModel):
    """The rhythm of a sliced find as a new pattern. Slices not yet on a pad are put on free ones."""

    type: Literal["original_rhythm"] = "original_rhythm"
    source: str
    start: int | None = Field(default=None, ge=0, description="Sample where the pattern begins; left out: the first bar")
    end: int | None = Field(default=None, ge=1, description="Sample where it ends, to the nearest bar from its start")
    bars: int | None = Field(default=None, ge=1, le=MOST_BARS, description="Instead of an end; left out: all there are")
    take_tempo: bool = Field(default=True, description="Set the pocket's tempo to the find's own, where no pattern stands yet")
    straight: bool = Field(default=False, description="On the nearest sixteenths, without its micro-timing")

    def label(self, pocket: Pocket) -> str:
        return "original rhythm"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        span = whole_bars(pocket, source, self.start, self.end, self.bars)
        on_pad = {pad.chop.cut: index for index, pad in sorted(pocket.pads.items(), reverse=True) if pad.chop.source == source.id}
        missing = [c for c in span.chops if c.cut not in on_pad]
        new, what = pads_of(pocket, source, missing, 1), slice_numbers(pocket, source, missing)
        pocket, filled = fill_pads(pocket, new, what, None)
        on_pad.update({c.cut: index for c, index in zip(missing, filled, strict=True)})
        hits = original_hits(
            [(on_pad[c.cut], 0, c) for c in span.chops], span.bpm, span.start, span.beats, pocket.rate,
            self.straight,
        )  # fmt: skip
        name = f"{source.name[:70]}, {'on the grid' if self.straight else 'as played'}"
        return as_played(pocket, source, span, hits, name, self.take_tempo)
