"""Edits to the song: its sections, and the threads of automation that lie over them."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from grainpocket.core.document.song import MOST_POINTS, MOST_SECTIONS, Point, Section, Thread
from grainpocket.core.edits.base import EditModel, Library, Refusal, new_ids, the_pattern
from grainpocket.core.mix.routing import parameter_of
from grainpocket.core.params import of
from grainpocket.core.pocket import MOST_PADS, Name, Pocket


class AddSection(EditModel):
    """A new section at the end of the song, or before the one that stands at a place; or one more like another."""

    type: Literal["add_section"] = "add_section"
    name: str = Name
    bars: int | None = Field(default=None, ge=1, le=64, description="Left out: as the one that it copies, else 8")
    patterns: tuple[str, ...] = Field(default=(), max_length=64)
    copy_of: str | None = None
    at: int | None = Field(default=None, ge=0, le=MOST_SECTIONS)

    def label(self, pocket: Pocket) -> str:
        return "copy section" if self.copy_of else "add section"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        if len(pocket.song) >= MOST_SECTIONS:
            raise Refusal(f"A song holds {MOST_SECTIONS} sections.")
        for key in self.patterns:
            the_pattern(pocket, key)
        pocket, (key,) = new_ids(pocket, "n", 1)
        per_bar = pocket.patterns[self.patterns[0]].beats_per_bar if self.patterns else 4
        section = Section(id=key, name=self.name, bars=self.bars or 8, beats_per_bar=per_bar, patterns=self.patterns)
        if self.copy_of is not None:
            model = the_section(pocket, self.copy_of)
            given = {"bars": self.bars} if self.bars else {}
            section = model.model_copy(update={"id": key, "name": self.name, **given})
        song = list(pocket.song)
        song.insert(len(song) if self.at is None else self.at, key)
        return rearranged(pocket, {**pocket.sections, key: section}, tuple(song))


class SetSection(EditModel):
    """Change a section; what is left out stays. Automation moves along with what it lies over."""

    type: Literal["set_section"] = "set_section"
    section: str
    name: str | None = Field(default=None, min_length=1, max_length=80)
    bars: int | None = Field(default=None, ge=1, le=64)
    repeats: int | None = Field(default=None, ge=1, le=int(of("section", "repeats").high))
    patterns: tuple[str, ...] | None = Field(default=None, max_length=64)
    muted: tuple[int, ...] | None = Field(default=None, max_length=MOST_PADS, description="Pads that are silent in it")

    def label(self, pocket: Pocket) -> str:
        return f"section {next(iter(self.model_fields_set - {'type', 'section'}), '')}".strip()

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        section = the_section(pocket, self.section)
        for key in self.patterns or ():
            if key not in section.patterns:
                the_pattern(pocket, key)
        update = self.model_dump(exclude={"type", "section"}, exclude_none=True)
        if "muted" in update:
            update["muted"] = tuple(sorted(set(update["muted"])))
        return rearranged(pocket, {**pocket.sections, section.id: section.model_copy(update=update)}, pocket.song)


class MoveSection(EditModel):
    """Another place in the song for a section, its automation with it."""

    type: Literal["move_section"] = "move_section"
    section: str
    to: int = Field(ge=0, le=MOST_SECTIONS)

    def label(self, pocket: Pocket) -> str:
        return "move section"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        the_section(pocket, self.section)
        song = [key for key in pocket.song if key != self.section]
        song.insert(self.to, self.section)
        return rearranged(pocket, pocket.sections, tuple(song))


class RemoveSection(EditModel):
    type: Literal["remove_section"] = "remove_section"
    section: str

    def label(self, pocket: Pocket) -> str:
        return "remove section"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        the_section(pocket, self.section)
        sections = {key: one for key, one in pocket.sections.items() if key != self.section}
        return rearranged(pocket, sections, tuple(key for key in pocket.song if key != self.section))


class SetThread(EditModel):
    """The automation of a control, as points by beat; without points there is none any more."""

    type: Literal["set_thread"] = "set_thread"
    control: str = Field(max_length=120)
    points: tuple[Point, ...] = Field(max_length=MOST_POINTS)

    def label(self, pocket: Pocket) -> str:
        return "automation"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        try:
            moves = parameter_of(pocket, self.control)
        except KeyError as error:
            raise Refusal("That control is no longer there, or is one that cannot move.") from error
        for point in self.points:
            if not moves.low <= point.value <= moves.high:
                raise Refusal(f"{moves.label} goes from {moves.low:g} to {moves.high:g} {moves.unit}".rstrip() + ".")
        # In order of their beats; those at one beat stay as they came, and are a jump.
        points = tuple(sorted(self.points, key=lambda point: point.beat))
        known = next((t for t in pocket.threads.values() if t.control == self.control), None)
        threads = {k: t for k, t in pocket.threads.items() if t is not known}
        if points:
            if known is None:
                pocket, (key,) = new_ids(pocket, "t", 1)
                known = Thread(id=key, control=self.control)
            threads[known.id] = known.model_copy(update={"points": points})
        return pocket.model_copy(update={"threads": threads})


def the_section(pocket: Pocket, section: str) -> Section:
    """A section by its id. Raises Refusal when it is not there."""
    if section not in pocket.sections:
        raise Refusal("That section is no longer in the song.")
    return pocket.sections[section]


def rearranged(pocket: Pocket, sections: dict[str, Section], song: tuple[str, ...]) -> Pocket:
    """The pocket with another song. Points of automation move along with the section that they stand in; those of a section that
    is gone, or stand beyond its new end, go with it."""
    before, after = _spans(pocket.sections, pocket.song), _spans(sections, song)
    threads = pocket.threads
    if before != after:
        threads = {}
        for key, thread in pocket.threads.items():
            points = tuple(sorted(_moved(thread.points, before, after), key=lambda point: point.beat))
            if points:
                threads[key] = thread.model_copy(update={"points": points})
    return pocket.model_copy(update={"sections": sections, "song": song, "threads": threads})


def _spans(sections: dict[str, Section], song: tuple[str, ...]) -> dict[str, tuple[float, float]]:
    """(first beat, length in beats) of each section, its repeats together."""
    out, at = {}, 0.0
    for key in song:
        length = float(sections[key].beats * sections[key].repeats)
        out[key] = at, length
        at += length
    return out


def _moved(points: tuple[Point, ...], before: dict[str, tuple[float, float]], after: dict[str, tuple[float, float]]) -> list[Point]:
    out = []
    last = max((at + length for at, length in before.values()), default=0.0)
    end = max((at + length for at, length in after.values()), default=0.0)
    for point in points:
        if point.beat >= last:
            # At or behind the end of the song: it stays there.
            out.append(point.model_copy(update={"beat": end + point.beat - last}))
            continue
        for key, (at, length) in before.items():
            inside = point.beat - at
            if 0 <= inside < length and key in after and inside <= after[key][1]:
                out.append(point.model_copy(update={"beat": after[key][0] + inside}))
    return out
