"""Edits to how pads sound, beyond single settings: what velocity and wheel move, copies, bands, keys, and tuning to the pocket."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field

from grainpocket.core.chop.facts import clear_pitch
from grainpocket.core.chop.kin import slices
from grainpocket.core.document.settings import SOUND_GROUPS
from grainpocket.core.document.sound import Sound
from grainpocket.core.edits.base import EditModel, Library, Refusal, the_pad, the_source
from grainpocket.core.listen.harmony.chords import ROOTS
from grainpocket.core.listen.harmony.pitch import Pitch
from grainpocket.core.notes import CHORDS, SCALES
from grainpocket.core.params import SOUND, Parameter
from grainpocket.core.pocket import MOST_LAYERS, MOST_PADS, MOST_ZONES, Chop, Layer, Pad, Pocket, Zone

LEAST_HZ = 30.0
Pads = Field(min_length=1, max_length=MOST_PADS)
Group = Literal["chop", "pitch", "envelope", "filter", "motion", "tone", "keys", "layers"]
GROUPS: tuple[Group, ...] = ("chop", "pitch", "envelope", "filter", "motion", "tone", "keys", "layers")
# What chords are called along the time line, and in the table of chords.
_QUALITIES = {"": "major", "m": "minor", "7": "7", "maj7": "major 7", "m7": "minor 7", "sus4": "sus4", "sus2": "sus2"}


class SetAmounts(EditModel):
    """How far velocity or the wheel moves settings, in % of their range; null or 0: not at all."""

    type: Literal["set_amounts"] = "set_amounts"
    pads: tuple[int, ...] = Pads
    by: Literal["velocity", "wheel"]
    amounts: dict[str, float | None] = Field(min_length=1)

    def label(self, pocket: Pocket) -> str:
        return f"{self.by} moves {next(iter(self.amounts), 'a setting')}"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        for name, amount in self.amounts.items():
            if not isinstance(next((one for one in SOUND if one.name == name), None), Parameter) or name == "wheel":
                raise Refusal(f"A sound has no number {name} that {self.by} could move.")
            if amount is not None and not -100 <= amount <= 100:
                raise Refusal("An amount goes from -100 to 100 %.")
        pads = dict(pocket.pads)
        for index in self.pads:
            pad = the_pad(pocket, index)
            field = f"by_{self.by}"
            amounts = {**getattr(pad.sound, field), **self.amounts}
            kept = {name: float(amount) for name, amount in amounts.items() if amount}
            pads[index] = pad.model_copy(update={"sound": pad.sound.model_copy(update={field: kept})})
        return pocket.model_copy(update={"pads": pads})


class CopySound(EditModel):
    """The settings of a pad, or some groups of them, for other pads."""

    type: Literal["copy_sound"] = "copy_sound"
    pad: int
    pads: tuple[int, ...] = Pads
    groups: tuple[Group, ...] = Field(default=GROUPS, min_length=1)

    def label(self, pocket: Pocket) -> str:
        return "paste settings" if len(self.groups) > 1 else f"paste {self.groups[0]}"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        given = the_pad(pocket, self.pad)
        update: dict[str, object] = {}
        for group in self.groups:
            if group == "tone":
                update["chain"] = given.sound.chain
            elif group == "motion":
                update |= {"by_velocity": given.sound.by_velocity, "by_wheel": given.sound.by_wheel}
            update |= {setting.name: getattr(given.sound, setting.name) for setting in SOUND_GROUPS.get(group, ())}
        pads = dict(pocket.pads)
        for index in self.pads:
            pad = the_pad(pocket, index)
            more = {"layers": given.layers} if "layers" in self.groups else {}
            pads[index] = pad.model_copy(update={"sound": pad.sound.model_copy(update=update), **more})
        return pocket.model_copy(update={"pads": pads})


class SplitBands(EditModel):
    """Part a pad's sound into bands, each a layer with settings of its own. Untouched they add up to what they came from."""

    type: Literal["split_bands"] = "split_bands"
    pad: int
    edges: tuple[float, ...] = Field(min_length=1, max_length=2, description="Hz, rising")

    def label(self, pocket: Pocket) -> str:
        return f"part into {len(self.edges) + 1} bands"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pad = the_pad(pocket, self.pad)
        if any(not LEAST_HZ <= edge <= 20000 for edge in self.edges) or sorted(set(self.edges)) != list(self.edges):
            raise Refusal(f"Bands part at rising frequencies from {LEAST_HZ:g} to 20000 Hz.")
        if pad.sound.band_from or pad.sound.band_to:
            raise Refusal(f"{pad.called} is one band already. Open it first: band from and to at 0.")
        if len(pad.layers) + len(self.edges) > MOST_LAYERS:
            raise Refusal(f"{pad.called} would have more than {MOST_LAYERS} layers.")
        limits = [0.0, *self.edges, 0.0]
        names = ("sub", "knock", "click") if len(self.edges) == 2 else ("low", "high")
        made = [
            Layer(chop=pad.chop, name=name, sound=_as_layer(pad.sound, low, high))
            for name, low, high in zip(names[1:], limits[1:-1], limits[2:], strict=True)
        ]
        own = pad.sound.model_copy(update={"band_to": limits[1]})
        return pocket.with_pad(self.pad, pad.model_copy(update={"sound": own, "layers": (*made, *pad.layers)}))


