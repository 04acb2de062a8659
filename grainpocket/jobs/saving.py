"""Finds as files: one as a sound file, several in a ZIP."""

from __future__ import annotations

import zipfile
from pathlib import Path

from pydantic import BaseModel, Field

from grainpocket.core.edits.base import Refusal
from grainpocket.core.export.files import Format, SoundWriter
from grainpocket.core.pocket import RATE, Pocket, Source
from grainpocket.core.sound.audio import gain_of, stereo
from grainpocket.core.text import file_name
from grainpocket.jobs.importing import Report
from grainpocket.store.audio import AudioStore

BLOCK = 1 << 18


class Saving(BaseModel):
    """sources: finds, written at the level that they sound at."""

    sources: tuple[str, ...] = Field(min_length=1, max_length=24)
    format: Format = "wav"

    @property
    def suffix(self) -> str:
        return self.format if len(self.sources) == 1 else "zip"


def save(pocket: Pocket, asked: Saving, store: AudioStore, path: Path, report: Report) -> None:
    """Write `path`, which is there only when all of it is. Raises Refusal, Cancelled and OSError."""
    sources = [pocket.sources[key] for key in asked.sources if key in pocket.sources]
    if len(sources) < len(asked.sources):
        raise Refusal("One of those finds is no longer in the pocket.")
    path.parent.mkdir(parents=True, exist_ok=True)
    part, piece = path.with_suffix(".part"), path.with_suffix(".piece")
    whole, done = sum(source.frames for source in sources), 0
    try:
        if len(sources) == 1:
            _write(sources[0], part, asked.format, store, report, 0, whole)
        else:
            with zipfile.ZipFile(part, "w", zipfile.ZIP_STORED) as archive:
                for number, source in enumerate(sources):
                    _write(source, piece, asked.format, store, report, done, whole)
                    name = f"{file_name(source.name)}.{asked.format}"
                    archive.write(piece, name if name not in archive.namelist() else f"{number + 1} {name}")
                    done += source.frames
        part.rename(path)
    finally:
        part.unlink(missing_ok=True)
        piece.unlink(missing_ok=True)


def _write(source: Source, path: Path, format_: Format, store: AudioStore, report: Report, done: int, whole: int) -> None:
    writer = SoundWriter(path, RATE, format_)
    gain = gain_of(source.trim)
    try:
        for start in range(0, source.frames, BLOCK):
            end = min(source.frames, start + BLOCK)
            writer.write(stereo(store.read(source.audio, start, end)) * gain)
            report(min(0.99, (done + end) / whole), "Writing")
    finally:
        writer.close()
