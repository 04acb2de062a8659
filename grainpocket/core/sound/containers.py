"""What the header of a WAV or AIFF file claims, read straight from the file.

libsndfile quietly corrects a frame count that runs past the end of the file; the musician should hear of it.
Sources: Microsoft/IBM RIFF 1991 and WAVE_FORMAT_EXTENSIBLE; Apple AIFF 1.3.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO


def declared_frames(path: Path) -> int | None:
    """Frames that the header declares, at the file's own rate; None when it is no plain PCM WAV or AIFF or does not say."""
    with path.open("rb") as file:
        head = file.read(12)
        if len(head) < 12:
            return None
        if head[:4] == b"RIFF" and head[8:] == b"WAVE":
            return _wav_frames(file)
        if head[:4] == b"FORM" and head[8:] in (b"AIFF", b"AIFC"):
            return _aiff_frames(file)
    return None


def chunks(file: BinaryIO, order: str) -> Iterator[tuple[bytes, int]]:
    """(name, size) of each chunk from here on, the file standing at its data; order: "<" of RIFF, ">" of AIFF."""
    while len(head := file.read(8)) == 8:
        name, size = struct.unpack(f"{order}4sI", head)
        start = file.tell()
        yield name, size
        file.seek(start + size + (size & 1))


def _wav_frames(file: BinaryIO) -> int | None:
    align = 0
    for name, size in chunks(file, "<"):
        if name == b"fmt " and size >= 16:
            align = struct.unpack("<HHIIHH", file.read(16))[4]
        elif name == b"data":
            # Streaming writers leave the size open with all ones or zero.
            return size // align if align and size not in (0, 0xFFFFFFFF) else None
    return None


def _aiff_frames(file: BinaryIO) -> int | None:
    for name, size in chunks(file, ">"):
        if name == b"COMM" and size >= 18:
            return int(struct.unpack(">hIh", file.read(8))[1])
    return None
