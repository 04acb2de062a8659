"""Sound to files and to new finds: exports and prints, block by block."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

from pydantic import BaseModel, Field

from grainpocket.core.edits.base import Refusal
from grainpocket.core.edits.pocket_wide import AddSource
from grainpocket.core.export.files import SoundWriter
from grainpocket.core.listen.measures.loudness import Loudness, LoudnessMeter
from grainpocket.core.mix.loop import Renderer, repeated
from grainpocket.core.mix.mixdown import Mix
from grainpocket.core.mix.nodes import Pieces, pieces
from grainpocket.core.mix.routing import curves_of
from grainpocket.core.pocket import RATE, Origin, Pocket, Recipe
from grainpocket.core.rhythm.schedule import schedule
from grainpocket.core.rhythm.timing import Timeline
from grainpocket.core.song.layout import song_schedule
from grainpocket.core.song.printing import printed
from grainpocket.core.sound.audio import Samples
from grainpocket.core.sound.peaks import PeakBuilder
from grainpocket.jobs.importing import Report, keep_heard
from grainpocket.store.audio import AudioStore

MOST_S = 30 * 60
ROOM_MB = 48  # for each of voices and buses: what is written is not needed again
_RENDER = 0.8


class Export(BaseModel):
    """What is written to a file. what: a pattern by id, or "song"; ending: a loop that joins itself, or from silence until it has
    rung out; passes: how often a pattern is played."""

    what: str = Field(max_length=40)
    ending: Literal["loop", "tail"] = "loop"
    passes: int = Field(default=1, ge=1, le=64)
    format: Literal["wav", "flac"] = "wav"


def mix_of(pocket: Pocket, export: Export, renderer: Renderer, cache: Pieces) -> tuple[Mix, int]:
    """(the mix, how often it is written). Raises Refusal."""
    if export.what == "song":
        curves = curves_of(pocket.threads.values(), Timeline(pocket.tempo, pocket.rate).frames)
        timed = song_schedule(pocket)
        if not timed.length:
            raise Refusal("The song has no sections yet. Add one in Song.")
        return Mix(pocket, timed, renderer, cache, cyclic=False, automation=curves), 1
    pattern = pocket.patterns.get(export.what)
    if pattern is None:
        raise Refusal("That pattern is no longer in the pocket.")
    again = schedule(pocket, pattern)
    if export.ending == "tail":
        once = schedule(pocket, pattern, cyclic=False, follows=True)
        return Mix(pocket, repeated(again, once, export.passes), renderer, cache, cyclic=False), 1
    return Mix(pocket, again, renderer, cache, cyclic=True), export.passes


def write_export(pocket: Pocket, export: Export, store: AudioStore, path: Path, report: Report) -> tuple[SoundWriter, Loudness]:
    """Write a file at `path`, which is there only when all of it is. Raises Refusal, Cancelled and OSError."""
    renderer, cache = Renderer(store, pocket.rate, ROOM_MB), pieces(ROOM_MB * 1_000_000)
    mix, times = mix_of(pocket, export, renderer, cache)
    whole = max(1, mix.spans[-1].start + mix.spans[-1].frames) * times
    if whole > MOST_S * pocket.rate:
        raise Refusal(f"That would be longer than {MOST_S // 60} minutes. Choose fewer repeats.")
    part = path.with_suffix(".part")
    part.parent.mkdir(parents=True, exist_ok=True)
    meter = LoudnessMeter(pocket.rate)
    try:
        writer = SoundWriter(part, pocket.rate, export.format)
        try:
            for _ in range(times):
                for block in mix.written():
                    writer.write(block)
                    meter.feed(block)
                    report(min(0.99, writer.frames / whole), "Writing")
        finally:
            writer.close()
        part.rename(path)
    finally:
        part.unlink(missing_ok=True)
    return writer, meter.finish()


def print_sound(pocket: Pocket, recipe: Recipe, store: AudioStore, report: Report) -> AddSource:
    """Render a recipe, keep the result, and return the edit that adds it to the finds. Raises Refusal and Cancelled; then nothing
    of it is in the store."""
    renderer, cache = Renderer(store, pocket.rate, ROOM_MB), pieces(ROOM_MB * 1_000_000)
    made = printed(pocket, recipe, renderer, cache)
    if made.frames_at_most > MOST_S * pocket.rate:
        raise Refusal(f"That would be longer than {MOST_S // 60} minutes. Choose less of it.")
    builder, meter = PeakBuilder(RATE), LoudnessMeter(RATE)
    with store.writer(RATE, 2) as writer:

        def write(block: Samples) -> None:
            writer.write(block)
            builder.feed(block)
            meter.feed(block)
            report(min(1.0, writer.frames / max(1, made.frames_at_most)) * _RENDER, "Printing")

        for block in made.blocks:
            write(block)
        digest, _ = keep_heard(writer, builder, meter, report, _RENDER)
    origin = Origin(format="print", parts=made.parts, recipe=recipe)
    return AddSource(
        name=made.name, audio=digest, frames=writer.frames, channels=2, origin=origin, grid=made.grid, known=made.cuts,
        key=made.key,
    )  # fmt: skip
