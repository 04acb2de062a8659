"""From the document to the nodes of the render graph, and the names of what can be automated on them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

import numpy as np

from grainpocket.core.document.mixing import MASTER, PAD, Bus, Effect
from grainpocket.core.document.song import Thread
from grainpocket.core.effects import EFFECTS
from grainpocket.core.effects.base import AMOUNT, Curve
from grainpocket.core.mix.nodes import Feed, Insert, Node
from grainpocket.core.params import BUS, Parameter, Setting, named, of
from grainpocket.core.pocket import Pad, Pocket

SEND = "send"


def bus_of(pocket: Pocket, pad: Pad) -> str:
    """The bus that a pad is on: where it was routed by hand, else where its role goes, else the master."""
    if pad.bus is not None:
        return pad.bus if pad.bus in pocket.buses else MASTER
    if pad.role is None:
        return MASTER
    return next((bus.id for bus in pocket.buses.values() if pad.role in bus.roles), MASTER)


def pads_by_bus(pocket: Pocket) -> dict[str, list[int]]:
    """Pads of every bus and of the master."""
    out: dict[str, list[int]] = {MASTER: [], **{key: [] for key in pocket.buses}}
    for index, pad in pocket.pads.items():
        out[bus_of(pocket, pad)].append(index)
    return out


def is_plain(pocket: Pocket) -> bool:
    """Whether everything simply adds up: no bus changes anything, no pad is sent anywhere, and the master changes nothing but its
    level."""
    if any(send.to in pocket.buses for pad in pocket.pads.values() for send in pad.sends):
        return False
    return not _on(pocket.chain) and all(
        bus.level == 0 and bus.pan == 0 and not bus.mute and not bus.solo and not _on(bus.chain) and not bus.sends
        for bus in pocket.buses.values()
    )


def table_of(effect: Effect) -> tuple[Setting, ...]:
    """What can be set on an effect."""
    return (*EFFECTS[effect.kind].settings, AMOUNT)


def nodes_of(pocket: Pocket, automation: Mapping[str, Curve] | None = None) -> list[Node]:
    """The buses and the master, and a node for each pad that an effect listens to, or that is sent to a return. Of automation, by
    the names of `controls`, what is no longer there is left out."""
    curves = automation or {}
    buses = pocket.buses
    silent = silenced(pocket)
    chains = [*(bus.chain for bus in buses.values()), pocket.chain]
    heard = {e.listens_to for chain in chains for e in _on(chain) if e.listens_to and e.listens_to.startswith(PAD)}
    into: dict[str, list[Feed]] = {MASTER: [], **{key: [] for key in buses}}
    for index, pad in pocket.pads.items():
        for send in pad.sends:
            if send.to in buses:
                if bus_of(pocket, pad) in silent:
                    continue  # What is not heard sends nothing either.
                heard.add(f"{PAD}{index}")
                into[send.to].append(Feed(f"{PAD}{index}", send.level))
    out = [Node(name) for name in sorted(heard)]
    for bus in buses.values():
        into[bus.into if bus.into in buses else MASTER].append(Feed(bus.id))
        for send in bus.sends:
            if send.to in buses:
                curve = curves.get(f"{bus.id}.{SEND}.{send.to}")
                into[send.to].append(Feed(bus.id, send.level, not send.before_level, curve))
    for bus in buses.values():
        out.append(
            Node(
                bus.id, tuple(into[bus.id]), _inserts(pocket, bus.id, bus.chain, curves), bus.level, bus.pan, bus.id in silent,
                _of(curves, bus.id, BUS), bus.amount,
            )
        )  # fmt: skip
    chain = _inserts(pocket, MASTER, pocket.chain, curves)
    out.append(Node(MASTER, tuple(into[MASTER]), chain, pocket.level, automated=_of(curves, MASTER, BUS)))
    return out


def curves_of(threads: Iterable[Thread], frame_of: Any) -> dict[str, Curve]:
    """Automation by control. frame_of: beats (n,) to samples (n,)."""
    out = {}
    for thread in threads:
        if thread.points:
            at = np.asarray(frame_of(np.array([p.beat for p in thread.points])), np.float64)
            out[thread.control] = Curve(at, np.array([p.value for p in thread.points]))
    return out


def parameter_of(pocket: Pocket, control: str) -> Parameter:
    """The setting that a control moves: "<bus or master>.<setting>", "<bus>.send.<return>" or "<bus>.<effect>.<setting>". Raises
    KeyError when there is none of that name, or none that can move."""
    parts = control.split(".")
    bus = pocket.buses.get(parts[0])
    if bus is None and parts[0] != MASTER:
        raise KeyError(control)
    if len(parts) == 2:
        if bus is None and parts[1] != "level":
            raise KeyError(control)
        return of("bus", parts[1])
    if len(parts) != 3:
        raise KeyError(control)
    if parts[1] == SEND:
        if bus is None or all(send.to != parts[2] for send in bus.sends):
            raise KeyError(control)
        return of("send", "level")
    chain = bus.chain if bus is not None else pocket.chain
    effect = next((one for one in chain if one.id == parts[1]), None)
    found = named(table_of(effect), parts[2]) if effect is not None else None
    if not isinstance(found, Parameter):
        raise KeyError(control)
    return found


def _on(chain: Iterable[Effect]) -> list[Effect]:
    return [effect for effect in chain if effect.on and effect.kind in EFFECTS]


def _inserts(pocket: Pocket, owner: str, chain: Iterable[Effect], curves: Mapping[str, Curve]) -> tuple[Insert, ...]:
    there = _on(chain)
    held = {effect.id for effect in there if EFFECTS[effect.kind].holds}
    inside: dict[str | None, list[Insert]] = {None: []}
    # Those in a loop first: what holds them is made with them.
    for effect in sorted(there, key=lambda one: one.inside is None):
        if effect.inside is not None and effect.inside not in held:
            continue
        table = table_of(effect)
        known = {s.name for s in table}
        settings = {**EFFECTS[effect.kind].defaults(), **{k: v for k, v in effect.settings.items() if k in known}}
        key = effect.listens_to
        if key is not None and not key.startswith(PAD) and key not in pocket.buses:
            key = None
        own = tuple(inside.pop(effect.id, ()))
        made = Insert(effect.kind, settings, key, _of(curves, f"{owner}.{effect.id}", table), effect.id, own)
        inside.setdefault(effect.inside, []).append(made)
    return tuple(inside[None])


def _of(curves: Mapping[str, Curve], where: str, table: tuple[Setting, ...]) -> dict[str, Curve]:
    found = {s.name: curves.get(f"{where}.{s.name}") for s in table if isinstance(s, Parameter)}
    return {name: curve for name, curve in found.items() if curve is not None}


def silenced(pocket: Pocket) -> set[str]:
    """Buses that are not heard: muted ones, and all but the soloed, what flows into those, what they flow through and, of a soloed
    return, what is sent to it. With a solo the pads that go straight to the master are not heard either: MASTER stands for them."""
    muted = {bus.id for bus in pocket.buses.values() if bus.mute}
    soloed = {bus.id for bus in pocket.buses.values() if bus.solo}
    if not soloed:
        return muted
    heard = set(soloed)
    for bus in pocket.buses.values():
        way = _way(pocket, bus)
        if soloed & set(way):
            heard.add(bus.id)
        if bus.id in soloed:
            heard |= set(way)
    # Returns stay open: what is sent to them comes from what is heard.
    return muted | {MASTER} | {bus.id for bus in pocket.buses.values() if bus.id not in heard and not bus.is_return}


def _way(pocket: Pocket, bus: Bus) -> list[str]:
    """The buses that a bus flows through to the master."""
    out: list[str] = []
    into = bus.into
    while into in pocket.buses and into not in out:
        out.append(into)
        into = pocket.buses[into].into
    return out
