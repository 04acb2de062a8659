"""Edits to the chord line of a pattern, and to notes by chords and scales."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from typing import Literal

import numpy as np
from pydantic import Field

from grainpocket.core.edits.base import EditModel, Library, Refusal, the_pad, the_pattern, the_source
from grainpocket.core.edits.hitting import MAX_HITS
from grainpocket.core.edits.moving import Chosen, settled
from grainpocket.core.listen.tempo.grids import beat_of
from grainpocket.core.notes import chord_of
from grainpocket.core.pocket import MOST_PADS, ChordAt, Hit, Pattern, Pocket
from grainpocket.core.rhythm import melody

MOST_TYPED = 400


class SetChords(EditModel):
    """The chords of a pattern. typed: as "Dm7 G7 | C", bars apart by "|" or, where there is none, by spaces; fewer than there are
    bars go round. follow: notes of tuned pads go along to the new chords."""

    type: Literal["set_chords"] = "set_chords"
    pattern: str
    typed: str = Field(max_length=MOST_TYPED)
    follow: bool = False

    def label(self, pocket: Pocket) -> str:
        return "other chords" if self.follow else "chords"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        return with_chords(pocket, pattern, _typed(self.typed, pattern), self.follow)


class TakeChords(EditModel):
    """The chords of a find, or of what a pad plays, as those of the pattern. start: sample of the find that is beat 0."""

    type: Literal["take_chords"] = "take_chords"
    pattern: str
    source: str | None = None
    start: int | None = Field(default=None, ge=0)
    pad: int | None = Field(default=None, ge=0, lt=MOST_PADS)
    follow: bool = False

    def label(self, pocket: Pocket) -> str:
        return "chords"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        if self.pad is not None:
            root = round(the_pad(pocket, self.pad).sound.root)
            found = melody.heard_chords([h for h in pattern.hits if h.pad == self.pad], root, float(pattern.beats_per_bar))
            if not found:
                raise Refusal("That pad plays nothing here. Play or draw its notes first.")
            return with_chords(pocket, pattern, found, self.follow)
        if self.source is None:
            raise Refusal("Say whose chords: a find's or a pad's.")
        return with_chords(pocket, pattern, self._of_source(pocket, pattern, library), self.follow)

    def _of_source(self, pocket: Pocket, pattern: Pattern, library: Library) -> list[ChordAt]:
        source = the_source(pocket, self.source or "")
        if source.grid is None:
            raise Refusal(f"{source.name} has no tempo yet. Set one in Listen.")
        try:
            heard = library.hearing(source.audio).chords
        except KeyError as error:
            raise Refusal(f"{source.name} has not been listened to yet.") from error
        start = source.grid.bar_one if self.start is None else self.start
        first = float(beat_of(source.grid, pocket.rate, np.array([float(start)]))[0])
        out: dict[float, ChordAt] = {}
        for chord in heard:
            known = chord_of(chord.label)
            begin, end = (beat_of(source.grid, pocket.rate, np.array([chord.start, chord.end]) * pocket.rate) - first).tolist()
            beat = max(0.0, float(round(begin)))
            if known is not None and end > 0.5 and beat < pattern.beats and end - beat >= 0.5:
                out[beat] = ChordAt(beat=beat, tonic=known[0], kind=known[1])
        if not out:
            raise Refusal(f"No chords are heard in that part of {source.name}.")
        return list(out.values())


class PlaceChord(EditModel):
    """A chord on a pad: the one that holds there, or one by its name. inversion: how often its lowest note goes up."""

    type: Literal["place_chord"] = "place_chord"
    pattern: str
    pad: int = Field(ge=0, lt=MOST_PADS)
    beat: float = Field(ge=0)
    length: float = Field(default=1.0, gt=0, le=256)
    name: str | None = Field(default=None, max_length=12)
    inversion: int = Field(default=0, ge=0, le=5)
    velocity: int = Field(default=100, ge=1, le=127)

    def label(self, pocket: Pocket) -> str:
        return "place chord"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        root = round(the_pad(pocket, self.pad).sound.root)
        if self.beat >= pattern.beats:
            raise Refusal("That lies behind the end of the pattern.")
        if self.name is None:
            chord = melody.sounding(pattern.chords, self.beat)
            if chord is None:
                raise Refusal("No chord holds there. Write some into the chord line first.")
        else:
            chord = _chord(self.name, self.beat)
        notes = melody.chord_notes(chord, root, self.inversion)
        length = min(self.length, pattern.beats - self.beat)
        new = [Hit(pad=self.pad, beat=self.beat, note=note, length=length, velocity=self.velocity) for note in notes]
        gone = {hit.place for hit in new}
        return settled(pocket, pattern, [hit for hit in pattern.hits if hit.place not in gone], new)


class SnapNotes(Chosen):
    """Notes at the nearest one that fits: of the chord that holds, or of the pocket's key."""

    type: Literal["snap_notes"] = "snap_notes"
    to: Literal["chords", "key"] = "chords"

    def label(self, pocket: Pocket) -> str:
        return f"notes to the {self.to}"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        key = pocket.key
        if self.to == "key" and key is None:
            raise Refusal("The pocket has no key yet. Choose one at the bottom.")
        if self.to == "chords" and not pattern.chords:
            raise Refusal("The pattern has no chords yet. Write some into the chord line first.")

        def allowed(beat: float) -> frozenset[int] | None:
            if self.to == "key":
                return melody.scale_of(key) if key is not None else None
            chord = melody.sounding(pattern.chords, beat)
            return None if chord is None else melody.classes_of(chord)

        return self._each_pad(pocket, pattern, lambda hits, root: melody.snapped(hits, root, allowed))


