"""What of a pad a hit plays: which chop, which note, which of its layers."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from typing import TYPE_CHECKING

from grainpocket.core.document.sound import Sound
from grainpocket.core.notes import SCALES
from grainpocket.core.pocket import Chop, Layer, Pad, Pocket

if TYPE_CHECKING:
    from grainpocket.core.shape.voice import Stroke


def in_key(pocket: Pocket, sound: Sound, note: int) -> int:
    """The note, or where the sound keeps to the pocket's key the nearest one in it: of two as near, the lower."""
    if not sound.in_key or pocket.key is None:
        return note
    scale = {(pocket.key.tonic + step) % 12 for step in SCALES[pocket.key.mode]}
    root = round(sound.root)
    return min((note + by for by in (0, -1, 1, -2, 2) if (root + note + by) % 12 in scale), key=lambda n: abs(n - note))


def zone_of(pad: Pad, sound: Sound, note: int, take: int) -> tuple[Chop, float]:
    """(the chop that plays a note, semitones from it to the note). The pad's own chop lies at its root, its zones at theirs; the
    nearest one plays."""
    own = pad.takes[take - 1] if 0 < take <= len(pad.takes) else pad.chop
    if not pad.zones:
        return own, float(note)
    key = round(sound.root) + note
    zone = min(pad.zones, key=lambda one: abs(one.root - key))
    if abs(round(sound.root) - key) <= abs(zone.root - key):
        return own, float(note)
    return zone.chop, key - zone.root


def sounding(layers: Sequence[Layer], stroke: Stroke) -> list[Layer]:
    """The layers that a hit of this velocity plays; of those that take turns, the one whose turn it is."""
    there = [layer for layer in layers if layer.softest <= stroke.velocity <= layer.hardest]
    out = [layer for layer in there if layer.when == "always"]
    for way in ("in turn", "random"):
        some = [layer for layer in there if layer.when == way]
        if some:
            out.append(some[(stroke.turn if way == "in turn" else _any(stroke.turn)) % len(some)])
    return [layer for layer in there if layer in out]


def takes_turns(pad: Pad) -> int:
    """After how many hits the same layers play again; 1: always the same."""
    counts = [sum(layer.when == way for layer in pad.layers) for way in ("in turn", "random")]
    return 1 if not any(counts) else max(1, counts[0]) * (16 if counts[1] else 1)


def by_velocity(pad: Pad) -> bool:
    """Whether more than the level depends on how hard it is hit."""
    ranged = any(layer.softest > 1 or layer.hardest < 127 for layer in pad.layers)
    return ranged or bool(pad.sound.by_velocity) or any(layer.sound.by_velocity for layer in pad.layers)


def _any(turn: int) -> int:
    return int.from_bytes(hashlib.blake2b(str(turn).encode(), digest_size=4).digest(), "big")
