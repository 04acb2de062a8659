"""A find taken apart into stems, as new finds of its family; and a balance of them printed."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from contextlib import ExitStack

import numpy as np
from pydantic import BaseModel, Field

from grainpocket.core.edits.base import Refusal
from grainpocket.core.edits.pocket_wide import AddSource
from grainpocket.core.edits.stems import AddStems
from grainpocket.core.listen.measures.loudness import LoudnessMeter
from grainpocket.core.pocket import RATE, Kin, Pocket, Source, Taken
from grainpocket.core.sound.audio import Samples, peak_of, stereo
from grainpocket.core.sound.peaks import PeakBuilder
from grainpocket.core.split.balance import StemLevel, balanced
from grainpocket.core.split.base import Engine, streamed
from grainpocket.core.split.engines import ENGINES
from grainpocket.core.split.heard import Heard
from grainpocket.core.split.leaks import LeakMeter
from grainpocket.jobs.importing import Report, heard_in, keep_heard
from grainpocket.store.audio import AudioStore

_SPLIT = 0.6
LONGEST_S = 2 * 60 * 60
SHORTEST_S = 0.05
FIRST_S = 12  # how much of the stems can be heard while the rest is made
LEFT = "all else"
SILENT = 1e-4  # a part that is never louder than this is none


class Splitting(BaseModel):
    """What is to be taken apart. parts: none for all; start, end: samples of the find, left out for all of it."""

    engine: str = Field(default=next(iter(ENGINES)), max_length=40)
    quality: str = Field(default="", max_length=20, description="Left out: the best")
    parts: tuple[str, ...] = Field(default=(), max_length=12)
    start: int | None = Field(default=None, ge=0)
    end: int | None = Field(default=None, ge=1)


def split(
    source: Source,
    asked: Splitting,
    store: AudioStore,
    report: Report,
    engines: Mapping[str, Engine] = ENGINES,
    first: Callable[[Mapping[str, Samples]], None] | None = None,
) -> tuple[AddStems, tuple[str, ...]]:
    """Take a find apart, keep the stems, and return the edit that adds them, and the parts of which nothing was found. first: gets
    the beginning of every part as soon as it is made. Raises Refusal and Cancelled; then nothing of it is in the store."""
    engine = engines.get(asked.engine)
    if engine is None:
        raise Refusal(f"There is no engine called {asked.engine}. There are {', '.join(engines)}.")
    parts = asked.parts or engine.parts
    if set(parts) - set(engine.parts):
        raise Refusal(f"{engine.label} parts into {', '.join(engine.parts)}.")
    start, end = asked.start or 0, min(asked.end or source.frames, source.frames)
    if not SHORTEST_S * RATE <= end - start <= LONGEST_S * RATE:
        raise Refusal(f"A stretch to be taken apart lasts from {SHORTEST_S:g} s to {LONGEST_S // 3600} hours.")

    def read(first: int, last: int) -> Samples:
        return stereo(store.read(source.audio, start + first, start + last))

    moments = store.hearing(source.audio).moments
    heard_before = Heard(moments, start) if moments is not None else None
    with ExitStack() as open_:
        writers = {part: open_.enter_context(store.writer(RATE, 2)) for part in parts}
        meters = {part: (PeakBuilder(RATE), LoudnessMeter(RATE)) for part in parts}
        loudest = dict.fromkeys(parts, 0.0)
        whole = end - start
        # Also of what is not asked for something may be left in a stem.
        unasked = len(parts) < len(engine.parts)
        leaks = LeakMeter((*parts, LEFT) if unasked else parts, RATE)
        for block in streamed(engine, read, whole, RATE, parts, asked.quality, heard=heard_before):
            at = writers[parts[0]].frames
            length = len(block[parts[0]])
            if at == 0 and first is not None:
                first({part: piece[: FIRST_S * RATE] for part, piece in block.items()})
            leaks.feed(block | {LEFT: read(at, at + length) - sum(block.values())} if unasked else block)
            for part, piece in block.items():
                writers[part].write(piece)
                loudest[part] = max(loudest[part], peak_of(piece))
                for meter in meters[part]:
                    meter.feed(piece)
            report(_SPLIT * writers[parts[0]].frames / whole, "Taking apart")
        stems = []
        there = tuple(part for part in parts if loudest[part] > SILENT)
        if not there:
            raise Refusal("Nothing was found of what was asked for: the stems would be silent.")
        share = (1 - _SPLIT) / len(there)
        heard = {}
        for number, part in enumerate(there):

            def listening(done: float, step: str, first: float = _SPLIT + number * share, part: str = part) -> None:
                report(min(0.98, first + done * share), f"{step} to {part}")

            heard[part] = heard_in(writers[part], meters[part][1], listening, 0.0)
        # All of them or none: nothing ends it from here on.
        report(0.99, "Saving")
        leaked = leaks.finish()
        for part, (digest, hearing) in heard.items():
            writers[part].keep(digest, meters[part][0].finish(), hearing, leaked[part].model_dump_json())
            origin = source.origin.model_copy(update={"taken": Taken(record=source.id, start=start, end=end)} if start else {})
            stems.append(
                AddSource(
                    name=f"{source.name[:66]}, {part}", audio=digest, frames=whole, channels=2, origin=origin,
                    credits=source.credits, trim=source.trim, kin=Kin(root=source.id, kind="stem", offset=start),
                )
            )  # fmt: skip
    return AddStems(stems=tuple(stems)), tuple(part for part in parts if part not in there)


class Balance(BaseModel):
    """Stems of one record as they are to sound together, printed."""

    name: str = Field(min_length=1, max_length=80)
    stems: tuple[StemLevel, ...] = Field(min_length=1, max_length=24)


def reader_of(pocket: Pocket, root: Source, store: AudioStore) -> Callable[[StemLevel, int, int], Samples]:
    """What of a stem lies between two samples of its record. Raises Refusal for one that is not of its family."""

    def read(stem: StemLevel, first: int, last: int) -> Samples:
        source = pocket.sources.get(stem.source)
        if source is None or (source.id != root.id and (source.kin is None or source.kin.root != root.id)):
            raise Refusal("One of those stems is no longer in the pocket.")
        offset = source.kin.offset if source.kin is not None else 0
        out = np.zeros((last - first, 2), np.float32)
        start, end = max(0, first - offset), min(source.frames, last - offset)
        if end > start:
            out[start + offset - first : end + offset - first] = stereo(store.read(source.audio, start, end))
        return out

    return read


def print_balance(pocket: Pocket, root: Source, asked: Balance, store: AudioStore, report: Report) -> AddSource:
    """A balance from end to end as a new find of the family. Raises Refusal and Cancelled; then nothing of it is in the store."""
    builder, meter = PeakBuilder(RATE), LoudnessMeter(RATE)
    with store.writer(RATE, 2) as writer:
        for block in balanced(asked.stems, reader_of(pocket, root, store), 0, root.frames, RATE):
            writer.write(block)
            builder.feed(block)
            meter.feed(block)
            report(_SPLIT * writer.frames / root.frames, "Printing")
        digest, _ = keep_heard(writer, builder, meter, report, _SPLIT)
    return AddSource(
        name=asked.name, audio=digest, frames=root.frames, channels=2, origin=root.origin, credits=root.credits, trim=root.trim,
        kin=Kin(root=root.id, kind="stem"),
    )  # fmt: skip
