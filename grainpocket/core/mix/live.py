"""What is heard while the musician works: segments as soon as they can be had, and exact ones once the hand rests.

A segment that is asked for right after an edit is rendered from the state that the sound before the edit had there (a draft); what
is not touched is found in the cache. The exact loop follows itself from silence on, as the export does.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from grainpocket.core.document.mixing import MASTER
from grainpocket.core.mix.graph import Graph
from grainpocket.core.mix.mixdown import Mix
from grainpocket.core.mix.nodes import REDUCTION, Piece, States, Stopped
from grainpocket.core.sound.audio import Samples

KEPT = 24  # segments whose state before them is kept
MOST_BACK = 20  # segments that are rendered to get on to one from a known state
PRE_ROLL = 2  # segments rendered unheard before one that is begun in the middle of a song


class Picture:
    """What is seen of a node over the loop: its extremes every REDUCTION samples, and what its effects took away."""

    def __init__(self) -> None:
        self.low: list[NDArray[np.float32]] = []
        self.high: list[NDArray[np.float32]] = []
        self.reductions: dict[str, list[NDArray[np.float32]]] = {}

    def add(self, piece: Piece) -> None:
        sound = piece.after
        edges = np.arange(0, len(sound), REDUCTION)
        self.low.append(np.minimum.reduceat(sound.min(axis=1), edges))
        self.high.append(np.maximum.reduceat(sound.max(axis=1), edges))
        for name, taken in piece.reductions.items():
            self.reductions.setdefault(name, []).append(taken)


@dataclass(frozen=True)
class Settled:
    """sound: of the master, by span; pictures: by node."""

    sound: list[Samples]
    pictures: dict[str, Picture]


class Run:
    """A mix as it is heard now. before: the run that was heard until now."""

    def __init__(self, mix: Mix, before: Run | None = None) -> None:
        self.mix = mix
        self._states: OrderedDict[int, States] = OrderedDict()
        # What was last heard before each place, by its sample, and the graph that it is a state of.
        self._heard: dict[int, tuple[Graph, States]] = before.heard() if before is not None else {}
        self._lock, self._keeping = threading.Lock(), threading.Lock()
        self._settled: Settled | None = None
        self._settling = threading.Lock()
        self.stopped = False

    def draft(self, number: int) -> Samples:
        """(frames, 2) of a span, now. Raises Stopped when this run is not heard any more."""
        with self._lock:
            if self.stopped:
                raise Stopped
            states = self._state(number)
            pieces = self._step(number, states)
            return self.mix.given(number, pieces[MASTER].after)

    def settled(self) -> Settled:
        """The loop that follows itself. Raises Stopped when this run is not heard any more."""
        with self._settling:
            if self._settled is None:
                graph = self.mix.graph
                states, _ = graph.steady({MASTER}, lambda: self.stopped)
                sound, pictures = [], {name: Picture() for name in graph.nodes}
                for number in range(len(graph.clock.segments)):
                    if self.stopped:
                        raise Stopped
                    self._keep(number, dict(states))
                    pieces = graph.step(number, states, set(graph.nodes))
                    sound.append(pieces[MASTER].after)
                    for name, piece in pieces.items():
                        pictures[name].add(piece)
                self._settled = Settled(sound, pictures)
            return self._settled

    def let_go(self) -> None:
        """Not heard any more: what is under way for it ends, and what came before it is forgotten."""
        self.stopped = True
        self._heard, self._settled = {}, None
        with self._keeping:
            self._states.clear()

    def _step(self, number: int, states: States) -> dict[str, Piece]:
        graph = self.mix.graph
        states = dict(states)
        pieces = graph.step(number, states, {MASTER})
        after = number + 1
        if self.mix.cyclic and after == len(graph.clock.segments):
            self._keep(0, graph.turned(states))
        else:
            self._keep(after, states)
        return pieces

    def _keep(self, number: int, states: States) -> None:
        with self._keeping:
            self._states[number] = states
            self._states.move_to_end(number)
            while len(self._states) > KEPT:
                self._states.popitem(last=False)

    def _state(self, number: int) -> States:
        """The state before a segment: our own, also when it takes a few segments more to get there; or that of the run before at
        the same place; or that after a run-up from silence."""
        count = len(self.mix.graph.clock.segments)
        for back in range(min(MOST_BACK, count if self.mix.cyclic else number + 1)):
            known = self._states.get((number - back) % count)
            if known is not None:
                for earlier in range(number - back, number):
                    self._step(earlier % count, self._states[earlier % count])
                return self._states[number]
        graph = self.mix.graph
        start = graph.clock.segments[number][0]
        there = self._heard.get(start)
        if there is not None:
            return graph.adopted(*there)
        first = number if self.mix.cyclic else max(0, number - PRE_ROLL)
        states = graph.silence(graph.clock.segments[first][0])
        for earlier in range(first, number):
            graph.step(earlier, states, {MASTER})
        return states

    def heard(self) -> dict[int, tuple[Graph, States]]:
        """The newest state before each place that is known, by its sample."""
        graph = self.mix.graph
        mine = {
            graph.clock.segments[number][0]: (graph, states)
            for number, states in list(self._states.items())
            if number < len(graph.clock.segments)
        }
        kept = {**self._heard, **mine}
        return dict(list(kept.items())[-KEPT:])


__all__ = ["Run", "Stopped"]
