"""A pocket to bytes and back: deflated JSON.

An edit changes one record and leaves the rest the very same objects, so the JSON of each record is kept as long as it is
in use: storing a revision of a large pocket costs what the edit changed, not what the pocket holds.
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


class Packer:
    def __init__(self) -> None:
        # The record is held beside its text, so that its id cannot be given to another.
        self._known: OrderedDict[int, tuple[BaseModel, str]] = OrderedDict()
        self._lock = threading.Lock()

    def pack(self, pocket: Pocket) -> bytes:
        parts = [_REST.dump_json({k: v for k, v in pocket if k not in _RECORDS}).decode()[1:-1]]
        for name in _RECORDS:
            records = [f'"{key}":{self._text(record)}' for key, record in getattr(pocket, name).items()]
            parts.append(f'"{name}":{{' + ",".join(records) + "}")
        return zlib.compress(("{" + ",".join(parts) + "}").encode(), 1)

    def _text(self, record: BaseModel) -> str:
        with self._lock:
            known = self._known.get(id(record))
            if known is not None:
                self._known.move_to_end(id(record))
                return known[1]
        text = record.model_dump_json()
        with self._lock:
            self._known[id(record)] = record, text
            while len(self._known) > _MOST:
                self._known.popitem(last=False)
        return text


def unpack(data: bytes) -> Pocket:
    return Pocket.model_validate_json(zlib.decompress(data))
