"""Buses: what pads are routed to, through effects, into the master.

A bus flows into another one, or into the master; returns are buses that others send to. What an effect is and what can be set on
it is in core/effects: the document holds the settings that were touched, by name, and edits check them.
"""

from __future__ import annotations

from pydantic import Field

from grainpocket.core.document.base import Frozen, Name, Role
from grainpocket.core.params import of

MASTER = "master"
PAD = "pad:"  # before the number of a pad that an effect listens to
MOST_BUSES = 64
MOST_EFFECTS = 32


class Effect(Frozen):
    """An effect in a chain. kind: see core/effects; settings: those that differ from their defaults; listens_to: a bus by id,
    or a pad as "pad:3", that is its key; on: whether it is in the chain at all; inside: the echo of the same chain in whose loop
    it lies, so that every round goes through it."""

    id: str
    kind: str
    on: bool = True
    settings: dict[str, float | bool | str] = {}
    listens_to: str | None = None
    inside: str | None = None


class Send(Frozen):
    """A share of a bus that goes to a return, after its level or before."""

    to: str
    level: float = of("send", "level").field()
    before_level: bool = False


class Bus(Frozen):
    """into: another bus, or None for the master; roles: pads of these kinds are on it unless they were routed by hand; amount:
    how much of the whole chain is heard."""

    id: str
    name: str = Name
    is_return: bool = False
    into: str | None = None
    roles: tuple[Role, ...] = ()
    level: float = of("bus", "level").field()
    pan: float = of("bus", "pan").field()
    amount: float = of("bus", "amount").field()
    mute: bool = False
    solo: bool = False
    chain: tuple[Effect, ...] = Field(default=(), max_length=MOST_EFFECTS)
    sends: tuple[Send, ...] = Field(default=(), max_length=MOST_BUSES)
