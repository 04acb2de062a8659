"""What a file says of itself: title, artist, year, rights and tempo; cue points, markers and loops.

Text comes through mutagen (ID3, Vorbis comments, RIFF and AIFF with ID3 inside, RIFF INFO); places from the RIFF chunks
`cue `, `LIST adtl` and `smpl` (Microsoft/IBM "Multimedia Programming Interface and Data Specifications 1.0"), the AIFF chunks
`MARK` and `INST` (Apple AIFF 1.3), FLAC cue sheets, and ID3v2 chapters. Nothing in here is trusted: what cannot be read is
left out.
"""

from __future__ import annotations

import re
import struct
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import mutagen

from grainpocket.core.sound.containers import chunks

MOST_MARKS, LONGEST_TEXT = 999, 200
# First of each that is there; keys of ID3v2, Vorbis comments and RIFF INFO.
_TEXTS = {
    "title": ("TIT2", "title", "INAM"),
    "artist": ("TPE1", "artist", "IART"),
    "year": ("TDRC", "TYER", "date", "year", "ICRD"),
    "rights": ("TCOP", "copyright", "rights", "ICOP", "TOWN"),
    "bpm": ("TBPM", "bpm", "tempo"),
}
SLOWEST, FASTEST = 20.0, 400.0


@dataclass(frozen=True)
class Mark:
    """at: frames of the file, at its own rate; end: of a loop, else None; name: may be empty."""

    at: int
    name: str = ""
    end: int | None = None


@dataclass
class Tags:
    """Empty strings and None where the file says nothing."""

    title: str = ""
    artist: str = ""
    year: str = ""
    rights: str = ""
    bpm: float | None = None
    marks: list[Mark] = field(default_factory=list)


def read_tags(path: Path, rate: int) -> Tags:
    """Never raises for what is in the file."""
    out = Tags()
    try:
        info = mutagen.File(path)
    except Exception:  # Whatever a damaged tag may do to its reader, the audio is what counts.
        info = None
    tags = getattr(info, "tags", None)
    if tags is not None:
        _texts(out, tags)
        out.marks += _chapters(tags, rate)
    out.marks += [Mark(offset, f"track {i + 1}") for i, offset in enumerate(_cue_sheet(info))]
    try:
        with path.open("rb") as file:
            head = file.read(12)
            if head[:4] == b"RIFF" and head[8:] == b"WAVE":
                _riff(out, {name: data for name, data in _small(file, "<", (b"cue ", b"LIST", b"smpl"))})
            elif head[:4] == b"FORM" and head[8:] in (b"AIFF", b"AIFC"):
                _aiff(out, {name: data for name, data in _small(file, ">", (b"MARK", b"INST"))})
    except (struct.error, OSError, IndexError):
        pass
    out.marks = sorted(out.marks, key=lambda m: (m.at, m.end or 0))[:MOST_MARKS]
    return out


def _texts(out: Tags, tags: Any) -> None:
    for name, keys in _TEXTS.items():
        value = next((text for key in keys if (text := _text(tags, key))), "")
        if name == "bpm":
            number = re.search(r"\d+([.,]\d+)?", value)
            bpm = float(number.group().replace(",", ".")) if number else 0.0
            out.bpm = bpm if SLOWEST <= bpm <= FASTEST else None
        elif name == "year":
            found = re.search(r"\d{4}", value)
            out.year = found.group() if found else ""
        else:
            setattr(out, name, value)


def _text(tags: Any, key: str) -> str:
    try:
        value = tags.get(key)
    except (KeyError, ValueError):
        return ""
    if value is None:
        return ""
    value = getattr(value, "text", value)
    first = value[0] if isinstance(value, list) and value else value
    return "".join(c for c in str(first) if c.isprintable()).strip()[:LONGEST_TEXT]


def _chapters(tags: Any, rate: int) -> list[Mark]:
    get = getattr(tags, "getall", None)
    out: list[Mark] = []
    for chapter in get("CHAP") if get else []:
        title = next((str(f) for f in chapter.sub_frames.values() if f.FrameID == "TIT2"), "")
        out.append(Mark(round(chapter.start_time / 1000 * rate), title[:LONGEST_TEXT]))
    return out


def _cue_sheet(info: Any) -> list[int]:
    sheet = getattr(info, "cuesheet", None)
    if sheet is None:
        return []
    return [int(t.start_offset) for t in sheet.tracks if t.track_number not in (170, 255)]


def _small(file: Any, order: str, names: tuple[bytes, ...]) -> Iterator[tuple[bytes, bytes]]:
    for name, size in chunks(file, order):
        if name in names and size < 1 << 20:
            yield name, file.read(size)


def _riff(out: Tags, found: dict[bytes, bytes]) -> None:
    labels: dict[int, str] = {}
    listed = found.get(b"LIST", b"")
    if listed[:4] == b"adtl":
        at = 4
        while at + 8 <= len(listed):
            kind, size = struct.unpack_from("<4sI", listed, at)
            if kind in (b"labl", b"note") and size >= 4:
                number = struct.unpack_from("<I", listed, at + 8)[0]
                labels[number] = _latin(listed[at + 12 : at + 8 + size])
            at += 8 + size + (size & 1)
    cues = found.get(b"cue ", b"")
    if len(cues) >= 4:
        for i in range(min(struct.unpack_from("<I", cues)[0], (len(cues) - 4) // 24, MOST_MARKS)):
            number, _, _, _, _, offset = struct.unpack_from("<II4sIII", cues, 4 + 24 * i)
            out.marks.append(Mark(offset, labels.get(number, "")))
    sampler = found.get(b"smpl", b"")
    if len(sampler) >= 36:
        for i in range(min(struct.unpack_from("<I", sampler, 28)[0], (len(sampler) - 36) // 24)):
            _, _, start, end, _, _ = struct.unpack_from("<6I", sampler, 36 + 24 * i)
            if end > start:
                out.marks.append(Mark(start, "loop", end + 1))


def _aiff(out: Tags, found: dict[bytes, bytes]) -> None:
    marks = found.get(b"MARK", b"")
    places: dict[int, int] = {}
    if len(marks) >= 2:
        at = 2
        for _ in range(struct.unpack_from(">H", marks)[0]):
            number, place, length = struct.unpack_from(">HIB", marks, at)
            places[number] = place
            out.marks.append(Mark(place, _latin(marks[at + 7 : at + 7 + length])))
            at += 7 + length + ((length + 1) & 1)
    instrument = found.get(b"INST", b"")
    if len(instrument) >= 20:
        mode, begin, end = struct.unpack_from(">hHH", instrument, 8)
        if mode and places.get(end, 0) > places.get(begin, 0):
            out.marks.append(Mark(places[begin], "loop", places[end]))


def _latin(data: bytes) -> str:
    text = data.split(b"\0")[0].decode("latin-1")
    return "".join(c for c in text if c.isprintable()).strip()[:LONGEST_TEXT]
