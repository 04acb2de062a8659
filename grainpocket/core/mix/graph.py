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
import os
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.effects import EFFECTS
from grainpocket.core.effects.base import (
    AMOUNT,
    Controls,
    State,
    alike,
    arrays_of,
    balance,
    gains,
    run,
    set_clock,
    start_state,
    turn_rings,
)  # fmt: skip
from grainpocket.core.mix.nodes import (
    REDUCTION,
    SILENT_KEY,
    Clock,
    Feed,
    Insert,
    Lane,
    Node,
    Piece,
    Pieces,
    States,
    Stopped,
    controls_of,
    each,
    order,
)
from grainpocket.core.sound.audio import Samples

SETTLED = 1e-5  # two laps that differ by less are one: -100 dBFS
MAX_LAPS = 64  # of a loop shorter than its reverb
_HANDS = ThreadPoolExecutor(max(2, os.cpu_count() or 2), "mix")


class Graph:
    """Renders nodes of one clock. lanes: the sound of nodes that nothing flows into; cache: shared by graphs, kept by content."""

    def __init__(self, nodes: Iterable[Node], lanes: Mapping[str, Lane], clock: Clock, cache: Pieces) -> None:
        self._nodes = {node.name: node for node in nodes}
        self._order = order(self._nodes)
        self._lanes, self._clock, self._cache = lanes, clock, cache
        self._settings = {name: _settings_key(node) for name, node in self._nodes.items()}
        self._late, self._waits = self._latencies()
        self._groups: dict[frozenset[str], list[list[str]]] = {}
        self._still = {name: key for name, (_, key) in self.silence().items()}

    @property
    def nodes(self) -> Mapping[str, Node]:
        return self._nodes

    @property
    def clock(self) -> Clock:
        return self._clock

    def latency(self, name: str) -> int:
        """Samples by which what a node gives lags behind what flows in."""
        return self._late[name]

    def render(self, name: str) -> list[Samples]:
        """The node's sound by segment, from silence; what rings at the end is cut."""
        return [pieces[name].after for pieces in self.passes(self.silence(), {name})]

    def tail(self, name: str, frames: int) -> Samples:
        """(frames, 2) of what rings on after the last segment, when nothing more comes in."""
        states = self.silence()
        for _ in self.passes(states, {name}):
            pass
        return self.ring(states, name, frames)

    def ring(self, states: States, name: str, frames: int, start: int | None = None) -> Samples:
        """(frames, 2) of what rings on from a state, when nothing more comes in; start: its sample, else the end."""
        at = self._clock.length if start is None else start
        quiet = Clock(self._clock.rate, self._clock.beat_frames, ((at, frames),))
        rest = Graph(self._nodes.values(), {key: _Silence(frames) for key in self._lanes}, quiet, self._cache)
        (pieces,) = rest.passes(states, {name})
        return pieces[name].after

    def loop(self, name: str) -> list[Samples]:
        """The node's sound by segment in the lap that follows itself."""
        return [pieces[name].after for pieces in self.steady({name})[1]]

    def steady(self, wanted: set[str], stop: Callable[[], bool] = lambda: False) -> tuple[States, list[dict[str, Piece]]]:
        """The lap that follows itself: the states before it, and the pieces of the nodes that are wanted, by segment. stop: asked
        before each segment; raises Stopped."""
        states = self.silence()
        before = {key: kept[1] for key, kept in states.items()}
        last: list[dict[str, Piece]] | None = None
        for _ in range(MAX_LAPS):
            lap, first = [], dict(states)
            for pieces in self.passes(states, wanted):
                if stop():
                    raise Stopped
                lap.append({name: pieces[name] for name in wanted})
            states = self.turned(states)
            now = {key: kept[1] for key, kept in states.items()}
            if now == before:
                return first, lap
            if last is not None and all(
                float(np.abs(a[name].after - b[name].after).max(initial=0)) < SETTLED
                for a, b in zip(lap, last, strict=True)
                for name in wanted
            ):
                return first, lap
            before, last = now, lap
        return first, lap

    def turned(self, states: States) -> States:
        """The states at the end of a lap as those before the next one."""
        return {key: self._rebased(key, kept[0]) for key, kept in states.items()}

    def silence(self, at: int = 0, only: Collection[str] | None = None) -> States:
        """The states before any sound, at a sample; only: of these nodes."""
        out = {}
        for name, node in self._nodes.items():
            if only is not None and name not in only:
                continue
            state = [start_state(EFFECTS[i.kind], self._clock.rate, self._controls(i)) for i in node.chain]
            state.append(self._start_of_node(name))
            for one in state:
                set_clock(one, at)
            out[name] = state, _state_key(state)
        return out

    def adopted(self, other: Graph, states: States) -> States:
        """The states of another graph as far as they are of the same nodes and effects; the rest begins from silence."""
        same = {
            name: states[name]
            for name in self._nodes.keys() & states.keys()
            if self._settings[name] == other._settings.get(name) and self._waits[name] == other._waits[name]
        }
        out = {**self.silence(only=self._nodes.keys() - same.keys()), **same}
        for name, node in self._nodes.items():
            there = other._nodes.get(name)
            if there is None or name not in states or name in same:
                continue
            old = {i.name: (i.kind, state) for i, state in zip(there.chain, states[name][0], strict=False)}
            mine = out[name][0]
            kept = [*(old.get(i.name, ("", None)) for i in node.chain), ("node", states[name][0][-1])]
            for number, (kind, state) in enumerate(kept):
                if state is None or (number < len(node.chain) and kind != node.chain[number].kind):
                    at = states[name][0][-1]["at"]
                    set_clock(mine[number], at)
                elif alike(state, mine[number]):
                    mine[number] = copy.deepcopy(state)
                else:
                    set_clock(mine[number], state["at"])
            out[name] = mine, _state_key(mine)
        at = next(iter(states.values()))[0][-1]["at"] if states else 0
        for name in out.keys() - states.keys():
            for state in out[name][0]:
                set_clock(state, at)
        return out

    def _controls(self, insert: Insert) -> Controls:
        return controls_of(insert, self._clock.rate, self._clock.beat_frames)

    def _latencies(self) -> tuple[dict[str, int], dict[str, list[int]]]:
        """By node: samples by which it lags, and for its own lane and each feed how long that must wait for the latest."""
        late: dict[str, int] = {}
        waits: dict[str, list[int]] = {}
        for name in self._order:
            node = self._nodes[name]
            coming = [0, *(late[feed.node] for feed in node.feeds)]
            latest = max(coming)
            waits[name] = [latest - one for one in coming]
            late[name] = latest + sum(EFFECTS[insert.kind].latency for insert in node.chain)
        return late, waits

    def _start_of_node(self, name: str) -> State:
        """What a node remembers beside its effects: what waits of its lane and feeds, and the dry sound beside its chain."""
        own = {f"wait{i}": np.zeros((wait, 2), np.float32) for i, wait in enumerate(self._waits[name]) if wait}
        dry = sum(EFFECTS[insert.kind].latency for insert in self._nodes[name].chain)
        return {"at": 0, "own": own, "dry": np.zeros((dry, 2), np.float32)}

    def _needed(self, wanted: set[str]) -> list[str]:
        needed = set(wanted)
        for name in reversed(self._order):
            if name in needed:
                node = self._nodes[name]
                needed |= {f.node for f in node.feeds} | {i.listens_to for i in node.chain if i.listens_to}
        return [name for name in self._order if name in needed]

    def passes(self, states: States, wanted: set[str]) -> Iterable[dict[str, Piece]]:
        """One lap, segment by segment; states are those before it, and after it those that it leaves."""
        for number in range(len(self._clock.segments)):
            yield self.step(number, states, wanted)

    def step(self, number: int, states: States, wanted: set[str]) -> dict[str, Piece]:
        """One segment; states are those before it, and after it those that it leaves."""
        start, frames = self._clock.segments[number]
        pieces: dict[str, Piece] = {}
        for level in self._levels(wanted):

            def make(name: str) -> Piece:
                return self._piece(name, number, start, frames, states[name], pieces)

            # Side by side: their kernels hold no lock, and none of them hears another.
            made = _HANDS.map(make, level) if len(level) > 1 else map(make, level)
            pieces.update(zip(level, list(made), strict=True))
        for name, piece in pieces.items():
            states[name] = piece.state, piece.state_key
        return pieces

    def _levels(self, wanted: set[str]) -> list[list[str]]:
        """The nodes that are needed, in groups: nothing in a group needs another of it."""
        key = frozenset(wanted)
        if key not in self._groups:
            depth: dict[str, int] = {}
            for name in self._needed(wanted):
                node = self._nodes[name]
                before = [*(f.node for f in node.feeds), *(i.listens_to for i in node.chain if i.listens_to)]
                depth[name] = 1 + max((depth[one] for one in before), default=-1)
            groups: list[list[str]] = [[] for _ in range(max(depth.values(), default=-1) + 1)]
            for name, level in depth.items():
                groups[level].append(name)
            self._groups[key] = groups
        return self._groups[key]

    def _piece(
        self, name: str, number: int, start: int, frames: int, before: tuple[list[State], str], pieces: Mapping[str, Piece]
    ) -> Piece:
        node, (state, state_key) = self._nodes[name], before
        lane = self._lanes.get(name)
        own_key, own = lane.piece(number) if lane is not None else (SILENT_KEY, None)
        heard_by = [*(f.node for f in node.feeds), *(i.listens_to for i in node.chain if i.listens_to)]
        silent = own_key == SILENT_KEY and all(pieces[one].silent for one in heard_by)
        if silent and state_key == self._still[name]:
            # Nothing comes in and nothing rings: nothing comes out, and the effects need not be asked.
            nothing = np.zeros((frames, 2), np.float32)
            return Piece(SILENT_KEY, nothing, nothing, [_moved(one, start + frames) for one in state], state_key, {}, silent=True)
        parts = [self._settings[name], state_key, own_key, f"{start}+{frames}", *(self._curves_key(node, start, frames))]
        parts += [f"{pieces[f.node].key} {f.gain_db} {f.after_level}" for f in node.feeds]
        parts += [pieces[i.listens_to].key for i in node.chain if i.listens_to]
        key = hashlib.blake2b("|".join(parts).encode(), digest_size=16).hexdigest()
        found = self._cache.get(key)
        if found is not None:
            return found
        after = copy.deepcopy(state)
        itself = after[-1]
        sound = np.zeros((frames, 2), np.float32) if own is None else self._waited(name, 0, own, itself)
        for number_, feed in enumerate(node.feeds, 1):
            source = pieces[feed.node]
            share = self._shared(feed, source.after if feed.after_level else source.before, start)
            sound = sound + self._waited(name, number_, share, itself)
        dry, reductions = sound, {}
        for insert, one in zip(node.chain, after, strict=False):
            heard = pieces[insert.listens_to].before if insert.listens_to else None
            came = sound
            sound = run(EFFECTS[insert.kind], sound, self._controls(insert), one, heard)
            if EFFECTS[insert.kind].turns_down:
                reductions[insert.name] = _reduction(came, sound)
        sound = self._amount(node, dry, sound, start, itself)
        itself["at"] = start + frames
        piece = Piece(key, sound, self._levelled(node, sound, start), after, _state_key(after), reductions)
        return self._cache.put(key, piece)

    def _waited(self, name: str, which: int, sound: Samples, itself: State) -> Samples:
        """What flows in, as late as the latest of all that does."""
        wait = self._waits[name][which]
        if not wait:
            return sound
        late = np.concatenate((itself["own"][f"wait{which}"], sound))
        itself["own"][f"wait{which}"] = late[len(sound) :].copy()
        return late[: len(sound)]

    def _shared(self, feed: Feed, sound: Samples, start: int) -> Samples:
        if feed.curve is None:
            return np.asarray(np.float32(10 ** (feed.gain_db / 20)) * sound) if feed.gain_db else sound
        controls = Controls({"level": feed.gain_db}, self._clock.rate, curves={"level": feed.curve})
        return np.asarray(sound * gains(controls.samples("level", start, len(sound)))[:, None], np.float32)

    def _amount(self, node: Node, dry: Samples, wet: Samples, start: int, itself: State) -> Samples:
        """The whole chain and what came into it, as late."""
        late = np.concatenate((itself["dry"], dry))
        itself["dry"] = late[len(dry) :].copy()
        if node.amount >= AMOUNT.high and "amount" not in node.automated:
            return wet
        controls = Controls({"amount": node.amount}, self._clock.rate, curves=node.automated)
        share = (controls.samples("amount", start, len(wet)) / AMOUNT.high)[:, None]
        return np.asarray(late[: len(dry)] * (1 - share) + wet * share, np.float32)

    def _levelled(self, node: Node, sound: Samples, start: int) -> Samples:
        if node.muted:
            return np.zeros_like(sound)
        if not node.level and not node.pan and not {"level", "pan"} & node.automated.keys():
            return sound
        if not {"level", "pan"} & node.automated.keys():
            sides = balance(np.array([np.clip(node.pan / 100, -1, 1)]))
            return np.asarray(sound * np.asarray(gains(np.array([node.level]))[:, None] * sides, np.float32))
        controls = Controls({"level": node.level, "pan": node.pan}, self._clock.rate, curves=node.automated)
        gain = gains(controls.samples("level", start, len(sound)))
        pan = np.clip(controls.samples("pan", start, len(sound)) / 100, -1, 1)
        return np.asarray(sound * (gain[:, None] * balance(pan)), np.float32)

    def _curves_key(self, node: Node, start: int, frames: int) -> list[str]:
        """The values of what is automated in a segment: another curve that is the same there changes nothing there."""
        out = []
        sends = {str(i): feed.curve for i, feed in enumerate(node.feeds) if feed.curve is not None}
        chain = [(str(i), insert.automated) for i, insert in enumerate(each(node.chain))]
        for where, automated in [("", node.automated), ("send", sends), *chain]:
            for name, curve in sorted(automated.items()):
                ticks = Controls({name: 0.0}, self._clock.rate, curves={name: curve}).ticks(name, start, frames)
                out.append(f"{where}{name}{hashlib.blake2b(ticks.tobytes(), digest_size=8).hexdigest()}")
        return out

    def _rebased(self, name: str, state: Sequence[State]) -> tuple[list[State], str]:
        """The state at the end of a lap as that before the next one, whose first sample is sample 0 again."""
        out = copy.deepcopy(list(state))
        for one in out:
            set_clock(one, 0)
        for insert, one in zip(self._nodes[name].chain, out, strict=False):
            turn_rings(EFFECTS[insert.kind], self._controls(insert), one, self._clock.length)
        return out, _state_key(out)


