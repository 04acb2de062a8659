"""Edits to the pads."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, Literal

from pydantic import Field

from grainpocket.core.chop.kin import root_of, slices
from grainpocket.core.document.mixing import MASTER, PAD, Effect
from grainpocket.core.document.sound import Sound, changed
from grainpocket.core.edits.base import EditModel, Library, Refusal, the_bus, the_pad, the_source
from grainpocket.core.edits.choking import choke_of, record_group, sorted_chokes
from grainpocket.core.params import SOUND, BadValue, Value
from grainpocket.core.pocket import LONGEST_CHOP_S, MOST_CHOKE, MOST_LAYERS, MOST_PADS, PAGE, Chop, Layer, Pad, Pocket, Role, Source


class SlicesToPads(EditModel):
    """Put slices on pads, one each, in order: on the next free pads, from `first` on, or on the pads given. What is there
    is replaced, or gets them as layers. Without `cuts`, all slices that are on no pad yet."""

    type: Literal["slices_to_pads"] = "slices_to_pads"
    source: str
    cuts: tuple[str, ...] | None = Field(default=None, description="Cut ids of the slices; left out: all not on pads yet")
    first: int | None = Field(default=None, ge=0, lt=MOST_PADS, description="Pad of the first one, replacing what is there")
    pads: tuple[int, ...] = Field(default=(), description="Pads to put them on, as many as there are")
    layer: bool = Field(default=False, description="Let them sound along with what is on those pads")
    choke: int | None = Field(default=None, ge=0, le=MOST_CHOKE, description="Left out: its record's group, none for what rings on")

    def label(self, pocket: Pocket) -> str:
        return "slice to pad" if self.cuts is not None and len(self.cuts) == 1 else "slices to pads"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        source = the_source(pocket, self.source)
        try:
            chops = slices(pocket, source, self.cuts)
        except KeyError as error:
            raise Refusal("One of those slices is no longer there. Choose again.") from error
        if not chops:
            raise Refusal(f"{source.name} has no cuts yet. Raise the sensitivity or add a cut.")
        if self.cuts is None:
            there = {pad.chop.cut for pad in pocket.pads.values() if pad.chop.source == source.id}
            chops = [chop for chop in chops if chop.cut not in there]
            if not chops:
                raise Refusal("All its slices are on pads already. To put one on a second pad, choose it and press To pad.")
        return fill_pads(
            pocket,
            pads_of(pocket, source, chops, self.choke),
            slice_numbers(pocket, source, chops),
            self.first,
            self.pads,
            self.layer,
        )[0]


Changes = dict[str, float | bool | str | None]


class SetPads(EditModel):
    """Change settings of one or several pads; what is left out stays as it is on each. sound: settings by name, where null puts
    one back to its default; a role or bus that is null is none."""

    type: Literal["set_pads"] = "set_pads"
    pads: tuple[int, ...] = Field(min_length=1)
    name: str | None = Field(default=None, max_length=80, description="Empty: by itself again")
    role: Role | None = None
    sound: Changes = {}
    choke: int | None = Field(default=None, ge=0, le=MOST_CHOKE)
    choke_by_itself: bool = Field(default=False, description="The group that each would get by itself (see `choking`)")
    locked: bool | None = None
    bus: str | None = Field(default=None, description="A bus by id, or master; null: as its role says")

    def _changes(self) -> dict[str, Any]:
        given = self.model_dump(include=self.model_fields_set - {"type", "pads", "sound", "choke_by_itself"})
        if "name" in given:
            given["name"] = given["name"] or None
        return {k: v for k, v in given.items() if v is not None or k in ("role", "bus", "name")}

    def label(self, pocket: Pocket) -> str:
        field = next(iter([*self.sound, *self._changes()]), "choke" if self.choke_by_itself else "pad")
        return f"pad {next((p.label.lower() for p in SOUND if p.name == field), field)}"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        if self.bus is not None and self.bus != MASTER:
            the_bus(pocket, self.bus)
        update = self._changes()
        pads = dict(pocket.pads)
        for index in self.pads:
            pad = the_pad(pocket, index)
            pads[index] = pad.model_copy(update={**update, "sound": with_sound(pad.sound, self.sound)})
        pocket = pocket.model_copy(update={"pads": pads})
        if self.choke_by_itself:
            pocket = pocket.model_copy(update={"pads": {**pads, **sorted_chokes(pocket, self.pads)}})
        return pocket


def with_sound(sound: Sound, changes: Mapping[str, Value | None]) -> Sound:
    """The sound with other settings. Raises Refusal for one that there is not, and outside its range."""
    try:
        return changed(sound, changes)
    except BadValue as error:
        raise Refusal(str(error)) from error
    except KeyError as error:
        raise Refusal(f"A pad has no setting {error.args[0]}.") from error


class SetEachPad(EditModel):
    """One setting of several pads, each to a value of its own, as when all are turned down by as much."""

    type: Literal["set_each_pad"] = "set_each_pad"
    field: str = Field(description="A setting of the sound, by name")
    values: dict[int, float] = Field(min_length=1, max_length=MOST_PADS, description="By pad; in the setting's range")

    def label(self, pocket: Pocket) -> str:
        return f"pad {next((p.label.lower() for p in SOUND if p.name == self.field), self.field)}"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pads = dict(pocket.pads)
        for index, value in self.values.items():
            pad = the_pad(pocket, index)
            pads[index] = pad.model_copy(update={"sound": with_sound(pad.sound, {self.field: value})})
        return pocket.model_copy(update={"pads": pads})


class ClearPads(EditModel):
    """Empty pads. Hits on them stay in the patterns, silent, until the pad is filled again."""

    type: Literal["clear_pads"] = "clear_pads"
    pads: tuple[int, ...] = Field(min_length=1)

    def label(self, pocket: Pocket) -> str:
        return "clear pad" if len(self.pads) == 1 else "clear pads"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        for index in self.pads:
            the_pad(pocket, index)
        return pocket.model_copy(update={"pads": {k: p for k, p in pocket.pads.items() if k not in self.pads}})


class MovePad(EditModel):
    """Move a pad to another place, with its hits in every pattern; what was there changes places with it."""

    type: Literal["move_pad"] = "move_pad"
    pad: int
    to: int = Field(ge=0, lt=MOST_PADS)

    def label(self, pocket: Pocket) -> str:
        return "swap pads" if self.to in pocket.pads else "move pad"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        moved = the_pad(pocket, self.pad)
        swap = {self.pad: self.to, self.to: self.pad}
        pads = {k: p for k, p in pocket.pads.items() if k not in swap}
        pads[self.to] = moved
        if self.to in pocket.pads:
            pads[self.pad] = pocket.pads[self.to]
        patterns = {}
        for key, pattern in pocket.patterns.items():
            if any(hit.pad in swap for hit in pattern.hits):
                hits = [h.model_copy(update={"pad": swap[h.pad]}) if h.pad in swap else h for h in pattern.hits]
                pattern = pattern.model_copy(update={"hits": tuple(sorted(hits, key=lambda h: (h.beat, h.pad, h.note)))})
            patterns[key] = pattern
        pocket = pocket.model_copy(update={"pads": dict(sorted(pads.items())), "patterns": patterns})
        return followed(pocket, {f"{PAD}{a}": f"{PAD}{b}" for a, b in swap.items()}, swap)


def followed(pocket: Pocket, keys: Mapping[str, str], pads: Mapping[int, int]) -> Pocket:
    """What names pads by number, after they were moved: effects that listen to them, and sections in which they are silent."""

    def chain(effects: tuple[Effect, ...]) -> tuple[Effect, ...]:
        return tuple(e.model_copy(update={"listens_to": keys.get(e.listens_to or "", e.listens_to)}) for e in effects)

    buses = {k: bus.model_copy(update={"chain": chain(bus.chain)}) for k, bus in pocket.buses.items()}
    sections = {
        k: section.model_copy(update={"muted": tuple(sorted(pads.get(pad, pad) for pad in section.muted))})
        for k, section in pocket.sections.items()
    }
    return pocket.model_copy(update={"buses": buses, "chain": chain(pocket.chain), "sections": sections})


def pads_of(pocket: Pocket, source: Source, chops: Sequence[Chop], choke: int | None) -> list[Pad]:
    """A new pad for each slice, with its role. choke: their group; None: the one that each has by itself."""
    root, _ = root_of(pocket, source)
    by_id = {cut.id: cut for cut in root.cuts}
    group = record_group(pocket, source)
    made = []
    for chop in chops:
        role = by_id[chop.cut or ""].role
        own = group if choke is None and choke_of(pocket, source, chop, role) else 0
        made.append(Pad(role=role, chop=chop, choke=own if choke is None else choke))
    return made


def slice_numbers(pocket: Pocket, source: Source, chops: Sequence[Chop]) -> list[str]:
    """Each one's name in a message."""
    root, _ = root_of(pocket, source)
    numbers = {cut.id: n for n, cut in enumerate(root.cuts, 1)}
    return [f"Slice {numbers[c.cut or '']}" for c in chops]


