"""A pocket to bytes and back: deflated JSON.

An edit changes one record and leaves the rest the very same objects, so the deflated JSON of each record is kept as long
as it is in use: storing a revision of a large pocket costs what the edit changed, not what the pocket holds. Stretches of
deflate that were each flushed whole can be laid end to end (RFC 1951; zlib's Z_FULL_FLUSH).

Nothing is packed that could not be opened again: the JSON of every record that is new, and of the rest of the document, is
read back through the validation that opening it goes through. No rule of the document spans two records, so that reading
the pieces is reading the whole.
"""

from __future__ import annotations

import json
import threading
import zlib
from collections import OrderedDict
from typing import Any

from pydantic import BaseModel, TypeAdapter, ValidationError

from grainpocket.core.document.records import RECORDS
from grainpocket.core.document.upgrades import FORM, TooNew, upgraded
from grainpocket.core.pocket import Pocket

_MOST = 8000
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


class Packer:
    def __init__(self) -> None:
        # The record is held beside its bytes, so that its id cannot be given to another.
        self._known: OrderedDict[tuple[int, int | str], tuple[BaseModel, bytes]] = OrderedDict()
        self._lock = threading.Lock()

    def pack(self, pocket: Pocket) -> bytes:
        """The document as bytes. Raises Unsound when it would not load again."""
        rest = _REST.dump_json({k: v for k, v in pocket if k not in RECORDS}).decode()
        _read_back(pocket.model_copy(update={name: {} for name in RECORDS}), rest)
        pieces = [_PIECES, _deflated(rest[:-1])]
        for name in RECORDS:
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
            text = record.model_dump_json()
            _read_back(record, text)
            known = record, _deflated(f'"{key}":{text}')
            with self._lock:
                self._known[place] = known
                while len(self._known) > _MOST:
                    self._known.popitem(last=False)
        return known[1]


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
        if type(value).model_validate_json(text) == value:
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