class _Silence:
    def __init__(self, frames: int) -> None:
        self._frames = frames

    def piece(self, segment: int) -> tuple[str, Samples]:
        return SILENT_KEY, np.zeros((self._frames, 2), np.float32)


def _state_key(states: Sequence[State]) -> str:
    digest = hashlib.blake2b(digest_size=16)
    for state in states:
        for array in arrays_of(state):
            digest.update(np.ascontiguousarray(array).data)
    return digest.hexdigest()


def _settings_key(node: Node) -> str:
    chain = [_insert_key(i) for i in node.chain]
    return repr((chain, node.level, node.pan, node.muted, node.amount))


def _insert_key(insert: Insert) -> object:
    return insert.kind, sorted(insert.settings.items()), insert.listens_to, [_insert_key(one) for one in insert.inside]


def _moved(state: State, at: int) -> State:
    """The same state at another sample."""
    out = {**state, "own": dict(state["own"])}
    if "inside" in out["own"]:
        out["own"]["inside"] = [_moved(one, at) for one in out["own"]["inside"]]
    set_clock(out, at)
    return out


def _reduction(came: Samples, went: Samples) -> NDArray[np.float32]:
    """Decibels by which a stretch was turned down, every REDUCTION samples; silence is not turned down."""
    edges = np.arange(0, len(came), REDUCTION)
    before = np.add.reduceat(np.square(came[:, 0]) + np.square(came[:, 1]), edges)
    after = np.add.reduceat(np.square(went[:, 0]) + np.square(went[:, 1]), edges)
    heard = before > 1e-9
    out = np.zeros(len(edges), np.float32)
    out[heard] = np.clip(10 * np.log10(np.maximum(after[heard], 1e-12) / before[heard]), -60, 0)
    return out
