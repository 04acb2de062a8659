"""A pad by itself through its bus: what the hand hears when the bus has effects."""

from __future__ import annotations

import functools
import hashlib
from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from grainpocket.core.document.mixing import MASTER, PAD
from grainpocket.core.mix.loop import Renderer
from grainpocket.core.mix.mixdown import Mix
from grainpocket.core.mix.nodes import Node, pieces
from grainpocket.core.mix.routing import bus_of, is_plain, nodes_of
from grainpocket.core.pocket import Hit, Pattern, Pocket
from grainpocket.core.rhythm.schedule import Placement, schedule_of
from grainpocket.core.shape.voice import VoiceSpec
from grainpocket.core.sound.audio import Samples

LONGEST_TAIL_S = 4.0


def keys_through(pocket: Pocket, voices: Mapping[int, tuple[str, VoiceSpec]]) -> dict[int, str]:
    """By pad, a name for its sound through its bus that changes only when that does; none where the voice itself is it."""
    if is_plain(pocket):
        return {}
    nodes = {node.name: node for node in nodes_of(pocket)}
    ways = {bus: _way(nodes, bus) for bus in (MASTER, *pocket.buses)}
    out = {}
    for index, (key, _) in voices.items():
        pad = pocket.pads[index]
        sent = [(send.to, send.level, ways[send.to]) for send in pad.sends if send.to in ways]
        told = f"{key} {pocket.tempo} {pocket.rate} {ways[bus_of(pocket, pad)]}{sent or ''}"
        out[index] = f"pad{hashlib.blake2b(told.encode(), digest_size=14).hexdigest()}"
    return out


def _way(nodes: Mapping[str, Node], bus: str) -> str:
    """The settings of all that the sound of a bus flows through."""
    reached = _reached(nodes, {bus})
    told = []
    for name in sorted(reached):
        node = nodes[name]
        feeds = [(f.node, f.gain_db, f.after_level) for f in node.feeds if f.node in reached]
        chain = [
            (
                i.kind,
                sorted(i.settings.items()),
                i.listens_to in reached,
                [(one.kind, sorted(one.settings.items())) for one in i.inside],
            )
            for i in node.chain
        ]
        told.append((name, feeds, chain, node.level, node.pan, node.muted, node.amount))
    return repr(told)


def _reached(nodes: Mapping[str, Node], first: set[str]) -> set[str]:
    """Names of the nodes that sound flows through which begins in the first ones."""
    reached = set(first)
    # Until nothing new is reached: nodes come in no order.
    while new := {n.name for n in nodes.values() if n.name not in reached and any(f.node in reached for f in n.feeds)}:
        reached |= new
    return reached


class OnePad(Mix):
    """A mix of one pad, of which nothing is rendered but what the sound of that pad flows through: the rest would be silent."""

    @functools.cached_property
    def nodes(self) -> list[Node]:
        nodes = {node.name: node for node in nodes_of(self.pocket)}
        pads = {row.pad for row in self.schedule.events}
        reached = _reached(nodes, {f"{PAD}{pad}" for pad in pads} | {bus_of(self.pocket, self.pocket.pads[pad]) for pad in pads})
        reached.add(MASTER)
        kept = [
            replace(node, feeds=tuple(feed for feed in node.feeds if feed.node in reached))
            for name, node in nodes.items()
            if name in reached
        ]
        # What they listen to and do not get is silent.
        keys = {insert.listens_to for node in kept for insert in node.chain} - {None, *reached}
        return [*(Node(name) for name in sorted(name for name in keys if name)), *kept]


def alone(pocket: Pocket, index: int, lead: int, renderer: Renderer) -> Samples:
    """(n, 2): a pad struck once, in full, through its bus and the master, from `lead` samples before the hit until it has rung
    out or for 4 s after its voice."""
    beat = lead * pocket.tempo / 60 / pocket.rate
    pattern = Pattern(id="alone", name="alone", hits=(Hit(pad=index, beat=beat, velocity=127),))
    timed = schedule_of(pocket, (Placement(pattern),), beat + 0.001, cyclic=False)
    mix = OnePad(pocket, timed, renderer, pieces(0), cyclic=False)
    voice = max((spec.length for spec in timed.specs), default=1)
    most = lead + voice + int(LONGEST_TAIL_S * pocket.rate)
    out: list[Samples] = []
    for block in mix.written():
        out.append(block[: most - sum(map(len, out))])
        if sum(map(len, out)) >= most:
            break
    sound = np.concatenate(out)
    if len(sound) == most:
        fade = np.linspace(1, 0, pocket.rate // 10, dtype=np.float32)[:, None]
        sound = sound.copy()
        sound[-len(fade) :] *= fade
    return sound
