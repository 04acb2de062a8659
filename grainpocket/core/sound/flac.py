"""A damaged FLAC file mended: every frame whose checksum holds is kept, silence stands where one does not.

The decoder gives up at the first damaged frame and cannot read a file that does not tell its length; both are legal or common
enough. Each frame tells its own place and carries two checksums, so what is good can be found again behind the damage.
Source: RFC 9639 (FLAC), sections 8.2 (STREAMINFO), 9.1 (frame header), 9.2.1 (constant subframe), 9.3 (frame footer).
"""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import BinaryIO, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

Bytes = NDArray[np.uint8]

MAGIC = b"fLaC"
MOST_GAP_S = 60  # A frame that claims to lie further on than this is damaged itself.
MOST_TRIED = 16  # starts of frames that may lie inside one frame by chance
_FOUND_IN = 1 << 22
_TABLE16 = np.zeros(256, np.uint16)
_TABLE8 = np.zeros(256, np.uint8)
for _byte in range(256):
    _wide, _short = _byte << 8, _byte
    for _ in range(8):
        _wide = ((_wide << 1) ^ (0x8005 if _wide & 0x8000 else 0)) & 0xFFFF
        _short = ((_short << 1) ^ (0x07 if _short & 0x80 else 0)) & 0xFF
    _TABLE16[_byte], _TABLE8[_byte] = _wide, _short


class Stream(NamedTuple):
    """What STREAMINFO tells. begin: the byte where the first frame should be; block: samples of a frame, at most."""

    begin: int
    block: int
    rate: int
    channels: int
    bits: int
    total: int


class Frame(NamedTuple):
    """at: byte of its header; first: the sample that it begins with; length: how many samples."""

    at: int
    first: int
    length: int


@dataclass
class Mended:
    """file: the whole stream, mended, with no name on the disk. frames: its length. silent: (start, end) in samples, of what
    was damaged."""

    file: BinaryIO
    frames: int
    silent: list[tuple[int, int]] = field(default_factory=list)


def mend(path: Path) -> Mended | None:
    """A copy of a FLAC file that decodes to its end, beside the file; None when it is no FLAC or holds no good frame."""
    data: Bytes = np.memmap(path, np.uint8, "r")
    stream = _stream(data)
    if stream is None:
        return None
    out = Mended(tempfile.TemporaryFile(dir=path.parent), 0)  # noqa: SIM115 - it outlives this function
    out.file.write(MAGIC + bytes((0x80, 0, 0, 34)) + data[8:42].tobytes())  # A table of places would no longer be true.
    base, fixed = -1, True
    for frame, end in _good(data, stream):
        if base < 0:  # A piece cut out of a longer stream counts from where it was cut.
            base = frame.first if frame.first > MOST_GAP_S * stream.rate else 0
            fixed = not data[frame.at + 1] & 1
        gap = frame.first - base - out.frames
        if gap < 0:
            continue
        if gap > MOST_GAP_S * stream.rate:
            break
        _be_silent(out, stream, base, gap, fixed)
        out.file.write(data[frame.at : end].tobytes())
        out.frames += frame.length
    if out.frames and 0 < stream.total - out.frames <= stream.block:  # It was the last frame.
        _be_silent(out, stream, base, stream.total - out.frames, fixed)
    if not out.frames:
        out.file.close()
        return None
    _tell_length(out.file, stream, out.frames)
    return out


def _be_silent(out: Mended, stream: Stream, base: int, length: int, fixed: bool) -> None:
    if length:
        for part in _silence(stream, base + out.frames, length, fixed):
            out.file.write(part)
        out.silent.append((out.frames, out.frames + length))
        out.frames += length


def _stream(data: Bytes) -> Stream | None:
    if data[:4].tobytes() != MAGIC or len(data) < 42 or data[4] & 0x7F:
        return None
    info = data[8:42].tobytes()
    packed = int.from_bytes(info[10:18], "big")
    at, last = 4, False
    while not last:
        if at + 4 > len(data):
            return None
        last = bool(data[at] & 0x80)
        at += 4 + int.from_bytes(data[at + 1 : at + 4].tobytes(), "big")
    rate, channels, bits = packed >> 44, (packed >> 41 & 7) + 1, (packed >> 36 & 31) + 1
    block = int.from_bytes(info[2:4], "big")
    return Stream(at, block, rate, channels, bits, packed & (1 << 36) - 1) if rate and block >= 16 else None


