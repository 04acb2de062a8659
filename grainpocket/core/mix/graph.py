"""The render graph: lanes into buses, buses into buses, returns and a master; each piece rendered once and kept by content.

In: nodes by name, a division of time into segments, and for lanes their sound by segment. Out: (n, 2) float32 of any node, segment
by segment. The key of a segment of a node is made of its settings, its place, the keys of what flows into it and of what its
effects listen to, its automation there, and the content of its state before it. So an edit renders again only from the first
segment that it changed on, and only where it flows; where two histories lead to one state, the keys meet and nothing more is
rendered.

A loop begins in the state that it ends with: laps are rendered from silence until the state before the first segment comes again
or until two laps differ by less than -100 dB; the last lap is the loop.
"""

from __future__ import annotations

import copy
import hashlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np

from grainpocket.core.mix.effects import EFFECTS
from grainpocket.core.mix.effects.base import Controls, Curve, State, gains, run, start_state
from grainpocket.core.mix.pieces import PieceCache
from grainpocket.core.params import Value
from grainpocket.core.sound.audio import Samples

SETTLED = 1e-5  # two laps that differ by less are one: -100 dBFS
MAX_LAPS = 64  # of a loop shorter than its reverb
SILENT_KEY = "silence"
Automation = Mapping[str, Curve]


class Circle(ValueError):
    """Buses that flow into each other in a circle, or an effect that listens to what comes after it."""


@dataclass(frozen=True)
class Insert:
    """An effect in a node's chain. listens_to: the node that is its key; automated: by setting, in samples of the pass."""

    kind: str
    settings: Mapping[str, Value]
    listens_to: str | None = None
    automated: Automation = field(default_factory=dict)


@dataclass(frozen=True)
class Feed:
    """What flows into a node: another node's sound, before or after its level, turned by so much."""

    node: str
    gain_db: float = 0.0
    after_level: bool = True


@dataclass(frozen=True)
class Node:
    """level in dB, pan from -100 (left) to 100; both may be automated. muted: it flows on as silence, and can still be a key."""

    name: str
    feeds: tuple[Feed, ...] = ()
    chain: tuple[Insert, ...] = ()
    level: float = 0.0
    pan: float = 0.0
    muted: bool = False
    automated: Automation = field(default_factory=dict)


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
class _Piece:
    """What a node gives in a segment: before and after its level, and the state that it leaves."""

    key: str
    before: Samples
    after: Samples
    state: list[State]
    state_key: str


def order(nodes: Mapping[str, Node]) -> list[str]:
    """Names such that whatever flows into a node, or is listened to by it, comes before it. Raises Circle, and KeyError for a
    node that is not there."""
    out: list[str] = []
    way: list[str] = []

    def visit(name: str) -> None:
        if name in out:
            return
        if name in way:
            circle = " into ".join([*way[way.index(name) :], name])
            raise Circle(f"That would go round in a circle: {circle}. An echo's own loop is the place for feedback.")
        way.append(name)
        node = nodes[name]
        for before in [*(f.node for f in node.feeds), *(i.listens_to for i in node.chain if i.listens_to)]:
            visit(before)
        way.pop()
        out.append(name)

    for name in nodes:
        visit(name)
    return out


