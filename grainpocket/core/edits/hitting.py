"""Edits to single hits. A hit is named by its id; where it stands is (pad, beat, note)."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Literal

from pydantic import Field

from grainpocket.core.document.sound import Sound
from grainpocket.core.edits.base import EditModel, Library, Refusal, new_ids, the_pattern
from grainpocket.core.edits.padding import Changes, with_sound
from grainpocket.core.params import of
from grainpocket.core.pocket import MOST_PADS, Condition, Hit, Pattern, Pocket, Roll

MAX_HITS = 20_000  # of one edit
MOST_HITS = 100_000  # of one pattern
Ids = Field(min_length=1, max_length=MAX_HITS, description="Hits by id")


class PutHits(EditModel):
    """Add hits. One that stands where there is a hit already takes its place; each gets an id of its own."""

    type: Literal["put_hits"] = "put_hits"
    pattern: str
    hits: tuple[Hit, ...] = Field(min_length=1, max_length=MAX_HITS)

    def label(self, pocket: Pocket) -> str:
        return "add hit" if len(self.hits) == 1 else "add hits"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        if any(hit.beat >= pattern.beats for hit in self.hits):
            raise Refusal(f"{pattern.name} is {pattern.bars} bars long: that hit would lie behind its end.")
        for hit in self.hits:
            with_sound(Sound(), hit.own)
        there = {hit.place: hit for hit in pattern.hits}
        pocket, new = with_ids(pocket, self.hits)
        # What is put where a hit was is that hit, changed.
        there.update({h.place: h.model_copy(update={"id": there[h.place].id}) if h.place in there else h for h in new})
        return with_hits(pocket, pattern, there.values())


class RemoveHits(EditModel):
    type: Literal["remove_hits"] = "remove_hits"
    pattern: str
    hits: tuple[str, ...] = Ids

    def label(self, pocket: Pocket) -> str:
        return "remove hit" if len(self.hits) == 1 else "remove hits"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        gone = set(self.hits)
        return with_hits(pocket, pattern, [hit for hit in pattern.hits if hit.id not in gone])


class SetHits(EditModel):
    """Change hits; what is left out stays as it is on each. own: settings of the sound that are other for these hits alone,
    where null lets the pad's stand again."""

    type: Literal["set_hits"] = "set_hits"
    pattern: str
    hits: tuple[str, ...] = Ids
    velocity: int | None = Field(default=None, ge=1, le=127)
    length: float | None = Field(default=None, gt=0, le=1024, description="Beats; null: to the end of its sound")
    take: int | None = Field(default=None, ge=0)
    roll: Roll | None = Field(default=None, description="null: one stroke again")
    when: Condition | None = Field(default=None, description="null: each time again")
    turn: int | None = Field(default=None, ge=0, lt=32, description="Which of the layers that take turns; null: by their order")
    own: Changes = {}

    def label(self, pocket: Pocket) -> str:
        given = self.model_fields_set - {"type", "pattern", "hits"}
        return "velocity" if given == {"velocity"} else "length" if given == {"length"} else "hits"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        with_sound(Sound(), self.own)
        given = self.model_dump(include=self.model_fields_set & {"velocity", "length", "take"})
        nested: dict[str, object] = {
            name: getattr(self, name) for name in ("roll", "when", "turn") if name in self.model_fields_set
        }
        if self.when is not None and self.when == Condition():
            nested["when"] = None
        kept: dict[str, object] = {k: v for k, v in given.items() if v is not None or k == "length"}
        update = {**kept, **nested}

        def changed(hit: Hit) -> Hit:
            own = {k: v for k, v in {**hit.own, **self.own}.items() if v is not None}
            return hit.model_copy(update={**update, "own": own})

        return with_hits(pocket, pattern, _each(pattern, self.hits, changed).values())


class SetVelocities(EditModel):
    """Velocities hit by hit, as a sweep draws them."""

    type: Literal["set_velocities"] = "set_velocities"
    pattern: str
    velocities: dict[str, int] = Field(min_length=1, max_length=MAX_HITS, description="1 to 127 by hit")

    def label(self, pocket: Pocket) -> str:
        return "velocities"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        if not all(1 <= velocity <= 127 for velocity in self.velocities.values()):
            raise Refusal("A velocity goes from 1 to 127.")
        chosen = list(self.velocities)
        changed = _each(pattern, chosen, lambda hit: hit.model_copy(update={"velocity": self.velocities[hit.id]}))
        return with_hits(pocket, pattern, changed.values())


class MoveHits(EditModel):
    """Move hits by beats, by semitones, or to another pad. None is moved over the edges of the pattern or out of the range of
    notes; what is in the way of one gives way to it."""

    type: Literal["move_hits"] = "move_hits"
    pattern: str
    hits: tuple[str, ...] = Ids
    beats: float = Field(default=0.0, ge=-1024, le=1024)
    notes: int = Field(default=0, ge=-120, le=120)
    pad: int | None = Field(default=None, ge=0, lt=MOST_PADS)

    def label(self, pocket: Pocket) -> str:
        return "move hit" if len(self.hits) == 1 else "move hits"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pattern = the_pattern(pocket, self.pattern)
        note = of("hit", "note")
        moved = _each(pattern, self.hits, lambda hit: hit.model_copy(update=self._place(hit)))
        for key in self.hits:
            hit = moved[key]
            if not 0 <= hit.beat < pattern.beats:
                raise Refusal("That would move a hit over the edge of the pattern.")
            if not note.low <= hit.note <= note.high:
                raise Refusal(f"Notes go from {note.low:g} to {note.high:g} semitones from the pad's own pitch.")
        mine = set(self.hits)
        chosen = {moved[key].place: moved[key] for key in self.hits}
        others = {hit.place: hit for hit in moved.values() if hit.id not in mine}
        return with_hits(pocket, pattern, {**others, **chosen}.values())

    def _place(self, hit: Hit) -> dict[str, object]:
        pad = hit.pad if self.pad is None else self.pad
        return {"beat": hit.beat + self.beats, "note": hit.note + self.notes, "pad": pad}


def _each(pattern: Pattern, ids: Sequence[str], change: Callable[[Hit], Hit]) -> dict[str, Hit]:
    """All hits by id, with a change made to some. Raises Refusal when one is gone."""
    hits = {hit.id: hit for hit in pattern.hits}
    for key in ids:
        if key not in hits:
            raise Refusal("That hit is no longer there.")
        hits[key] = change(hits[key])
    return hits


def with_ids(pocket: Pocket, hits: Sequence[Hit]) -> tuple[Pocket, tuple[Hit, ...]]:
    """The pocket with its counter moved on, and the hits with fresh ids."""
    pocket, ids = new_ids(pocket, "h", len(hits))
    return pocket, tuple(hit.model_copy(update={"id": key}) for hit, key in zip(hits, ids, strict=True))


def with_hits(pocket: Pocket, pattern: Pattern, hits: Iterable[Hit]) -> Pocket:
    """The pocket with a pattern that has these hits, in order. Raises Refusal for more than a pattern holds."""
    ordered = tuple(sorted(hits, key=lambda h: (h.beat, h.pad, h.note)))
    if len(ordered) > MOST_HITS:
        raise Refusal(f"A pattern holds {MOST_HITS} hits.")
    return pocket.with_pattern(pattern.model_copy(update={"hits": ordered}))
