"""What a separation engine is, and how any of them is run over a record of any length.

An engine looks at windows of some seconds; windows overlap and are crossfaded, so memory does not grow with the record. What it
gives is made to add up: what its parts leave of the input is put into the part that takes the rest.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from grainpocket.core.sound.audio import Samples, stereo
from grainpocket.core.split.heard import Heard

REST = "other"
SONG_PARTS = ("drums", "bass", "vocals", REST)
WINDOW_S, OVERLAP_S = 20.0, 1.0
Read = Callable[[int, int], Samples]
Progress = Callable[[float], None]


@dataclass(frozen=True)
class Quality:
    """name: as it is asked for; speed: times real time on two cores, to tell how long it will take."""

    name: str
    label: str
    speed: float


class Engine(Protocol):
    """name, label: how it is asked for and called; parts: what it takes a record apart into, the last one takes the rest;
    qualities: the quickest first; context_s: seconds that it has to see on both sides of what it gives; light: whether it runs in
    place of an answer, without networks and much quicker than it plays."""

    name: str
    label: str
    parts: tuple[str, ...]
    qualities: tuple[Quality, ...]
    context_s: float
    light: bool

    def window(self, sound: Samples, rate: int, quality: str) -> Mapping[str, Samples]:
        """(n, 2) float32 of each part but the rest, of (n, 2). Pure: the same sound gives the same parts."""


def separate(
    engine: Engine,
    sound: Samples,
    rate: int,
    parts: Sequence[str] = (),
    quality: str = "",
    progress: Progress | None = None,
    heard: Heard | None = None,
) -> dict[str, Samples]:
    """(n, 2) of each part of (n, channels); all of them, added, are the input. parts: those that are wanted, all if none are named:
    what is left out stays in the rest; heard: what Listen knows of it, which steers the engine;
    progress(share) may raise to end it. Raises KeyError for a part or quality that the engine has not."""
    wanted = tuple(parts) or engine.parts
    out: dict[str, list[Samples]] = {part: [] for part in wanted}
    whole = stereo(sound)
    for block in streamed(engine, lambda a, b: whole[a:b], len(whole), rate, wanted, quality, progress, heard):
        for part, piece in block.items():
            out[part].append(piece)
    return {part: np.concatenate(pieces) if pieces else np.zeros((0, 2), np.float32) for part, pieces in out.items()}


def streamed(
    engine: Engine,
    read: Read,
    frames: int,
    rate: int,
    parts: Sequence[str],
    quality: str = "",
    progress: Progress | None = None,
    heard: Heard | None = None,
) -> Iterator[dict[str, Samples]]:
    """The parts block by block, in order and without gaps. read(start, end): (end - start, 2) of the record, inside of it."""
    unknown = set(parts) - set(engine.parts)
    if unknown:
        raise KeyError(", ".join(sorted(unknown)))
    quality = quality or engine.qualities[-1].name
    if quality not in {one.name for one in engine.qualities}:
        raise KeyError(quality)
    step, overlap, context = int(WINDOW_S * rate), int(OVERLAP_S * rate), int(engine.context_s * rate)
    ramp = (np.sin(0.5 * np.pi * (np.arange(overlap, dtype=np.float32) + 0.5) / overlap) ** 2)[:, None]
    tail: dict[str, Samples] = {}
    for start in range(0, max(1, frames), step):
        end = min(frames, start + step)
        last = end >= frames
        reach = end if last else min(frames, end + overlap)
        first, final = max(0, start - context), min(frames, reach + context)
        there = read(first, final)
        found = engine.window(there, rate, quality) if len(there) else {}
        if heard is not None:
            found = heard.steer(found, there, first, rate)
        mine = there[start - first : reach - first]
        block = {part: piece[start - first : reach - first] for part, piece in found.items()}
        rest = engine.parts[-1]
        # Beside others the rest is all that they leave, so that what is asked for is the record; asked for alone it is itself.
        taken = [piece for part, piece in block.items() if part in parts or len(parts) == 1]
        block[rest] = mine - sum(taken, np.zeros_like(mine))
        out = {}
        for part in parts:
            piece = block[part].astype(np.float32)
            if tail:
                # The window before saw this stretch too: from what it made of it to what this one makes.
                count = min(len(tail[part]), len(piece))
                piece[:count] = tail[part][:count] * (1 - ramp[:count]) + piece[:count] * ramp[:count]
            out[part] = piece[: end - start]
            block[part] = piece
        tail = {} if last else {part: block[part][end - start :] for part in parts}
        yield out
        if progress is not None:
            progress(end / max(1, frames))
        if last:
            return
