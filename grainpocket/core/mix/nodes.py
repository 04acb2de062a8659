"""What the render graph is made of: nodes and what flows between them, the clock, and what is rendered."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.effects import EFFECTS
from grainpocket.core.effects.base import Controls, Curve, State, arrays_of
from grainpocket.core.kept import Kept
from grainpocket.core.params import Value
from grainpocket.core.sound.audio import Samples

SILENT_KEY = "silence"
Automation = Mapping[str, Curve]


class Stopped(Exception):
    """What was being rendered is not wanted any more."""


class Circle(ValueError):
    """Buses that flow into each other in a circle, or an effect that listens to what comes after it. way: the nodes, round to the
    first one."""

    def __init__(self, way: list[str]) -> None:
        super().__init__(f"That would go round in a circle: {' into '.join(way)}. An echo's own loop is the place for feedback.")
        self.way = way


@dataclass(frozen=True)
class Insert:
    """An effect in a node's chain. listens_to: the node that is its key; automated: by setting, in samples of the pass; name: the
    same effect after an edit has the same; inside: effects in its own loop."""

    kind: str
    settings: Mapping[str, Value]
    listens_to: str | None = None
    automated: Automation = field(default_factory=dict)
    name: str = ""
    inside: tuple[Insert, ...] = ()


@dataclass(frozen=True)
class Feed:
    """What flows into a node: another node's sound, before or after its level, turned by so much; curve: decibels that move."""

    node: str
    gain_db: float = 0.0
    after_level: bool = True
    curve: Curve | None = None


@dataclass(frozen=True)
class Node:
    """level in dB, pan from -100 (left) to 100, amount of the whole chain in %; all may be automated. muted: it flows on as
    silence, and can still be a key."""

    name: str
    feeds: tuple[Feed, ...] = ()
    chain: tuple[Insert, ...] = ()
    level: float = 0.0
    pan: float = 0.0
    muted: bool = False
    automated: Automation = field(default_factory=dict)
    amount: float = 100.0


class Lane(Protocol):
    """A node without feeds: the summed voices of a pad or of several."""

    def piece(self, segment: int) -> tuple[str, Samples]:
        """(key, (n, 2) float32) of a segment. The key of silence is SILENT_KEY."""


@dataclass(frozen=True)
class Clock:
    """segments: (start, frames) in samples, one after the other from 0 on; beat_frames: samples of a quarter note."""

    rate: int
    beat_frames: float
    segments: tuple[tuple[int, int], ...]

    @property
    def length(self) -> int:
        return sum(frames for _, frames in self.segments)


@dataclass(frozen=True)
class Piece:
    """What a node gives in a segment: before and after its level, the state that it leaves, and by how many decibels each of its
    effects that turn down has done so, every REDUCTION samples."""

    key: str
    before: Samples
    after: Samples
    state: list[State]
    state_key: str
    reductions: Mapping[str, NDArray[np.float32]]
    silent: bool = False

    @property
    def nbytes(self) -> int:
        states = sum(array.nbytes for one in self.state for array in arrays_of(one))
        return self.before.nbytes + (0 if self.after is self.before else self.after.nbytes) + states


Pieces = Kept[str, Piece]


def pieces(room: float) -> Pieces:
    """Rendered pieces by key, as many as fit into so many bytes."""
    return Kept(room, lambda piece: piece.nbytes)


# By node: the state, and a name for its content.
States = dict[str, tuple[list[State], str]]
REDUCTION = 512


def each(chain: Iterable[Insert]) -> Iterator[Insert]:
    """The effects of a chain and those in their loops."""
    for insert in chain:
        yield insert
        yield from each(insert.inside)


def controls_of(insert: Insert, rate: int, beat_frames: float) -> Controls:
    """The settings of an effect over time, with those of what lies in its loop."""
    inside = tuple((EFFECTS[one.kind], controls_of(one, rate, beat_frames)) for one in insert.inside)
    return Controls(insert.settings, rate, beat_frames, insert.automated, inside)


def order(nodes: Mapping[str, Node]) -> list[str]:
    """Names such that whatever flows into a node, or is listened to by it, comes before it. Raises Circle, and KeyError for a
    node that is not there."""
    out: list[str] = []
    way: list[str] = []

    def visit(name: str) -> None:
        if name in out:
            return
        if name in way:
            raise Circle([*way[way.index(name) :], name])
        way.append(name)
        node = nodes[name]
        for before in [*(f.node for f in node.feeds), *(i.listens_to for i in node.chain if i.listens_to)]:
            visit(before)
        way.pop()
        out.append(name)

    for name in nodes:
        visit(name)
    return out
