"""A pocket to bytes and back: deflated JSON.

An edit changes one record and leaves the rest the very same objects, so the deflated JSON of each record is kept as long
as it is in use: storing a revision of a large pocket costs what the edit changed, not what the pocket holds. Each record is a
piece of its own, which revisions share (store/pieces). Stretches of deflate that were each flushed whole can be laid end to end
(RFC 1951; zlib's Z_FULL_FLUSH).

Nothing is packed that could not be opened again: the JSON of every record that is new, and of the rest of the document, is
read back through the validation that opening it goes through. No rule of the document spans two records, so that reading
the pieces is reading the whole.
"""

from __future__ import annotations

import hashlib
import json
import zlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel, TypeAdapter, ValidationError

from grainpocket.core.document.records import RECORDS
from grainpocket.core.document.upgrades import FORM, TooNew, upgraded
from grainpocket.core.kept import Kept
from grainpocket.core.pocket import Pocket

# Letters of the records whose pieces are kept. Each counts as many more: in memory a small one takes ten times what its text says.
_ROOM, _LEAST = 24_000_000, 12_000
_REST: TypeAdapter[Any] = TypeAdapter(dict[str, Any])
# The first byte tells bare deflate in pieces from the whole zlib streams that were written before.
_PIECES, _END = b"\0", b"\x03\0"


def _deflated(text: str) -> bytes:
    deflate = zlib.compressobj(1, zlib.DEFLATED, -zlib.MAX_WBITS)
    return deflate.compress(text.encode()) + deflate.flush(zlib.Z_FULL_FLUSH)


# The form comes first in what is packed here.
_THIS_FORM = b'{"form":%d,' % FORM
_COMMA, _CLOSE = _deflated(","), _deflated("}")


class Unsound(ValueError):
    """A document that could not be opened again once it was written, and why."""


@dataclass(frozen=True)
class Piece:
    """A record, deflated. digest: of what is deflated."""

    digest: bytes
    data: bytes


@dataclass(frozen=True)
class Packed:
    """A document in pieces. rest: all but the records."""

    rest: Piece
    records: Mapping[str, Sequence[Piece]]

    def whole(self) -> bytes:
        return whole_of(self.rest.data, {name: [piece.data for piece in pieces] for name, pieces in self.records.items()})


def whole_of(rest: bytes, records: Mapping[str, Sequence[bytes]]) -> bytes:
    """The document as bytes, from its deflated pieces."""
    pieces = [_PIECES, rest]
    for name, some in records.items():
        pieces += (_deflated(f',"{name}":{{'), _COMMA.join(some), _CLOSE)
    return b"".join([*pieces, _CLOSE, _END])


def _piece(text: str) -> Piece:
    return Piece(hashlib.sha256(text.encode()).digest()[:16], _deflated(text))


class Packer:
    def __init__(self) -> None:
        # The record is held beside its bytes, so that its id cannot be given to another; and how long its text is.
        self._known: Kept[tuple[int, int | str], tuple[BaseModel, Piece, int]] = Kept(_ROOM, lambda held: _LEAST + held[2])

    def pack(self, pocket: Pocket) -> Packed:
        """The document in pieces. Raises Unsound when it would not load again."""
        rest = _REST.dump_json({k: v for k, v in pocket if k not in RECORDS}).decode()
        _read_back(pocket.model_copy(update={name: {} for name in RECORDS}), rest)
        records = {name: [self._record(key, record) for key, record in getattr(pocket, name).items()] for name in RECORDS}
        return Packed(_piece(rest[:-1]), records)

    def _record(self, key: int | str, record: BaseModel) -> Piece:
        def packed() -> tuple[BaseModel, Piece, int]:
            text = record.model_dump_json()
            _read_back(record, text)
            return record, _piece(f'"{key}":{text}'), len(text)

        return self._known.made((id(record), key), packed)[1]


def unpack(data: bytes) -> Pocket:
    """Raises Unsound when it is no document."""
    try:
        text = zlib.decompress(data[1:], -zlib.MAX_WBITS) if data[:1] == _PIECES else zlib.decompress(data)
        if not text.startswith(_THIS_FORM):
            text = json.dumps(upgraded(json.loads(text))).encode()
        return Pocket.model_validate_json(text)
    except (ValidationError, zlib.error, TooNew, ValueError, KeyError, TypeError, AttributeError) as error:
        raise Unsound(_reason(error)) from error


def _read_back(value: BaseModel, text: str) -> None:
    try:
        # Written once more it is the same text: as strict as comparing each field, and three times as quick.
        read = type(value).model_validate_json(text)
        if read.model_dump_json() == text or read == value:
            return
        reason = f"{type(value).__name__}: reads back as something else"
    except ValidationError as error:
        reason = _reason(error)
    raise Unsound(reason)


def _reason(error: Exception) -> str:
    if not isinstance(error, ValidationError):
        return str(error)
    first = error.errors(include_url=False)[0]
    return f"{error.title}, {'.'.join(map(str, first['loc']))}: {first['msg']}"
