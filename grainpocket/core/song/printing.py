"""Prints: what the pocket plays as a new source, with where each second of it came from.

In: a recipe. Out: blocks of sound, and the grid, cuts and lineage that the print takes on.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from grainpocket.core.document.mixing import MASTER
from grainpocket.core.edits.base import Refusal
from grainpocket.core.edits.pocket_wide import KnownCut
from grainpocket.core.effects.base import Curve
from grainpocket.core.lineage import merged, parts_of_stretch
from grainpocket.core.mix.loop import Renderer
from grainpocket.core.mix.mixdown import Mix, trimmed
from grainpocket.core.mix.nodes import Pieces
from grainpocket.core.mix.routing import curves_of, pads_by_bus
from grainpocket.core.pocket import MAX_PARTS, MOST_BARS, Grid, Hit, Key, Part, Pattern, Pocket, Recipe
from grainpocket.core.rhythm.schedule import Schedule, schedule
from grainpocket.core.rhythm.timing import Timeline
from grainpocket.core.shape.multisample import notes_of
from grainpocket.core.shape.timing import span
from grainpocket.core.shape.transforms import TRANSFORMS
from grainpocket.core.shape.voice import spec_of
from grainpocket.core.song.layout import beats_of, song_schedule, stretches
from grainpocket.core.sound.audio import Samples
from grainpocket.core.text import readable

PITCHED = ("tonal", "vocal")


@dataclass(frozen=True)
class Print:
    """blocks: (n, 2) float32 one after the other, length: samples up to the bar line, frames_at_most: with its tail; parts: which
    records sound in it, where; key: the pocket's, where anything with a pitch sounds."""

    name: str
    blocks: Iterator[Samples]
    length: int
    frames_at_most: int
    grid: Grid
    cuts: tuple[KnownCut, ...]
    parts: tuple[Part, ...]
    key: Key | None


def printed(pocket: Pocket, recipe: Recipe, renderer: Renderer, cache: Pieces) -> Print:
    """Raises Refusal when what the recipe names is not there."""
    if recipe.what == "keys" or recipe.transform is not None:
        return _made(pocket, recipe, renderer)
    name, timed, bars, per_bar, curves = _what(pocket, recipe)
    if not len(timed.rows):
        raise Refusal(f"{name} has nothing that sounds: there is nothing to print.")
    cyclic = recipe.ending == "wrap"
    mix = Mix(pocket, timed, renderer, cache, cyclic, curves, raw=not recipe.master)
    node = recipe.bus if recipe.what == "bus" and recipe.bus is not None else MASTER
    pads = _heard(pocket, node)
    blocks = mix.blocks(node)
    blocks = _cut(blocks, timed.length) if recipe.ending == "cut" else trimmed(blocks, timed.length)
    whole = mix.spans[-1].start + mix.spans[-1].frames
    grid = Grid(bpm=pocket.tempo, beats_per_bar=per_bar, bars=None if recipe.ending == "ring" else bars, by="hand")
    cuts, parts = _cuts(pocket, timed, pads), _parts(pocket, timed, pads)
    tonal = any(pocket.pads[int(pad)].role in PITCHED for pad in set(timed.rows["pad"]) & pads)
    return Print(readable(name)[:80], blocks, timed.length, whole, grid, cuts, parts, pocket.key if tonal else None)


def _made(pocket: Pocket, recipe: Recipe, renderer: Renderer) -> Print:
    """A pad turned into something in one step, or its notes one after the other."""
    pad = pocket.pads.get(recipe.pad if recipe.pad is not None else -1)
    if pad is None or recipe.pad is None:
        raise Refusal("That pad is empty: there is nothing to print.")
    time = Timeline(pocket.tempo, pocket.rate)
    if recipe.what == "keys":
        sound, named = notes_of(pocket, pad, renderer.voice)
        name = f"{pad.called}, notes"
    else:
        spec = spec_of(pocket, pad)
        made = TRANSFORMS[recipe.transform or ""](
            renderer.voice(spec)[spec.lead(pocket.rate) :], pocket.rate, float(time.frame(1.0))
        )
        sound, name = made.sound, f"{pad.called}, {recipe.transform}"
        named = tuple((at, "") for at in made.at)
    if not len(sound):
        raise Refusal(f"{pad.called} has nothing that sounds: there is nothing to print.")
    whole = schedule(pocket, Pattern(id="print", name=name[:80], hits=(Hit(pad=recipe.pad, beat=0, velocity=127),)), cyclic=False)
    # Where in it the record sounds was changed on the way: that it does is known.
    parts = tuple(part.model_copy(update={"at": None}) for part in _parts(pocket, whole, {recipe.pad}))
    known = tuple(KnownCut(at=at, role=pad.role, name=one or None) for at, one in named)
    grid = Grid(bpm=pocket.tempo, by="hand")
    key = pocket.key if pad.role in PITCHED else None
    return Print(readable(name)[:80], iter((sound,)), len(sound), len(sound), grid, known, parts, key)


