"""A pocket to bytes and back: deflated JSON.

An edit changes one record and leaves the rest the very same objects, so the deflated JSON of each record is kept as long
as it is in use: storing a revision of a large pocket costs what the edit changed, not what the pocket holds. Stretches of
deflate that were each flushed whole can be laid end to end (RFC 1951; zlib's Z_FULL_FLUSH).
"""

from __future__ import annotations

import threading
import zlib
from collections import OrderedDict
from typing import Any

from pydantic import BaseModel, TypeAdapter

from grainpocket.core.pocket import Pocket

_RECORDS = ("sources", "pads", "patterns")
_MOST = 8000
_REST: TypeAdapter[Any] = TypeAdapter(dict[str, Any])
# The first byte tells bare deflate in pieces from the whole zlib streams that were written before.
_PIECES, _END = b"\0", b"\x03\0"


def _deflated(text: str) -> bytes:
    deflate = zlib.compressobj(1, zlib.DEFLATED, -zlib.MAX_WBITS)
    return deflate.compress(text.encode()) + deflate.flush(zlib.Z_FULL_FLUSH)


_COMMA, _CLOSE = _deflated(","), _deflated("}")


class Packer:
    def __init__(self) -> None:
        # The record is held beside its bytes, so that its id cannot be given to another.
        self._known: OrderedDict[tuple[int, int | str], tuple[BaseModel, bytes]] = OrderedDict()
        self._lock = threading.Lock()

    def pack(self, pocket: Pocket) -> bytes:
        rest = _REST.dump_json({k: v for k, v in pocket if k not in _RECORDS}).decode()[:-1]
        pieces = [_PIECES, _deflated(rest)]
        for name in _RECORDS:
            pieces.append(_deflated(f',"{name}":{{'))
            for number, (key, record) in enumerate(getattr(pocket, name).items()):
                pieces += (_COMMA, self._record(key, record)) if number else (self._record(key, record),)
            pieces.append(_CLOSE)
        return b"".join([*pieces, _CLOSE, _END])

    def _record(self, key: int | str, record: BaseModel) -> bytes:
        place = id(record), key
        with self._lock:
            known = self._known.get(place)
            if known is not None:
                self._known.move_to_end(place)
        if known is None:
            known = record, _deflated(f'"{key}":{record.model_dump_json()}')
            with self._lock:
                self._known[place] = known
                while len(self._known) > _MOST:
                    self._known.popitem(last=False)
        return known[1]


def unpack(data: bytes) -> Pocket:
    if data[:1] != _PIECES:
        return Pocket.model_validate_json(zlib.decompress(data))
    return Pocket.model_validate_json(zlib.decompress(data[1:], -zlib.MAX_WBITS))
