"""A pocket's pattern or song through its buses: what is heard, and what is written to files.

Where nothing but sums is asked for there is no graph: segments are the sums of their events, known by key before they are
rendered. Otherwise every bus has a lane, the sum of the pads that are on it, and the graph renders them.

All that lags in the chains is made up for: what is given out begins with the song's first sample.
"""

from __future__ import annotations

import functools
import itertools
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from grainpocket.core.document.mixing import MASTER, PAD
from grainpocket.core.effects import EFFECTS
from grainpocket.core.effects.base import Curve
from grainpocket.core.mix.graph import Graph
from grainpocket.core.mix.loop import Renderer, Segment, Voices, edges
from grainpocket.core.mix.nodes import SILENT_KEY, Clock, Node, Pieces, controls_of
from grainpocket.core.mix.routing import is_plain, nodes_of, pads_by_bus, silenced
from grainpocket.core.pocket import Pocket
from grainpocket.core.rhythm.schedule import Schedule
from grainpocket.core.sound.audio import Samples

LONGEST_TAIL_S = 12.0
SILENCE = 1.6e-5  # -96 dBFS: what rings on under it at the end of a file is left out
TAIL_BEATS = 4  # of a segment of the tail, in beats


@dataclass(frozen=True)
class Span:
    """A stretch of what is given out, in samples."""

    start: int
    frames: int


class _Lane:
    """The pads of a bus, by segment of the graph's clock."""

    def __init__(self, voices: Voices, stretches: Sequence[tuple[int, int]], renderer: Renderer) -> None:
        self._voices, self._stretches, self._renderer = voices, stretches, renderer
        self._known: dict[int, Segment] = {}

    def piece(self, segment: int) -> tuple[str, Samples]:
        known = self._known.get(segment)
        if known is None:
            known = self._known[segment] = self._voices.segment(*self._stretches[segment])
        if not len(known.rows):
            return SILENT_KEY, np.zeros((known.frames, 2), np.float32)
        return known.key, self._renderer.segment(known)


class Mix:
    """cyclic: a loop that follows itself; else from silence until it has rung out. automation: curves by control, in samples."""

    def __init__(
        self, pocket: Pocket, schedule: Schedule, renderer: Renderer, cache: Pieces, cyclic: bool,
        automation: Mapping[str, Curve] | None = None, raw: bool = False,
    ) -> None:  # fmt: skip
        """raw: without the master's effects and level."""
        self.pocket, self.schedule, self.cyclic = pocket, schedule, cyclic
        self._renderer, self._cache = renderer, cache
        self._automation = automation or {}
        self._raw = raw
        self.plain = (raw or not pocket.chain) and is_plain(pocket) and not self._automation
        self.rate, self.length = schedule.rate, schedule.length

    @functools.cached_property
    def spans(self) -> tuple[Span, ...]:
        """What is given out, in order and without gaps; of a song with its tail."""
        lines = edges(self.schedule)
        if not self.cyclic:
            end = max(self.length, self._voices.end) + self._rings
            step = max(1, int(TAIL_BEATS * self.beat_frames))
            lines += [*range(self.length + step, end, step), end] if end > self.length else []
        return tuple(Span(a, b - a) for a, b in itertools.pairwise(lines) if b > a)

    @property
    def beat_frames(self) -> float:
        return 60.0 * self.rate / self.pocket.tempo

    @functools.cached_property
    def _voices(self) -> Voices:
        return Voices(self.schedule, self.cyclic, level=0.0 if self._raw else self.pocket.level)

    def segment(self, number: int) -> Segment:
        """Of a plain mix: the events of a span, and its key."""
        span = self.spans[number]
        return self._voices.segment(span.start, span.start + span.frames)

    @functools.cached_property
    def nodes(self) -> list[Node]:
        nodes = nodes_of(self.pocket, self._automation)
        return [Node(n.name, n.feeds) if n.name == MASTER else n for n in nodes] if self._raw else nodes

    @functools.cached_property
    def _rings(self) -> int:
        """Samples for which the effects sound on at most."""
        if self.plain:
            return 0
        longest = 0.0
        for node in self.nodes:
            here = [EFFECTS[i.kind].rings(controls_of(i, self.rate, self.beat_frames)) for i in node.chain]
            longest = max(longest, sum(here))
        return int(min(longest, LONGEST_TAIL_S * self.rate))

    @functools.cached_property
    def late(self) -> int:
        """Samples by which the master lags."""
        return Graph(self.nodes, {}, self._clock(0), self._cache).latency(MASTER)

    def _clock(self, late: int) -> Clock:
        """Of a loop the lanes are read ahead by what the master lags; of a song the first segment is longer by it."""
        spans = [(span.start, span.frames) for span in self.spans]
        if not self.cyclic and late:
            spans = [(0, spans[0][1] + late), *((start + late, frames) for start, frames in spans[1:])]
        return Clock(self.rate, self.beat_frames, tuple(spans))

    @functools.cached_property
    def graph(self) -> Graph:
        late = self.late
        clock = self._clock(late)
        ahead = late if self.cyclic else 0
        stretches = [(start + ahead, start + frames + ahead) for start, frames in clock.segments]
        lanes = {}
        silent = silenced(self.pocket)
        for bus, pads in pads_by_bus(self.pocket).items():
            # A bus that is not heard is still rendered, for what listens to it; the master is a bus of all.
            if pads and not (bus == MASTER and MASTER in silent):
                lanes[bus] = _Lane(self._voices.of(pads), stretches, self._renderer)
        for node in self.nodes:
            if node.name.startswith(PAD):
                lanes[node.name] = _Lane(self._voices.of({int(node.name[len(PAD) :])}), stretches, self._renderer)
        return Graph(self.nodes, lanes, clock, self._cache)

    def given(self, number: int, samples: Samples) -> Samples:
        """Of what the graph made in a segment, the span that is given out."""
        return samples[self.late :] if number == 0 and not self.cyclic else samples

    def blocks(self, node: str = MASTER) -> Iterator[Samples]:
        """What is given out, span by span: the loop that follows itself, or the song and its tail. Nothing of it is kept."""
        if self.plain and node == MASTER:
            for number in range(len(self.spans)):
                yield self._renderer.segment(self.segment(number))
        elif self.cyclic:
            for pieces in self.graph.steady({node})[1]:
                yield pieces[node].after
        else:
            for number, pieces in enumerate(self.graph.passes(self.graph.silence(), {node})):
                yield self.given(number, pieces[node].after)

    def written(self) -> Iterator[Samples]:
        """What goes into a file: a loop as it is, a song until it has rung out."""
        return self.blocks() if self.cyclic or self.plain else trimmed(self.blocks(), self.length)


def trimmed(blocks: Iterator[Samples], least: int) -> Iterator[Samples]:
    """Blocks (n, 2) without the silence at their end, but at least so many samples."""
    done = 0
    held: list[Samples] = []
    for block in blocks:
        heard = np.flatnonzero(np.abs(block).max(axis=1) > SILENCE)
        keep = max(int(heard[-1]) + 1 if len(heard) else 0, min(len(block), max(0, least - done - sum(map(len, held)))))
        if not keep:
            held.append(block)
            continue
        yield from held
        done += sum(map(len, held)) + len(block)
        held = []
        if keep < len(block):
            yield block[:keep]
            done -= len(block) - keep
            held.append(block[keep:])
        else:
            yield block
