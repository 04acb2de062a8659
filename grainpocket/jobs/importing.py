"""A file becomes a find: decode, measure, listen, keep, add."""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path

from grainpocket.core.edits.pocket_wide import AddSource
from grainpocket.core.listen.hearing import Hearing, hear
from grainpocket.core.listen.measures.loudness import LoudnessMeter, headroom
from grainpocket.core.pocket import RATE, Credits, Mark, Origin
from grainpocket.core.sound.audio import BadAudio
from grainpocket.core.sound.peaks import PeakBuilder
from grainpocket.core.sound.read import blocks, probe
from grainpocket.core.sound.tags import Tags, read_tags
from grainpocket.core.text import readable
from grainpocket.store.audio import AudioStore, AudioWriter

# report(progress 0..1, step) tells how far it is and raises Cancelled when the musician wants it to stop.
Report = Callable[[float, str], None]
_DECODE, _LISTEN = 0.25, 0.97


class Cancelled(Exception):
    pass


def import_file(path: Path, name: str, store: AudioStore, most_minutes: float, report: Report, turn: float = 0.0) -> AddSource:
    """Store the audio of a file and return the edit that adds it to a pocket. turn: decibels for a record mastered to full
    scale. Raises BadAudio or Cancelled; then nothing
    of it is in the store."""
    reading = probe(path)
    too_long = f"It is longer than {most_minutes:g} minutes, the most that one find may last. Cut it shorter and try again."
    if reading.frames > most_minutes * 60 * reading.rate:
        raise BadAudio(too_long)
    builder, meter = PeakBuilder(RATE), LoudnessMeter(RATE)
    with store.writer(RATE, min(reading.channels, 2)) as writer:
        for block, share in blocks(path, RATE, reading):
            writer.write(block)
            builder.feed(block)
            meter.feed(block)
            report(share * _DECODE, "Decoding")
            if writer.frames > most_minutes * 60 * RATE:
                raise BadAudio(too_long)
        if not writer.frames:
            raise BadAudio("The file holds less than one sample of sound.")
        digest, hearing = keep_heard(writer, builder, meter, report, _DECODE)
    said = read_tags(path, reading.rate)
    origin = Origin(
        file=clean_name(name, 200), format=reading.format, rate=reading.rate, channels=reading.channels,
        lossy=reading.lossy, notes=tuple(reading.notes), bpm=said.bpm, marks=_marks(said, RATE / reading.rate, writer.frames),
    )  # fmt: skip
    credits = Credits(artist=said.artist, title=said.title, year=said.year, rights=said.rights)
    return AddSource(
        name=find_name(name),
        audio=digest,
        frames=writer.frames,
        channels=writer.channels,
        origin=origin,
        credits=credits,
        trim=headroom(hearing.loudness, turn) if hearing.loudness else 0.0,
    )


def keep_heard(
    writer: AudioWriter, builder: PeakBuilder, meter: LoudnessMeter, report: Report, begun: float
) -> tuple[str, Hearing]:
    """Listen to what was written and keep it with its peaks: (hash, what was heard). begun: the progress so far."""
    digest, hearing = heard_in(writer, meter, report, begun)
    report(_LISTEN, "Saving")
    writer.keep(digest, builder.finish(), hearing)
    return digest, hearing


def heard_in(writer: AudioWriter, meter: LoudnessMeter, report: Report, begun: float) -> tuple[str, Hearing]:
    """(hash, what is heard) of what was written; it is not kept yet."""
    digest = writer.close()

    def listening(share: float) -> None:
        report(begun + share * (_LISTEN - begun), "Listening")

    # The same audio was brought in before: what was heard then need not be heard again.
    return digest, writer.known(digest) or hear(writer.read_mono(), RATE, listening, meter.finish())


def _marks(said: Tags, ratio: float, frames: int) -> tuple[Mark, ...]:
    """The file's marks on the source's time line; what lies outside it is left out."""
    scaled = [(round(m.at * ratio), m.name, min(frames, round(m.end * ratio)) if m.end is not None else None) for m in said.marks]
    return tuple(Mark(at=at, name=name, end=end) for at, name, end in scaled if at < frames)


def listen_again(audio: str, store: AudioStore, report: Report) -> None:
    """Hear a stored audio anew, as after an update that hears better. What the musician set is in the pocket and stays."""
    store.relisten(audio, lambda share: report(share, "Listening"))


def clean_name(name: str, most: int) -> str:
    """The last part of a path, without control characters, as the musician would read it."""
    return readable(re.split(r"[/\\]", name)[-1]).strip(" .")[:most]


def find_name(name: str) -> str:
    """A find's name from its file's: without the ending."""
    return clean_name(re.sub(r"\.(wav|wave|aif|aiff|aifc|flac|ogg|oga|opus|mp3)$", "", name.strip(), flags=re.I), 80) or "Untitled"
