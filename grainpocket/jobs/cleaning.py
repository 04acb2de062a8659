"""A cleaned copy of a find, printed among the finds."""

from __future__ import annotations

from grainpocket.core.edits.pocket_wide import AddSource
from grainpocket.core.listen.measures.loudness import LoudnessMeter
from grainpocket.core.pocket import RATE, Kin, Source
from grainpocket.core.restore.restore import Cleaning, clean, pieces, survey
from grainpocket.core.sound.audio import Samples
from grainpocket.core.sound.peaks import PeakBuilder
from grainpocket.jobs.importing import Report, keep_heard
from grainpocket.store.audio import AudioStore

_CLEAN = 0.6


def print_clean(source: Source, cleaning: Cleaning, store: AudioStore, report: Report) -> AddSource:
    """Clean a find from end to end, keep the result, and return the edit that adds it. Raises Cancelled and BadAudio; then
    nothing of it is in the store."""
    builder, meter = PeakBuilder(RATE), LoudnessMeter(RATE)

    def read(start: int, end: int) -> Samples:
        return store.read(source.audio, start, end)

    report(0.0, "Surveying")
    found = survey(read, source.frames, RATE)
    with store.writer(RATE, source.channels) as writer:
        for start, end in pieces(source.frames, RATE):
            block = clean(read, start, end, source.frames, RATE, found, cleaning)
            writer.write(block)
            builder.feed(block)
            meter.feed(block)
            report(end / source.frames * _CLEAN, "Cleaning")
        digest, _ = keep_heard(writer, builder, meter, report, _CLEAN)
    return AddSource(
        name=f"{source.name[:70]}, cleaned",
        audio=digest,
        frames=source.frames,
        channels=source.channels,
        origin=source.origin,
        credits=source.credits,
        trim=source.trim,
        kin=Kin(root=source.id, kind="cleaned"),
    )