def _as_layer(sound: Sound, low: float, high: float) -> Sound:
    """What stands on top of the pad's own level and pitch, so neither again."""
    return sound.model_copy(update={"level": 0.0, "pitch": 0.0, "band_from": low, "band_to": high})


class FindRoot(EditModel):
    """The root of pads by the pitch that is heard in them; tune: their pitch is moved so that it is exactly a note."""

    type: Literal["find_root"] = "find_root"
    pads: tuple[int, ...] = Pads
    tune: bool = False

    def label(self, pocket: Pocket) -> str:
        return "tune" if self.tune else "find root"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pads = dict(pocket.pads)
        for index in self.pads:
            pad = the_pad(pocket, index)
            found = heard_pitch(pocket, pad.chop, library)
            if found is None:
                raise Refusal(f"{pad.called} has no single pitch that could be its root.")
            update: dict[str, float] = {"root": float(found.key)}
            if self.tune:
                update["pitch"] = round(pad.sound.pitch - found.cents / 100, 2)
            pads[index] = pad.model_copy(update={"sound": pad.sound.model_copy(update=update)})
        return pocket.model_copy(update={"pads": pads})


class AddZones(EditModel):
    """Further slices of an instrument, each laid out at the pitch that is heard in it. Pads: those whose chops are taken, and which
    stay as they are."""

    type: Literal["add_zones"] = "add_zones"
    pad: int
    source: str | None = None
    cuts: tuple[str, ...] = ()
    pads: tuple[int, ...] = ()

    def label(self, pocket: Pocket) -> str:
        return "zones across the keys"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pad = the_pad(pocket, self.pad)
        chops = [the_pad(pocket, index).chop for index in self.pads if index != self.pad]
        if self.source is not None:
            try:
                chops += slices(pocket, the_source(pocket, self.source), self.cuts)
            except KeyError as error:
                raise Refusal("One of those slices is no longer there. Choose again.") from error
        chops = [chop for chop in chops if chop != pad.chop and all(zone.chop != chop for zone in pad.zones)]
        if not chops:
            raise Refusal("Nothing was chosen that is not there already.")
        if len(pad.zones) + len(chops) > MOST_ZONES:
            raise Refusal(f"An instrument has {MOST_ZONES} zones at most.")
        zones = list(pad.zones)
        for chop in chops:
            found = heard_pitch(pocket, chop, library)
            if found is None:
                raise Refusal("One of those slices has no single pitch to lay it out by.")
            zones.append(Zone(chop=chop, root=round(found.key + found.cents / 100, 2)))
        return pocket.with_pad(self.pad, pad.model_copy(update={"zones": tuple(sorted(zones, key=lambda zone: zone.root))}))