class TurnChords(Chosen):
    """Of each chord the lowest note an octave up, or the highest one down."""

    type: Literal["turn_chords"] = "turn_chords"
    up: bool = True

    def label(self, pocket: Pocket) -> str:
        return "turn chord over"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        return self._each_pad(pocket, the_pattern(pocket, self.pattern), lambda hits, root: melody.inverted(hits, self.up))


class BreakChords(Chosen):
    """Chords as their notes one after the other. step: beats."""

    type: Literal["break_chords"] = "break_chords"
    step: float = Field(default=0.25, ge=1 / 24, le=4)
    order: melody.Order = "up"

    def label(self, pocket: Pocket) -> str:
        return "arpeggio"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        return self._each_pad(pocket, pattern, lambda hits, root: melody.broken(hits, self.step, self.order, float(pattern.beats)))


def with_chords(pocket: Pocket, pattern: Pattern, chords: Sequence[ChordAt], follow: bool) -> Pocket:
    """The pocket with other chords in a pattern; follow: notes of pads that play some go along."""
    new = tuple(sorted(chords, key=lambda one: one.beat))
    out = pattern.model_copy(update={"chords": new})
    if not (follow and pattern.chords and new):
        return pocket.with_pattern(out)
    hits: list[Hit] = []
    for pad in sorted({hit.pad for hit in pattern.hits}):
        mine = [hit for hit in pattern.hits if hit.pad == pad]
        tuned = pad in pocket.pads and any(hit.note for hit in mine)
        root = round(pocket.pads[pad].sound.root) if tuned else 0
        hits += melody.followed(mine, root, pattern.chords, new) if tuned else mine
    if len(hits) > MAX_HITS:
        raise Refusal(f"That would change more than {MAX_HITS:,} hits.")
    return settled(pocket, out, [], hits)


def _chord(name: str, beat: float) -> ChordAt:
    found = chord_of(name)
    if found is None:
        raise Refusal(f"{name} is no chord that is known here. Write it as Dm, G7, F#, Bbmaj7, Asus4.")
    return ChordAt(beat=beat, tonic=found[0], kind=found[1])


def _typed(text: str, pattern: Pattern) -> list[ChordAt]:
    bars = [bar.split() for bar in re.split(r"[|\n]", text) if bar.split()]
    if len(bars) == 1 and "|" not in text:
        bars = [[name] for name in bars[0]]
    out: list[ChordAt] = []
    for number in range(pattern.bars if bars else 0):
        names = bars[number % len(bars)]
        for place, name in enumerate(names):
            beat = number * pattern.beats_per_bar + math.floor(place * pattern.beats_per_bar / len(names) * 4 + 1e-9) / 4
            if name not in ("%", "-", "."):
                out.append(_chord(name, beat))
    return [one for i, one in enumerate(out) if i == 0 or (out[i - 1].tonic, out[i - 1].kind) != (one.tonic, one.kind)]