class Graph:
    """Renders nodes of one clock. lanes: the sound of nodes that nothing flows into; cache: shared by graphs, kept by content."""

    def __init__(self, nodes: Iterable[Node], lanes: Mapping[str, Lane], clock: Clock, cache: PieceCache[_Piece]) -> None:
        self._nodes = {node.name: node for node in nodes}
        self._order = order(self._nodes)
        self._lanes, self._clock, self._cache = lanes, clock, cache
        self._settings = {name: _settings_key(node) for name, node in self._nodes.items()}

    def render(self, name: str) -> list[Samples]:
        """The node's sound by segment, from silence; what rings at the end is cut."""
        return [pieces[name].after for pieces in self._pass(self._silence(), {name})]

    def tail(self, name: str, frames: int) -> Samples:
        """(frames, 2) of what rings on after the last segment, when nothing more comes in."""
        states, last = self._silence(), self._clock.length
        for _ in self._pass(states, {name}):
            pass
        quiet = Clock(self._clock.rate, self._clock.beat_frames, ((last, frames),))
        rest = Graph(self._nodes.values(), {}, quiet, self._cache)
        rest._lanes = {key: _Silence(frames) for key in self._lanes}
        (pieces,) = rest._pass(states, {name})
        return pieces[name].after

    def loop(self, name: str) -> list[Samples]:
        """The node's sound by segment in the lap that follows itself."""
        states = self._silence()
        before = {key: kept[1] for key, kept in states.items()}
        last: list[Samples] | None = None
        for _ in range(MAX_LAPS):
            lap = [pieces[name].after for pieces in self._pass(states, {name})]
            states = {key: self._rebased(key, kept[0]) for key, kept in states.items()}
            now = {key: kept[1] for key, kept in states.items()}
            if now == before:
                return lap
            if last is not None and max(float(np.abs(a - b).max(initial=0)) for a, b in zip(lap, last, strict=True)) < SETTLED:
                return lap
            before, last = now, lap
        return lap

    def _silence(self) -> dict[str, tuple[list[State], str]]:
        out = {}
        for name, node in self._nodes.items():
            state = [start_state(EFFECTS[insert.kind], self._clock.rate) for insert in node.chain]
            out[name] = state, _state_key(state)
        return out

    def _needed(self, wanted: set[str]) -> list[str]:
        needed = set(wanted)
        for name in reversed(self._order):
            if name in needed:
                node = self._nodes[name]
                needed |= {f.node for f in node.feeds} | {i.listens_to for i in node.chain if i.listens_to}
        return [name for name in self._order if name in needed]

    def _pass(self, states: dict[str, tuple[list[State], str]], wanted: set[str]) -> Iterable[dict[str, _Piece]]:
        """One lap, segment by segment; states are those before it, and after it those that it leaves."""
        names = self._needed(wanted)
        for number, (start, frames) in enumerate(self._clock.segments):
            pieces: dict[str, _Piece] = {}
            for name in names:
                pieces[name] = self._piece(name, number, start, frames, states[name], pieces)
                states[name] = pieces[name].state, pieces[name].state_key
            yield pieces

    def _piece(
        self, name: str, number: int, start: int, frames: int, before: tuple[list[State], str], pieces: Mapping[str, _Piece]
    ) -> _Piece:
        node, (state, state_key) = self._nodes[name], before
        lane = self._lanes.get(name)
        own_key, own = lane.piece(number) if lane is not None else (SILENT_KEY, None)
        parts = [self._settings[name], state_key, own_key, f"{start}+{frames}", *(self._curves_key(node, start, frames))]
        parts += [f"{pieces[f.node].key} {f.gain_db} {f.after_level}" for f in node.feeds]
        parts += [pieces[i.listens_to].key for i in node.chain if i.listens_to]
        key = hashlib.blake2b("|".join(parts).encode(), digest_size=16).hexdigest()
        found = self._cache.get(key)
        if found is not None:
            return found
        sound = np.zeros((frames, 2), np.float32) if own is None else own
        for feed in node.feeds:
            source = pieces[feed.node]
            sound = sound + np.float32(10 ** (feed.gain_db / 20)) * (source.after if feed.after_level else source.before)
        after = copy.deepcopy(state)
        for insert, one in zip(node.chain, after, strict=True):
            controls = Controls(insert.settings, self._clock.rate, self._clock.beat_frames, insert.automated)
            heard = pieces[insert.listens_to].before if insert.listens_to else None
            sound = run(EFFECTS[insert.kind], sound, controls, one, heard)
        piece = _Piece(key, sound, self._levelled(node, sound, start), after, _state_key(after))
        size = sum(array.nbytes for one in after for array in _arrays(one))
        self._cache.put(key, piece, sound.nbytes + piece.after.nbytes + size)
        return piece

    def _levelled(self, node: Node, sound: Samples, start: int) -> Samples:
        if node.muted:
            return np.zeros_like(sound)
        if not node.level and not node.pan and not node.automated:
            return sound
        controls = Controls({"level": node.level, "pan": node.pan}, self._clock.rate, curves=node.automated)
        gain = gains(controls.samples("level", start, len(sound)))
        pan = np.clip(controls.samples("pan", start, len(sound)) / 100, -1, 1)
        # Balance: one side stays, the other goes down along a quarter cosine.
        left, right = np.cos(np.maximum(pan, 0) * np.pi / 2), np.cos(np.maximum(-pan, 0) * np.pi / 2)
        return np.asarray(sound * (gain[:, None] * np.stack((left, right), axis=1)), np.float32)

    def _curves_key(self, node: Node, start: int, frames: int) -> list[str]:
        """The values of what is automated in a segment: another curve that is the same there changes nothing there."""
        out = []
        for where, automated in [("", node.automated), *((str(i), insert.automated) for i, insert in enumerate(node.chain))]:
            for name, curve in sorted(automated.items()):
                ticks = Controls({name: 0.0}, self._clock.rate, curves={name: curve}).ticks(name, start, frames)
                out.append(f"{where}{name}{hashlib.blake2b(ticks.tobytes(), digest_size=8).hexdigest()}")
        return out

    def _rebased(self, name: str, state: Sequence[State]) -> tuple[list[State], str]:
        """The state at the end of a lap as that before the next one, whose first sample is sample 0 again."""
        out = copy.deepcopy(list(state))
        for insert, one in zip(self._nodes[name].chain, out, strict=True):
            one["at"] = 0
            one["own"].pop("at", None)
            for ring in EFFECTS[insert.kind].rings_in:
                one["own"][ring] = np.roll(one["own"][ring], -self._clock.length, axis=-1)
        return out, _state_key(out)


class _Silence:
    def __init__(self, frames: int) -> None:
        self._frames = frames

    def piece(self, segment: int) -> tuple[str, Samples]:
        return SILENT_KEY, np.zeros((self._frames, 2), np.float32)


def _arrays(state: State) -> list[np.ndarray]:
    own = [array for _, array in sorted(state["own"].items()) if isinstance(array, np.ndarray)]
    return [state["dry"], *own]


def _state_key(states: Sequence[State]) -> str:
    digest = hashlib.blake2b(digest_size=16)
    for state in states:
        for array in _arrays(state):
            digest.update(np.ascontiguousarray(array).data)
    return digest.hexdigest()


def _settings_key(node: Node) -> str:
    chain = [(i.kind, sorted(i.settings.items()), i.listens_to) for i in node.chain]
    return repr((chain, node.level, node.pan, node.muted))