def fill_pads(
    pocket: Pocket, new: Sequence[Pad], what: Sequence[str], first: int | None, chosen: Sequence[int] = (), layer: bool = False
) -> tuple[Pocket, list[int]]:
    """The pocket with new pads on the next free places, from `first` on or on those chosen, in place of what is there or
    layered on it, and the places they went to. what: each one's name in a message. Raises Refusal when one is too long or
    pads run out. Locked pads are passed over; a chosen one that is locked is refused."""
    if chosen:
        free = list(chosen)
        locked = [i for i in free if i in pocket.pads and pocket.pads[i].locked]
        if locked:
            raise Refusal(f"{pocket.pads[locked[0]].called} is locked. Unlock it first, or choose another pad.")
    elif first is not None:
        free = [i for i in range(first, MOST_PADS) if not (i in pocket.pads and pocket.pads[i].locked)]
    else:
        free = _free_pads(pocket, len(new))
    if len(new) > len(free):
        kind = "chosen" if chosen else "free"
        raise Refusal(f"{len(new)} slices do not fit on {len(free)} {kind} pads. Choose fewer, or clear some pads.")
    pads = dict(pocket.pads)
    for place, pad, name in zip(free, new, what, strict=False):
        seconds = (pad.chop.end - pad.chop.start) / pocket.rate
        if seconds > LONGEST_CHOP_S:
            raise Refusal(f"{name} is {seconds:.0f} s long; a pad holds up to {LONGEST_CHOP_S} s. Cut it shorter first.")
        pads[place] = _layered(pads[place], pad) if layer and place in pads else pad
    return pocket.model_copy(update={"pads": dict(sorted(pads.items()))}), free[: len(new)]


def _free_pads(pocket: Pocket, count: int) -> list[int]:
    """The first so many free places in a row that lie on one page, or begin one when they are more than a page; failing that,
    any in a row, or all free places. A kit should not lie in the gaps of another, nor over the edge of a page."""
    free = [i for i in range(MOST_PADS) if i not in pocket.pads]
    runs = [i for i in range(len(free) - count + 1) if not count or free[i + count - 1] - free[i] == count - 1]
    tidy = (i for i in runs if free[i] % PAGE + min(count, PAGE) <= PAGE)
    first = next(tidy, runs[0] if runs else None)
    return free if first is None else free[first:]


def _layered(pad: Pad, over: Pad) -> Pad:
    if len(pad.layers) >= MOST_LAYERS:
        raise Refusal(f"{pad.called} has {MOST_LAYERS + 1} sounds already, the most a pad can play at once.")
    return pad.model_copy(update={"layers": (*pad.layers, Layer(chop=over.chop, name=over.name or ""))})