class SetZone(EditModel):
    """The root of a zone, or take it out."""

    type: Literal["set_zone"] = "set_zone"
    pad: int
    zone: int = Field(ge=0)
    root: float | None = Field(default=None, ge=0, le=127)
    remove: bool = False

    def label(self, pocket: Pocket) -> str:
        return "remove zone" if self.remove else "root of a zone"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        pad = the_pad(pocket, self.pad)
        if self.zone >= len(pad.zones):
            raise Refusal("That zone is no longer there.")
        zones = list(pad.zones)
        if self.remove:
            del zones[self.zone]
        elif self.root is not None:
            zones[self.zone] = zones[self.zone].model_copy(update={"root": self.root})
        return pocket.with_pad(self.pad, pad.model_copy(update={"zones": tuple(sorted(zones, key=lambda zone: zone.root))}))


class FitToKey(EditModel):
    """Move the pitch of pads by as little as makes them fit the pocket's key; those that have none stay as they are."""

    type: Literal["fit_to_key"] = "fit_to_key"
    pads: tuple[int, ...] = Field(default=(), max_length=MOST_PADS, description="None: all that are tonal or vocal")

    def label(self, pocket: Pocket) -> str:
        return "pitch to the key"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        if pocket.key is None:
            raise Refusal("The pocket has no key yet. Choose one at the top.")
        chosen = self.pads or tuple(index for index, pad in pocket.pads.items() if pad.role in ("tonal", "vocal"))
        pads, fitted = dict(pocket.pads), 0
        for index in chosen:
            pad = the_pad(pocket, index)
            shift = shift_to_key(pocket, pad, heard_pitch(pocket, pad.chop, library), library)
            if shift is None:
                continue
            fitted += 1
            new = max(-24.0, min(24.0, round(pad.sound.pitch + shift, 2)))
            pads[index] = pad.model_copy(update={"sound": pad.sound.model_copy(update={"pitch": new})})
        if not fitted:
            raise Refusal("None of these pads has a pitch or a chord that could be fitted.")
        return pocket.model_copy(update={"pads": pads})


def shift_to_key(pocket: Pocket, pad: Pad, found: Pitch | None, library: Library) -> float | None:
    """The fewest semitones, cents and all, by which a pad's sound has to move to lie in the pocket's key: its single pitch (found),
    else its chord with all of its notes. None where it has neither, or the pocket no key."""
    if pocket.key is None:
        return None
    scale = {(pocket.key.tonic + step) % 12 for step in SCALES[pocket.key.mode]}
    if found is not None:
        return _least(found.key + found.cents / 100 + pad.sound.pitch, [0], scale)
    chord = _chord_in(pocket, pad.chop, library)
    return None if chord is None else _least(chord[0] + pad.sound.pitch, chord[1], scale)


def _least(own: float, notes: Sequence[int], scale: set[int]) -> float | None:
    near = range(round(own) - 6, round(own) + 7)
    ways = sorted((abs(to - own), to - own) for to in near if all((to + note) % 12 in scale for note in notes))
    return round(float(ways[0][1]), 2) if ways else None


def _chord_in(pocket: Pocket, chop: Chop, library: Library) -> tuple[int, tuple[int, ...]] | None:
    """(root 0..11, its notes above it) of the chord that lasts longest in a chop."""
    source = pocket.sources[chop.source]
    best, longest = None, 0.0
    for chord in library.hearing(source.audio).chords:
        shared = min(chord.end * pocket.rate, chop.end) - max(chord.start * pocket.rate, chop.start)
        root = next((r for r in sorted(ROOTS, key=len, reverse=True) if chord.label.startswith(r)), None)
        if root is not None and shared > longest:
            best, longest = (ROOTS.index(root), CHORDS[_QUALITIES.get(chord.label[len(root) :], "fifth")]), shared
    return best


def heard_pitch(pocket: Pocket, chop: Chop, library: Library) -> Pitch | None:
    """The pitch of a chop as it is in its record, when it has one that everyone would hear."""
    return clear_pitch(library.read(pocket.sources[chop.source].audio, chop.start, chop.end), pocket.rate)