def _what(pocket: Pocket, recipe: Recipe) -> tuple[str, Schedule, int, int, dict[str, Curve]]:
    """(name, events, bars, beats in a bar, automation)."""
    cyclic = recipe.ending == "wrap"
    if recipe.what == "song":
        return _of_song(pocket, recipe)
    if recipe.what == "pad":
        pad = pocket.pads.get(recipe.pad if recipe.pad is not None else -1)
        if pad is None or recipe.pad is None:
            raise Refusal("That pad is empty: there is nothing to print.")
        time = Timeline(pocket.tempo, pocket.rate)
        beats = time.beat(spec_of(pocket, pad).length)
        bars = min(MOST_BARS, max(1, math.ceil(beats / 4 - 0.01)))
        one = Pattern(id="print", name=pad.called, bars=bars, hits=(Hit(pad=recipe.pad, beat=0, velocity=127),))
        return pad.called, schedule(pocket, one, cyclic), bars, 4, {}
    pattern = pocket.patterns.get(recipe.pattern or "")
    if pattern is None:
        raise Refusal("That pattern is no longer in the pocket.")
    name = pattern.name
    if recipe.what == "bus":
        if recipe.bus not in pocket.buses:
            raise Refusal("That bus is no longer there.")
        name = f"{pocket.buses[recipe.bus].name}, {pattern.name}"
    if recipe.what == "pattern" and recipe.pad is not None:
        # One lane of it: as it is there, others silent.
        name = f"{_called(pocket, recipe.pad)}, {pattern.name}"
        pattern = pattern.model_copy(update={"hits": tuple(hit for hit in pattern.hits if hit.pad == recipe.pad)})
    timed = schedule(pocket, pattern, cyclic)
    return name, timed, pattern.bars * timed.passes, pattern.beats_per_bar, {}


def _called(pocket: Pocket, pad: int) -> str:
    return pocket.pads[pad].called if pad in pocket.pads else "Lane"


def _of_song(pocket: Pocket, recipe: Recipe) -> tuple[str, Schedule, int, int, dict[str, Curve]]:
    chosen = [s for s in stretches(pocket) if not recipe.sections or s.section.id in recipe.sections]
    if not chosen:
        raise Refusal("There is no such part of the song.")
    for a, b in itertools.pairwise(chosen):
        if abs(a.at + a.section.beats - b.at) > 1e-6:
            raise Refusal("Choose sections that follow each other.")
    first, last = chosen[0].at, chosen[-1].at + chosen[-1].section.beats
    timed = song_schedule(pocket, first, min(last, beats_of(pocket)))
    time = Timeline(pocket.tempo, pocket.rate)
    curves = dict(curves_of(pocket.threads.values(), lambda beats: time.frames(beats) - time.frame(first)))
    name = pocket.name if not recipe.sections else f"{chosen[0].section.name}, {pocket.name}"
    bars = sum(s.section.bars for s in chosen)
    return name, timed, bars, chosen[0].section.beats_per_bar, curves


def _heard(pocket: Pocket, node: str) -> set[int]:
    """Pads whose sound flows into a bus, straight or through others."""
    by_bus = pads_by_bus(pocket)
    if node == MASTER:
        return set(pocket.pads)
    found, new = {node}, {node}
    while new:
        new = {
            bus.id for bus in pocket.buses.values()
            if bus.id not in found and (bus.into in found or any(send.to in found for send in bus.sends))
        }  # fmt: skip
        found |= new
    sent = {index for index, pad in pocket.pads.items() if any(send.to in found for send in pad.sends)}
    return {pad for bus in found for pad in by_bus[bus]} | sent


def _cut(blocks: Iterator[Samples], length: int) -> Iterator[Samples]:
    left = length
    for block in blocks:
        if left <= 0:
            return
        yield block[:left]
        left -= len(block)


def _cuts(pocket: Pocket, timed: Schedule, pads: set[int]) -> tuple[KnownCut, ...]:
    """A cut where something is struck, with the name and role of the loudest pad there."""
    out: dict[int, tuple[float, KnownCut]] = {}
    for row in timed.rows:
        pad, frame, gain = int(row["pad"]), int(row["frame"]), float(row["gain"])
        if pad in pads and (frame not in out or gain > out[frame][0]):
            out[frame] = gain, KnownCut(at=frame, role=pocket.pads[pad].role, name=pocket.pads[pad].name)
    return tuple(cut for _, (_, cut) in sorted(out.items()))


def _parts(pocket: Pocket, timed: Schedule, pads: set[int]) -> tuple[Part, ...]:
    """Which seconds of which record sound where."""
    out: list[Part] = []
    by_audio = {source.audio: source for source in pocket.sources.values()}
    for row in timed.rows:
        pad, frame, stop = int(row["pad"]), int(row["frame"]), int(row["stop"])
        if pad not in pads:
            continue
        spec = timed.specs[int(row["spec"])]
        for one in (spec, *spec.layers):
            source = by_audio.get(one.audio)
            if source is None:
                continue
            first, last = span(one)
            heard = last - first
            if stop >= 0:
                heard = min(heard, int(np.ceil((stop + int(row["fade"])) * one.ratio)))
            start = last - heard if one.sound.reverse else first
            for part in parts_of_stretch(source, start, start + heard):
                at = None if part.at is None else frame + one.delay + int(round(part.at / one.ratio))
                out.append(part.model_copy(update={"at": at}))
    joined = _joined(out)
    return joined if len(joined) <= MAX_PARTS else merged(joined)[:MAX_PARTS]


def _joined(parts: Sequence[Part]) -> tuple[Part, ...]:
    """Stretches that go on where another ended, in the record and in the print, as one."""
    out: list[Part] = []
    open_: dict[tuple[str, str, int, int | None], int] = {}
    for part in sorted(parts, key=lambda p: (-1 if p.at is None else p.at, p.record, p.start)):
        place = (part.record, part.audio, part.start, part.at)
        before = open_.pop(place, None) if part.at is not None else None
        if before is None:
            before = len(out)
            out.append(part)
        else:
            out[before] = out[before].model_copy(update={"end": part.end})
        one = out[before]
        if one.at is not None:
            open_[(one.record, one.audio, one.end, one.at + one.end - one.start)] = before
    return tuple(out)
