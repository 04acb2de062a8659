"""Edits to pages of pads, to what a pad plays, and to the tray."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from grainpocket.core.chop.kin import related, root_of, slices, under
from grainpocket.core.edits.base import EditModel, Library, Refusal, the_pad, the_source
from grainpocket.core.edits.family_cuts import chops_of, pad_with
from grainpocket.core.edits.padding import Changes, fill_pads, pads_of, with_sound
from grainpocket.core.params import of
from grainpocket.core.pocket import CHOKE_OF, MOST_PADS, MOST_TRAY, PAGE, Chop, Frozen, Held, Pad, Pocket, Role

LAST_PAGE = MOST_PADS // PAGE - 1


class NamePage(EditModel):
    """Name a page of pads, or let it go without."""

    type: Literal["name_page"] = "name_page"
    page: int = Field(ge=0, le=LAST_PAGE)
    name: str = Field(default="", max_length=80)

    def label(self, pocket: Pocket) -> str:
        return "name page"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pages = {k: v for k, v in pocket.pages.items() if k != self.page}
        if self.name:
            pages[self.page] = self.name
        return pocket.model_copy(update={"pages": dict(sorted(pages.items()))})


class CopyPage(EditModel):
    """A page of pads again on the next page behind all that are used: its settings are its own from then on."""

    type: Literal["copy_page"] = "copy_page"
    page: int = Field(ge=0, le=LAST_PAGE)
    name: str = Field(default="", max_length=80)

    def label(self, pocket: Pocket) -> str:
        return "copy page"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        mine = {k: p for k, p in pocket.pads.items() if k // PAGE == self.page}
        if not mine:
            raise Refusal("That page is empty: there is nothing to copy.")
        to = max(max(pocket.pads) // PAGE, max(pocket.pages, default=0)) + 1
        if to > LAST_PAGE:
            raise Refusal(f"There are {LAST_PAGE + 1} pages, all in use. Clear one first.")
        copies = {k + (to - self.page) * PAGE: pad.model_copy(update={"locked": False}) for k, pad in mine.items()}
        name = self.name or (f"{pocket.pages[self.page][:70]} copy" if self.page in pocket.pages else "")
        pages = {**pocket.pages, to: name} if name else pocket.pages
        return pocket.model_copy(update={"pads": dict(sorted({**pocket.pads, **copies}.items())), "pages": pages})


class CopyPad(EditModel):
    """A pad again on another place, in place of what is there; or its settings alone, under the sound that is there."""

    type: Literal["copy_pad"] = "copy_pad"
    pad: int
    to: tuple[int, ...] = Field(min_length=1, max_length=MOST_PADS)
    settings_only: bool = False

    def label(self, pocket: Pocket) -> str:
        return "copy settings" if self.settings_only else "copy pad"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pad = the_pad(pocket, self.pad)
        pads = dict(pocket.pads)
        for place in self.to:
            if not 0 <= place < MOST_PADS:
                raise Refusal("There is no such pad.")
            there = pads.get(place)
            if there is not None and there.locked:
                raise Refusal(f"{there.called} is locked. Unlock it first, or choose another pad.")
            if self.settings_only:
                own = the_pad(pocket, place).model_dump(include={"name", "role", "locked"})
                kept = {name: getattr(pads[place], name) for name in ("chop", "takes", "layers", "zones")}
                pads[place] = pad.model_copy(update={**own, **kept})
            else:
                pads[place] = pad.model_copy(update={"locked": False})
        return pocket.model_copy(update={"pads": dict(sorted(pads.items()))})


class SwitchSound(EditModel):
    """Let pads play the same slices of another source of their family: the mix, a stem, a cleaned copy."""

    type: Literal["switch_sound"] = "switch_sound"
    pads: tuple[int, ...] = Field(min_length=1)
    source: str

    def label(self, pocket: Pocket) -> str:
        return f"play {pocket.sources[self.source].name}" if self.source in pocket.sources else "switch sound"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        other = the_source(pocket, self.source)

        def there(chop: Chop) -> Chop:
            kin = related(pocket, pocket.sources[chop.source], other)
            return under(pocket, chop, other) if kin and chop.source != other.id else chop

        changed = {index: pad_with(the_pad(pocket, index), there) for index in self.pads}
        if all(changed[index] is pocket.pads[index] for index in self.pads):
            root, _ = root_of(pocket, other)
            raise Refusal(f"None of these pads plays something of {root.name} that could become {other.name}.")
        return pocket.model_copy(update={"pads": {**pocket.pads, **changed}})


class PlaySlice(EditModel):
    """Another slice under a pad, its settings kept. Its role comes along, and its name unless the pad has its own."""

    type: Literal["play_slice"] = "play_slice"
    pad: int
    source: str
    cut: str
    keep_role: bool = Field(default=False, description="Leave the pad's role as it is")

    def label(self, pocket: Pocket) -> str:
        return "step slice"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pad, source = the_pad(pocket, self.pad), the_source(pocket, self.source)
        if pad.locked:
            raise Refusal(f"{pad.called} is locked. Unlock it first.")
        try:
            chop = slices(pocket, source, (self.cut,))[0]
        except KeyError as error:
            raise Refusal("That slice is no longer there.") from error
        new = pads_of(pocket, source, [chop], pad.choke)[0]
        change: dict[str, object] = {"chop": chop, "role": pad.role if self.keep_role else new.role or pad.role}
        return pocket.with_pad(self.pad, pad.model_copy(update=change))


class SetLayer(EditModel):
    """Settings of a pad's layer, or take it off. delay: ms after the hit; softest, hardest: velocities between which it sounds;
    when: always, in turn with others, or one of them by chance."""

    type: Literal["set_layer"] = "set_layer"
    pad: int
    layer: int = Field(ge=0)
    sound: Changes = {}
    remove: bool = False
    delay: float | None = of("layer", "delay").optional_field()
    softest: int | None = of("layer", "softest").optional_field()
    hardest: int | None = of("layer", "hardest").optional_field()
    when: Literal["always", "in turn", "random"] | None = None

    def _given(self) -> dict[str, object]:
        return self.model_dump(include={"delay", "softest", "hardest", "when"}, exclude_none=True)

    def label(self, pocket: Pocket) -> str:
        return "remove layer" if self.remove else f"layer {next(iter([*self.sound, *self._given()]), 'sound')}"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pad = the_pad(pocket, self.pad)
        if self.layer >= len(pad.layers):
            raise Refusal("That layer is no longer there.")
        layers = list(pad.layers)
        if self.remove:
            del layers[self.layer]
        else:
            layer = layers[self.layer]
            layers[self.layer] = layer.model_copy(update={"sound": with_sound(layer.sound, self.sound), **self._given()})
        return pocket.with_pad(self.pad, pad.model_copy(update={"layers": tuple(layers)}))


class SliceRef(Frozen):
    """A slice of a source, or a stretch of it that is none. The name and role of a stretch go with it."""

    source: str
    cut: str | None = None
    start: int | None = Field(default=None, ge=0)
    end: int | None = Field(default=None, ge=1)
    name: str = Field(default="", max_length=80)
    role: Role | None = None


class AddToTray(EditModel):
    """Set slices aside, from any find. What is in the tray already stays where it is."""

    type: Literal["add_to_tray"] = "add_to_tray"
    slices: tuple[SliceRef, ...] = Field(min_length=1, max_length=MOST_TRAY)

    def label(self, pocket: Pocket) -> str:
        return "into the tray"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        tray = list(pocket.tray)
        for pad in _pads(pocket, self.slices):
            held = Held(chop=pad.chop, name=pad.name, role=pad.role)
            if all(held.chop != other.chop for other in tray):
                tray.append(held)
        if len(tray) > MOST_TRAY:
            raise Refusal(f"The tray holds {MOST_TRAY} slices. Put some on pads, or take some out.")
        return pocket.model_copy(update={"tray": tuple(tray)})


class TakeFromTray(EditModel):
    """Take slices out of the tray, by their places in it."""

    type: Literal["take_from_tray"] = "take_from_tray"
    places: tuple[int, ...] = Field(min_length=1)

    def label(self, pocket: Pocket) -> str:
        return "out of the tray"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        return pocket.model_copy(update={"tray": tuple(h for i, h in enumerate(pocket.tray) if i not in self.places)})


class TrayToPads(EditModel):
    """Put what is in the tray on pads, one each, in order; the tray is empty then, unless it is kept."""

    type: Literal["tray_to_pads"] = "tray_to_pads"
    places: tuple[int, ...] | None = Field(default=None, description="Left out: all of it")
    first: int | None = Field(default=None, ge=0, lt=MOST_PADS)
    pads: tuple[int, ...] = ()
    layer: bool = False
    keep: bool = False

    def label(self, pocket: Pocket) -> str:
        return "tray to pads"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        wanted = [i for i in range(len(pocket.tray)) if self.places is None or i in self.places]
        if not wanted:
            raise Refusal("The tray is empty. Choose slices and press Into the tray.")
        held = [pocket.tray[i] for i in wanted]
        new = [Pad(name=h.name, role=h.role, chop=h.chop, choke=CHOKE_OF[h.role]) for h in held]
        pocket, _ = fill_pads(pocket, new, [f"“{h.called}”" for h in held], self.first, self.pads, self.layer)
        if self.keep:
            return pocket
        return pocket.model_copy(update={"tray": tuple(h for i, h in enumerate(pocket.tray) if i not in wanted)})


def _pads(pocket: Pocket, refs: tuple[SliceRef, ...]) -> list[Pad]:
    out: list[Pad] = []
    for ref in refs:
        source = the_source(pocket, ref.source)
        if ref.cut is not None:
            try:
                out += pads_of(pocket, source, slices(pocket, source, (ref.cut,)), 0)
            except KeyError as error:
                raise Refusal("One of those slices is no longer there. Choose again.") from error
            continue
        if ref.start is None or ref.end is None or not ref.start < ref.end <= source.frames:
            raise Refusal(f"That stretch does not lie inside {source.name}.")
        out.append(Pad(name=ref.name or None, role=ref.role, chop=Chop(source=source.id, start=ref.start, end=ref.end)))
    return out


def plays(pad: Pad, source: str) -> bool:
    """Whether any sound of a pad is of a find."""
    return any(chop.source == source for chop in chops_of(pad))