def _good(data: Bytes, stream: Stream) -> Iterator[tuple[Frame, int]]:
    """(frame, byte after it) of every frame whose own checksum holds, in the order of the file."""
    starts = list(_starts(data, stream))
    ends = [frame.at for frame in starts] + [_end(data)]
    i = 0
    while i < len(starts):
        crc, at = 0, starts[i].at
        for j in range(i + 1, min(i + 1 + MOST_TRIED, len(ends))):
            crc = int(_crc16(data[at : ends[j]], crc, _TABLE16))
            at = ends[j]
            if crc == 0:  # The footer is the checksum of all before it, so that both together give 0.
                yield starts[i], at
                i = j
                break
        else:
            i += 1


def _starts(data: Bytes, stream: Stream) -> Iterator[Frame]:
    """Every place where the header of a frame may begin: sync code and its checksum are right."""
    for begin in range(stream.begin, len(data), _FOUND_IN):
        part = data[begin : begin + _FOUND_IN + 1]
        for at in np.flatnonzero((part[:-1] == 0xFF) & ((part[1:] & 0xFE) == 0xF8)):
            frame = _header(data[begin + at : begin + at + 16].tobytes(), stream)
            if frame:
                yield Frame(int(begin + at), *frame)


def _header(head: bytes, stream: Stream) -> tuple[int, int] | None:
    """(first sample, count) as a frame header of at most 16 bytes tells; None when it is none."""
    size_code, rate_code = head[2] >> 4 if len(head) > 5 else 0, head[2] & 15 if len(head) > 5 else 15
    if not size_code or rate_code == 15 or head[3] >> 4 > 10 or head[3] & 1:
        return None
    lead = head[4]
    more = 0 if lead < 0x80 else 8 - (lead ^ 0xFF).bit_length() - 1
    if more < 0 or more > 6 or 0x80 <= lead < 0xC0:
        return None
    number = lead if not more else lead & (0x3F >> more)
    for byte in head[5 : 5 + more]:
        number = number << 6 | byte & 0x3F
    at = 5 + more
    wide = {6: 1, 7: 2}.get(size_code, 0)
    explicit = int.from_bytes(head[at : at + wide], "big") + 1
    at += wide + {12: 1, 13: 2, 14: 2}.get(rate_code, 0)
    if at >= len(head) or _crc8(head[:at]) != head[at]:
        return None
    count = explicit if wide else 192 if size_code == 1 else 576 << size_code - 2 if size_code < 6 else 256 << size_code - 8
    return (number if head[1] & 1 else number * stream.block), count


def _end(data: Bytes) -> int:
    """Where the sound ends: before a tag that some programs hang behind it (128 bytes, "TAG")."""
    return len(data) - 128 if data[-128:-125].tobytes() == b"TAG" else len(data)


def _silence(stream: Stream, first: int, count: int, fixed: bool) -> Iterator[bytes]:
    """Frames of digital silence for the samples first .. first + count. fixed: whether the stream counts blocks."""
    for at in range(first, first + count, stream.block):
        size = min(stream.block, first + count - at)
        head = bytes((0xFF, 0xF8 | (not fixed), 0x70, stream.channels - 1 << 4))
        head += _coded(at // stream.block if fixed else at) + (size - 1).to_bytes(2, "big")
        head += bytes((_crc8(head),))
        bits = "".join(["0" * (8 + stream.bits)] * stream.channels)
        body = head + bytes(-(-len(bits) // 8))
        yield body + int(_crc16(np.frombuffer(body, np.uint8), 0, _TABLE16)).to_bytes(2, "big")


def _coded(number: int) -> bytes:
    """A number of up to 36 bits as the frame header writes it: like UTF-8, carried on to seven bytes."""
    if number < 0x80:
        return bytes((number,))
    more = next(m for m in range(1, 7) if number < 1 << 6 * m + max(0, 6 - m))
    lead = (0xFF00 >> more + 1) & 0xFF | number >> 6 * more
    return bytes((lead, *(0x80 | number >> 6 * m & 0x3F for m in reversed(range(more)))))


def _tell_length(file: BinaryIO, stream: Stream, frames: int) -> None:
    """The length into STREAMINFO; the sum over all samples (MD5) no longer holds and becomes "unknown"."""
    packed = (stream.rate << 44) | (stream.channels - 1 << 41) | (stream.bits - 1 << 36) | frames
    file.seek(8 + 10)
    file.write(packed.to_bytes(8, "big") + bytes(16))
    file.seek(0)


def _crc8(data: bytes) -> int:
    crc = 0
    for byte in data:
        crc = int(_TABLE8[crc ^ byte])
    return crc


@njit(cache=True, nogil=True)
def _crc16(data: Bytes, crc: int, table: NDArray[np.uint16]) -> int:  # pragma: no cover - compiled
    for byte in data:
        crc = ((crc << 8) & 0xFFFF) ^ table[(crc >> 8) ^ byte]
    return crc
