"""Edits to buses, their effects and sends, and to the master's chain."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from pydantic import Field

from grainpocket.core.document.mixing import MASTER, MOST_BUSES, MOST_EFFECTS, PAD, Bus, Effect, Send
from grainpocket.core.edits.base import EditModel, Library, Refusal, new_ids, the_bus, the_pad
from grainpocket.core.edits.padding import Changes
from grainpocket.core.effects import EFFECTS
from grainpocket.core.effects.base import AMOUNT
from grainpocket.core.mix.nodes import Circle, order
from grainpocket.core.mix.routing import nodes_of, table_of
from grainpocket.core.params import BadValue, checked, named, of
from grainpocket.core.pocket import MOST_PADS, Name, Pocket, Role

INSERTED = 25.0  # % of an echo or a reverb that is put into a chain of its own
BusOrMaster = Field(description="A bus by id, master, or a pad as pad:3")


class AddBus(EditModel):
    """A new bus, or a return that others send to."""

    type: Literal["add_bus"] = "add_bus"
    name: str = Name
    is_return: bool = False
    roles: tuple[Role, ...] = ()
    pads: tuple[int, ...] = Field(default=(), description="Pads to route to it")
    effects: tuple[str, ...] = Field(default=(), max_length=MOST_EFFECTS, description="Kinds of effects to begin with")

    def label(self, pocket: Pocket) -> str:
        return "add return" if self.is_return else "add bus"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        if len(pocket.buses) >= MOST_BUSES:
            raise Refusal(f"There are {MOST_BUSES} buses, the most there can be.")
        pocket, (key,) = new_ids(pocket, "b", 1)
        pads = {index: the_pad(pocket, index).model_copy(update={"bus": key}) for index in self.pads}
        pocket = _without_roles(pocket, self.roles)
        pocket, ids = new_ids(pocket, "e", len(self.effects))
        chain = tuple(Effect(id=e, kind=_known(kind)) for e, kind in zip(ids, self.effects, strict=True))
        bus = Bus(id=key, name=self.name, is_return=self.is_return, roles=self.roles, chain=chain)
        return pocket.with_bus(bus).model_copy(update={"pads": {**pocket.pads, **pads}})


class SetBus(EditModel):
    """Change a bus; what is left out stays. into: another bus by id, null for the master; roles that it takes leave the bus that
    had them."""

    type: Literal["set_bus"] = "set_bus"
    bus: str
    name: str | None = Field(default=None, min_length=1, max_length=80)
    level: float | None = of("bus", "level").optional_field()
    pan: float | None = of("bus", "pan").optional_field()
    amount: float | None = of("bus", "amount").optional_field()
    mute: bool | None = None
    solo: bool | None = None
    into: str | None = None
    roles: tuple[Role, ...] | None = None

    def label(self, pocket: Pocket) -> str:
        field = next(iter(self.model_fields_set - {"type", "bus"}), "bus")
        return f"bus {field}" if field != "bus" else "bus"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        the_bus(pocket, self.bus)
        if self.into is not None:
            the_bus(pocket, self.into)
        given = self.model_dump(include=self.model_fields_set - {"type", "bus"})
        update = {k: v for k, v in given.items() if v is not None or k == "into"}
        pocket = _without_roles(pocket, self.roles or ())
        return _sound(pocket.with_bus(pocket.buses[self.bus].model_copy(update=update)))


class RemoveBus(EditModel):
    """Take a bus away: what was on it goes where it would without it, and nobody sends to it any more."""

    type: Literal["remove_bus"] = "remove_bus"
    bus: str

    def label(self, pocket: Pocket) -> str:
        return "remove bus"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        gone = the_bus(pocket, self.bus)
        buses = {}
        for key, bus in pocket.buses.items():
            if key == self.bus:
                continue
            sends = tuple(send for send in bus.sends if send.to != self.bus)
            into = gone.into if bus.into == self.bus else bus.into
            buses[key] = bus.model_copy(update={"sends": sends, "into": into, "chain": _deaf(bus.chain, self.bus)})
        pads = {k: p.model_copy(update={"bus": None}) if p.bus == self.bus else p for k, p in pocket.pads.items()}
        threads = {k: t for k, t in pocket.threads.items() if not _is_of(t.control, self.bus)}
        chain = _deaf(pocket.chain, self.bus)
        return pocket.model_copy(update={"buses": buses, "pads": pads, "threads": threads, "chain": chain})


class AddEffect(EditModel):
    """An effect at the end of a chain, or at a place in it; inside: an echo of that chain, for its own loop."""

    type: Literal["add_effect"] = "add_effect"
    bus: str = BusOrMaster
    kind: str
    at: int | None = Field(default=None, ge=0, le=MOST_EFFECTS)
    settings: Changes = {}
    listens_to: str | None = None
    inside: str | None = None

    def label(self, pocket: Pocket) -> str:
        return f"add {EFFECTS[self.kind].label}" if self.kind in EFFECTS else "add effect"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        chain = list(_chain(pocket, self.bus))
        if len(chain) >= MOST_EFFECTS:
            raise Refusal(f"A chain holds {MOST_EFFECTS} effects.")
        pocket, (key,) = new_ids(pocket, "e", 1)
        effect = _with_settings(Effect(id=key, kind=_known(self.kind)), {**self._first(pocket), **self.settings})
        effect = effect.model_copy(update={"listens_to": _heard(pocket, self.listens_to), "inside": self.inside})
        chain.insert(len(chain) if self.at is None else self.at, effect)
        return _sound(_with_chain(pocket, self.bus, _nested(chain, effect)))

    def _first(self, pocket: Pocket) -> Changes:
        """What adds to a sound begins as a quarter of it; on a return, to which shares are sent, as all of it."""
        bus = pocket.buses.get(self.bus)
        adds = EFFECTS[_known(self.kind)].adds and not (bus is not None and bus.is_return) and self.inside is None
        return {AMOUNT.name: INSERTED} if adds else {}


class SetEffect(EditModel):
    """Change an effect; what is left out stays. settings: by name, where null puts one back; listens_to: a bus by id or
    "pad:3", null for nothing but its own sound."""

    type: Literal["set_effect"] = "set_effect"
    bus: str = BusOrMaster
    effect: str
    settings: Changes = {}
    on: bool | None = None
    listens_to: str | None = None

    def label(self, pocket: Pocket) -> str:
        chain = _chain_or_none(pocket, self.bus) or ()
        one = next((e for e in chain if e.id == self.effect and e.kind in EFFECTS), None)
        return (EFFECTS[one.kind].label if one else "effect") + ("" if self.on is None else " on" if self.on else " off")

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        def change(effect: Effect) -> Effect:
            effect = _with_settings(effect, self.settings)
            update: dict[str, object] = {} if self.on is None else {"on": self.on}
            if "listens_to" in self.model_fields_set:
                update["listens_to"] = _heard(pocket, self.listens_to)
            return effect.model_copy(update=update)

        chain = _chain(pocket, self.bus)
        _place(chain, self.effect)
        chain = tuple(change(e) if e.id == self.effect else e for e in chain)
        return _sound(_with_chain(pocket, self.bus, _nested(chain, chain[_place(chain, self.effect)])))


class MoveEffect(EditModel):
    """Move an effect to another place in its chain, or into another one, with what lies in its loop; inside: the echo in whose
    loop it goes, null for none."""

    type: Literal["move_effect"] = "move_effect"
    bus: str = BusOrMaster
    effect: str
    to: int = Field(ge=0, le=MOST_EFFECTS)
    to_bus: str | None = None
    inside: str | None = None

    def label(self, pocket: Pocket) -> str:
        return "move effect"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        chain = list(_chain(pocket, self.bus))
        effect = chain.pop(_place(tuple(chain), self.effect)).model_copy(update={"inside": self.inside})
        target = self.to_bus or self.bus
        held = [one for one in chain if one.inside == effect.id] if target != self.bus else []
        pocket = _with_chain(pocket, self.bus, tuple(one for one in chain if one not in held))
        there = list(_chain(pocket, target))
        if len(there) + len(held) >= MOST_EFFECTS:
            raise Refusal(f"A chain holds {MOST_EFFECTS} effects.")
        there[self.to : self.to] = [effect, *held]
        pocket = _with_chain(pocket, target, _nested(there, effect))
        for one in [effect, *held] if target != self.bus else []:
            pocket = _renamed(pocket, f"{self.bus}.{one.id}.", f"{target}.{one.id}.")
        return _sound(pocket)


class RemoveEffect(EditModel):
    """Take an effect away, with what lies in its loop."""

    type: Literal["remove_effect"] = "remove_effect"
    bus: str = BusOrMaster
    effect: str

    def label(self, pocket: Pocket) -> str:
        return "remove effect"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        chain = _chain(pocket, self.bus)
        _place(chain, self.effect)
        gone = {e.id for e in chain if self.effect in (e.id, e.inside)}
        threads = {k: t for k, t in pocket.threads.items() if t.control.split(".")[:2] not in [[self.bus, e] for e in gone]}
        pocket = pocket.model_copy(update={"threads": threads})
        return _with_chain(pocket, self.bus, tuple(e for e in chain if e.id not in gone))


class SetSend(EditModel):
    """Send a share of a bus to a return; a level of null takes the send away."""

    type: Literal["set_send"] = "set_send"
    bus: str
    to: str
    level: float | None = of("send", "level").optional_field()
    before_level: bool | None = None

    def label(self, pocket: Pocket) -> str:
        return "send"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        bus = the_bus(pocket, self.bus)
        the_bus(pocket, self.to)
        old = next((send for send in bus.sends if send.to == self.to), None)
        if "level" in self.model_fields_set and self.level is None:
            threads = {k: t for k, t in pocket.threads.items() if t.control != f"{self.bus}.send.{self.to}"}
            pocket = pocket.model_copy(update={"threads": threads})
            return pocket.with_bus(bus.model_copy(update={"sends": tuple(s for s in bus.sends if s.to != self.to)}))
        given = self.model_dump(include=self.model_fields_set & {"level", "before_level"}, exclude_none=True)
        new = (old or Send(to=self.to)).model_copy(update=given)
        sends = tuple(new if s.to == self.to else s for s in bus.sends) if old else (*bus.sends, new)
        return _sound(pocket.with_bus(bus.model_copy(update={"sends": sends})))


class SendPads(EditModel):
    """Send a share of pads to a return, beside the bus that they are on; a level of null takes the sends away."""

    type: Literal["send_pads"] = "send_pads"
    pads: tuple[int, ...] = Field(min_length=1, max_length=MOST_PADS)
    to: str
    level: float | None = of("send", "level").optional_field()

    def label(self, pocket: Pocket) -> str:
        return "send of a pad" if len(self.pads) == 1 else "sends of pads"

    def apply(self, pocket: Pocket, library: Library) -> Pocket:
        if not the_bus(pocket, self.to).is_return:
            raise Refusal("Pads are sent to returns. Make this bus a return first, or put them on it.")
        pads = dict(pocket.pads)
        for index in self.pads:
            pad = the_pad(pocket, index)
            others = tuple(send for send in pad.sends if send.to != self.to and send.to in pocket.buses)
            new = () if self.level is None else (Send(to=self.to, level=self.level),)
            pads[index] = pad.model_copy(update={"sends": others + new})
        return pocket.model_copy(update={"pads": pads})


def _known(kind: str) -> str:
    if kind not in EFFECTS:
        raise Refusal(f"There is no effect of that kind. There are {', '.join(EFFECTS)}.")
    return kind


def _chain_or_none(pocket: Pocket, bus: str) -> tuple[Effect, ...] | None:
    if bus == MASTER:
        return pocket.chain
    if bus.startswith(PAD):
        return next((pad.sound.chain for index, pad in pocket.pads.items() if bus == f"{PAD}{index}"), None)
    return pocket.buses[bus].chain if bus in pocket.buses else None


def _chain(pocket: Pocket, bus: str) -> tuple[Effect, ...]:
    if bus.startswith(PAD):
        return the_pad(pocket, _number(bus)).sound.chain
    return pocket.chain if bus == MASTER else the_bus(pocket, bus).chain


def _with_chain(pocket: Pocket, bus: str, chain: tuple[Effect, ...]) -> Pocket:
    if bus == MASTER:
        return pocket.model_copy(update={"chain": chain})
    if bus.startswith(PAD):
        if any(one.listens_to is not None or one.kind == "duck" for one in chain):
            raise Refusal("What a pad goes through hears nothing but that pad. Ducking is for a bus.")
        pad = the_pad(pocket, _number(bus))
        return pocket.with_pad(_number(bus), pad.model_copy(update={"sound": pad.sound.model_copy(update={"chain": chain})}))
    return pocket.with_bus(the_bus(pocket, bus).model_copy(update={"chain": chain}))


def _number(pad: str) -> int:
    """Of a pad as "pad:3"; of what is none, a number that no pad has."""
    number = pad[len(PAD) :]
    return int(number) if number.isascii() and number.isdecimal() and len(number) < 9 else -1


def _place(chain: tuple[Effect, ...], effect: str) -> int:
    for place, one in enumerate(chain):
        if one.id == effect:
            return place
    raise Refusal("That effect is no longer there.")


def _nested(chain: Sequence[Effect], effect: Effect) -> tuple[Effect, ...]:
    """The chain, if this effect can lie where it lies. Raises Refusal."""
    if effect.inside is not None:
        holder = chain[_place(tuple(chain), effect.inside)]
        if holder.kind not in EFFECTS or not EFFECTS[holder.kind].holds or holder.inside is not None:
            raise Refusal("Only an echo has a loop that effects can lie in.")
        if EFFECTS[effect.kind].holds:
            raise Refusal("An echo cannot lie in the loop of another one. Put them one after the other.")
        if effect.listens_to is not None or EFFECTS[effect.kind].kind == "duck":
            raise Refusal("What lies in an echo's loop hears nothing but that loop.")
    return tuple(chain)


def _with_settings(effect: Effect, changes: Changes) -> Effect:
    table = table_of(effect)
    settings = dict(effect.settings)
    for name, value in changes.items():
        try:
            setting = named(table, name)
            new = setting.default if value is None else checked(setting, value)
        except KeyError as error:
            raise Refusal(f"{EFFECTS[effect.kind].label} has no setting {name}.") from error
        except BadValue as error:
            raise Refusal(str(error)) from error
        settings.pop(name, None)
        if new != setting.default:
            settings[name] = new
    return effect.model_copy(update={"settings": settings})


def _heard(pocket: Pocket, key: str | None) -> str | None:
    if key is None:
        return None
    if key.startswith(PAD):
        the_pad(pocket, _number(key))
        return f"{PAD}{_number(key)}"
    the_bus(pocket, key)
    return key


def _deaf(chain: tuple[Effect, ...], bus: str) -> tuple[Effect, ...]:
    return tuple(e.model_copy(update={"listens_to": None}) if e.listens_to == bus else e for e in chain)


def _without_roles(pocket: Pocket, roles: tuple[Role, ...]) -> Pocket:
    """A kind of drum goes to one bus: the one that took it last."""
    if not roles:
        return pocket
    buses = {
        key: bus.model_copy(update={"roles": tuple(r for r in bus.roles if r not in roles)}) if set(bus.roles) & set(roles) else bus
        for key, bus in pocket.buses.items()
    }
    return pocket.model_copy(update={"buses": buses})


def _is_of(control: str, bus: str) -> bool:
    parts = control.split(".")
    return parts[0] == bus or (len(parts) == 3 and parts[1] == "send" and parts[2] == bus)


def _renamed(pocket: Pocket, before: str, after: str) -> Pocket:
    threads = {
        key: t.model_copy(update={"control": after + t.control[len(before) :]}) if t.control.startswith(before) else t
        for key, t in pocket.threads.items()
    }
    return pocket.model_copy(update={"threads": threads})


def _sound(pocket: Pocket) -> Pocket:
    """The pocket, unless its buses go round in a circle. Raises Refusal in words."""
    try:
        order({node.name: node for node in nodes_of(pocket)})
    except Circle as circle:
        names = " into ".join(pocket.buses[key].name if key in pocket.buses else key for key in circle.way)
        raise Refusal(
            f"That would go round in a circle: {names}. What should feed back goes into an echo: its feedback is made for that."
        ) from circle
    return pocket
